"""The top line: the job's name, the menus, undo and redo, and find."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QHBoxLayout, QMenuBar, QSizePolicy, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.theme.icons import icon
from even_step.app.theme.type import font
from even_step.app.widgets.fields import TextField
from even_step.app.widgets.marks import Mark
from even_step.app.widgets.sheet import button

HEIGHT = 40
LONGEST_NAME = 80


class TopLine(QWidget):
    """Shows what is worked on."""

    wants = Signal(str)

    def __init__(self, desk: Desk, menus: QMenuBar, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("topline")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        self._desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 14, 4)
        row.setSpacing(6)
        self.name = TextField()
        self.name.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.name.setObjectName("job name")
        self.name.setAccessibleName("name of the job")
        self.name.setToolTip("The job's name")
        self.name.setMaxLength(LONGEST_NAME)
        self.name.setStyleSheet(
            "QLineEdit { background: transparent; font-weight: bold; border-bottom: 1px solid transparent; }"
        )
        self.name.editingFinished.connect(self._rename)
        row.addWidget(self.name)
        self._dot = Mark("changed")
        self._dot.setToolTip("Changed since it was last saved")
        row.addWidget(self._dot)
        menus.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        row.addWidget(menus)
        row.addStretch(1)
        self.undo = button("Undo", "undo", lambda: self.wants.emit("edit.undo"))
        self.undo.setIcon(icon("undo-2"))
        self.redo = button("Redo", "redo", lambda: self.wants.emit("edit.redo"))
        self.redo.setIcon(icon("redo-2"))
        self.finder = button("Find a setting or an action   Ctrl+K", "open find", lambda: self.wants.emit("edit.find"))
        self.finder.setIcon(icon("search"))
        self.finder.setStyleSheet("text-align: left;")
        self.finder.setMinimumWidth(250)
        for piece in (self.undo, self.redo, self.finder):
            piece.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(piece)
        desk.store.changed.connect(self.refresh)
        self.refresh()

    def _rename(self) -> None:
        name = self.name.text().strip()
        if name and name != self._desk.job.name:
            edit(self._desk, f"name {name}", lambda job: job.model_copy(update={"name": name}))
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Show name, mark, and what undo would undo."""
        store = self._desk.store
        if not (self.name.hasFocus() and self.name.isModified()):
            self.name.setText(store.job.name)
            self.name.setCursorPosition(0)
            wide = QFontMetrics(font(bold=True)).horizontalAdvance(store.job.name) + 18
            self.name.setFixedWidth(round(min(max(wide, 80), 220)))
        self._dot.setVisible(not store.is_saved)
        metrics = self.undo.fontMetrics()
        for piece, word, name in ((self.undo, "Undo", store.undo_name), (self.redo, "Redo", store.redo_name)):
            whole = f"{word} {name}".strip()
            piece.setText(metrics.elidedText(whole, Qt.TextElideMode.ElideRight, 170))
            piece.setToolTip(f"{whole} ({'Ctrl+Z' if word == 'Undo' else 'Ctrl+Shift+Z'})")
            piece.setEnabled(bool(name))
