"""The notes above the canvas: what happened, one after the other, each with its remedy as a button."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QWidget

from even_step.app.desk import Note
from even_step.app.theme.colours import PAPER
from even_step.app.widgets.marks import Mark
from even_step.app.widgets.sheet import button, clear, label

SHOWN_FOR = 6000  # ms, for notes; cautions and stops stay until they are put away
FRESH = 0.7  # s in which a note belongs to the change of the job that it came with
LEAST_HEIGHT, LINE = 32, 18  # points
MOST_LINES = 8

Offer = tuple[str, Callable[[], None]]


@dataclass(eq=False)
class _Told:
    """A note that waits to be read."""

    text: str
    severity: str
    offers: list[Offer]
    stays: bool
    since: float = field(default_factory=time.monotonic)


class NoteBar(QWidget):
    """Shows the first of the notes that wait; it lies above the canvas, not over it."""

    wants = Signal(str)
    size_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notes")
        self.setFixedHeight(LEAST_HEIGHT)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(f"QWidget#notes {{ background: {PAPER.wash}; border-bottom: 1px solid {PAPER.rule}; }}")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 2, 8, 2)
        self._row.setSpacing(8)
        self._gone = QTimer(self, singleShot=True, interval=SHOWN_FOR)
        self._gone.timeout.connect(self.put_away)
        self._waiting: list[_Told] = []
        self.hide()

    @property
    def text(self) -> str:
        """What is shown, or was shown last."""
        return self._last

    _last = ""

    def tell(self, note: Note, remedy_title: str = "") -> None:
        """Show a note; a remedy is offered as a button that runs an action."""
        offers: list[Offer] = [(remedy_title, lambda: self.wants.emit(note.remedy))] if note.remedy else []
        self.offer(note.text, note.severity, offers, stays=note.stays)

    def offer(self, text: str, severity: str, offers: list[Offer], *, stays: bool = True) -> None:
        """Show a text with buttons; what was shown and not read yet waits behind it."""
        self._waiting = [told for told in self._waiting if told.text != text and told.severity != "note"]
        self._waiting.insert(0, _Told(text, severity, offers, stays))
        self._show()

    def put_away(self) -> None:
        """Put the note that is shown away; the next one is shown."""
        del self._waiting[:1]
        self._show()

    def withdraw(self, text: str) -> None:
        """Let go of a note whose cause is gone."""
        kept = [told for told in self._waiting if told.text != text]
        if len(kept) < len(self._waiting):
            self._waiting = kept
            self._show()

    def job_changed(self) -> None:
        """Let go of notes about a job that is no more, but not of those that this very change brought."""
        now = time.monotonic()
        kept = [told for told in self._waiting if told.stays or now - told.since < FRESH]
        if len(kept) < len(self._waiting):
            self._waiting = kept
            self._show()

    def _show(self) -> None:
        clear(self._row)
        self._gone.stop()
        self.setVisible(bool(self._waiting))
        if self._waiting:
            self._lay_out(self._waiting[0])
        self.size_changed.emit()

    def _lay_out(self, told: _Told) -> None:
        self._last = told.text
        mark = {"caution": "warn"}.get(told.severity, told.severity)
        if mark != "note":
            self._row.addWidget(Mark(mark))
        lines = told.text.splitlines()
        shown = lines[:MOST_LINES] + ([f"and {len(lines) - MOST_LINES} more"] if len(lines) > MOST_LINES else [])
        words = label("\n".join(shown))
        words.setObjectName("note")
        words.setMinimumWidth(1)
        words.setToolTip(told.text)
        self.setFixedHeight(max(LEAST_HEIGHT, LINE * len(shown) + 10))
        self._row.addWidget(words, 1)
        if len(self._waiting) > 1:
            self._row.addWidget(label(f"1 of {len(self._waiting)}", "mark"))
        for title, run in told.offers:
            self._row.addWidget(button(title, f"remedy {title}", self._doing(run)))
        away = button("✕", "put note away", self.put_away, role="plain", tip="Put away")
        away.setAccessibleName("put away")
        self._row.addWidget(away)
        if told.severity == "note" and not told.offers:
            self._gone.start()

    def _doing(self, run: Callable[[], None]) -> Callable[[], None]:
        def do() -> None:
            self.put_away()
            run()

        return do
