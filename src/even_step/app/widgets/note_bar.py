"""The bar of notes under the top line: what happened, with its remedy as a button."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QWidget

from even_step.app.desk import Note
from even_step.app.theme.colours import PAPER
from even_step.app.widgets.marks import Mark
from even_step.app.widgets.sheet import button, clear, label

SHOWN_FOR = 6000  # ms, for notes; cautions and stops stay until they are put away


class NoteBar(QWidget):
    """Shows the last note."""

    wants = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notes")
        self.setFixedHeight(32)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(f"QWidget#notes {{ background: {PAPER.wash}; border: 1px solid {PAPER.rule}; }}")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 2, 8, 2)
        self._row.setSpacing(8)
        self._gone = QTimer(self, singleShot=True, interval=SHOWN_FOR)
        self._gone.timeout.connect(self.hide)
        self.text = ""
        self.hide()

    def tell(self, note: Note, remedy_title: str = "") -> None:
        """Show a note; a remedy is offered as a button that runs an action."""
        offers = [(remedy_title, lambda: self.wants.emit(note.remedy))] if note.remedy else []
        self.offer(note.text, note.severity, offers)

    def offer(self, text: str, severity: str, offers: list[tuple[str, Callable[[], None]]]) -> None:
        """Show a text with buttons."""
        clear(self._row)
        self.text = text
        mark = {"caution": "warn"}.get(severity, severity)
        if mark != "note":
            self._row.addWidget(Mark(mark))
        words = label(text)
        words.setObjectName("note")
        words.setMinimumWidth(1)
        words.setToolTip(text)
        self._row.addWidget(words, 1)
        for title, run in offers:
            self._row.addWidget(button(title, f"remedy {title}", self._doing(run)))
        away = button("✕", "put note away", self.hide, role="plain", tip="Put away")
        away.setAccessibleName("put away")
        self._row.addWidget(away)
        self.show()
        self.raise_()
        self._gone.stop()
        if severity == "note" and not offers:
            self._gone.start()

    def _doing(self, run: Callable[[], None]) -> Callable[[], None]:
        def do() -> None:
            self.hide()
            run()

        return do
