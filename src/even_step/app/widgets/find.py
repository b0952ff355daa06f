"""Find: settings and actions in one list, by any word of theirs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from even_step.app.widgets.sheet import label, line

MOST = 60
HINT = "Try one plain word: strong, faster, strings, top, hole."


@dataclass(frozen=True)
class Entry:
    """Something that can be found: its title, a remark at the right, all its words, and what choosing it does."""

    title: str
    remark: str
    words: str
    run: Callable[[], None]
    enabled: bool = True


def matches(entries: list[Entry], text: str) -> list[Entry]:
    """Return the entries that hold every word typed, those whose title begins with it first."""
    words = text.lower().split()
    found = [entry for entry in entries if all(word in entry.words for word in words)]
    return sorted(
        found, key=lambda e: (not e.title.lower().startswith(text.lower()), text.lower() not in e.title.lower())
    )


class Find(QDialog):
    """Type, choose with Up and Down, Enter runs."""

    def __init__(self, entries: list[Entry], parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("find")
        self._entries = entries
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 8, 8, 8)
        self.field = QLineEdit()
        self.field.setObjectName("find text")
        self.field.setPlaceholderText("a setting, an action, or what it does")
        self.field.setAccessibleName("find")
        box.addWidget(self.field)
        self.list = QListWidget()
        self.list.setObjectName("found")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        box.addWidget(self.list)
        self.setFixedSize(420, 360)
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(self._run)
        self._fill("")

    def _fill(self, text: str) -> None:
        self.list.clear()
        for entry in matches(self._entries, text)[:MOST]:
            item = QListWidgetItem(self.list)
            item.setData(Qt.ItemDataRole.UserRole, entry)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{entry.title} {entry.remark}")
            row = QWidget()
            title = label(entry.title)
            title.setEnabled(entry.enabled)
            pieces = line(title, 1, label(entry.remark, "mark"))
            pieces.setContentsMargins(6, 2, 6, 2)
            row.setLayout(pieces)
            item.setSizeHint(row.sizeHint())
            self.list.setItemWidget(item, row)
        if self.list.count() == 0:
            nothing = QListWidgetItem(f"Nothing for “{text}”. {HINT}", self.list)
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        """Choose with Up and Down, run with Enter."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}
            step = steps.get(Qt.Key(event.key()))
            if step:
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
                self._run(self.list.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _run(self, item: QListWidgetItem | None) -> None:
        entry = item.data(Qt.ItemDataRole.UserRole) if item else None
        if isinstance(entry, Entry) and entry.enabled:
            self.accept()
            entry.run()
