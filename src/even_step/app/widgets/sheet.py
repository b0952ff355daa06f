"""The pieces a sheet is made of: a title, groups that fold, lines of label and value."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

MARGIN = 14


def label(text: str, role: str = "", *, wrap: bool = False) -> QLabel:
    """Return a text in one of the roles of the style sheet."""
    made = QLabel(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setMinimumWidth(1)  # a long text is cut rather than the sheet made wider than the window shows
    return made


def rule() -> QFrame:
    """Return a ruled line."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line


def button(text: str, name: str, clicked: Callable[[], object], *, role: str = "", tip: str = "") -> QPushButton:
    """Return a button that does something."""
    made = QPushButton(text)
    made.setObjectName(name)
    made.setProperty("role", role)
    made.setToolTip(tip)
    made.setAutoDefault(False)
    made.clicked.connect(lambda *_: clicked())
    return made


def line(*pieces: QWidget | str | int, spacing: int = 6) -> QHBoxLayout:
    """Return pieces side by side: widgets, texts, and numbers for stretches."""
    row = QHBoxLayout()
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(spacing)
    for piece in pieces:
        if isinstance(piece, int):
            row.addStretch(piece)
        else:
            row.addWidget(label(piece) if isinstance(piece, str) else piece)
    return row


def clear(layout: QLayout) -> None:
    """Take everything out of a layout and let it go."""
    while (item := layout.takeAt(0)) is not None:
        widget, inner = item.widget(), item.layout()
        if widget:
            widget.hide()
            widget.deleteLater()
        elif inner:
            clear(inner)


class Group(QWidget):
    """A heading with lines under it; the heading folds them away."""

    def __init__(self, title: str, note: str = "", *, ruled: bool = True) -> None:
        super().__init__()
        self.setObjectName(f"group {title}")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 8)
        outer.setSpacing(4)
        if ruled:
            outer.addWidget(rule())
            outer.addSpacing(4)
        self._fold = QPushButton(title)
        self._fold.setObjectName(f"fold {title}")
        self._fold.setProperty("role", "heading")
        self._fold.setCheckable(True)
        self._fold.setChecked(True)
        self._fold.setToolTip("Fold or unfold")
        self.note = label(note, "mark")
        outer.addLayout(line(self._fold, self.note, 1))
        self._inside = QWidget()
        self.body = QVBoxLayout(self._inside)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(4)
        outer.addWidget(self._inside)
        self._fold.toggled.connect(self._inside.setVisible)

    def add(self, piece: QWidget | QLayout) -> None:
        """Add a line."""
        if isinstance(piece, QWidget):
            self.body.addWidget(piece)
        else:
            self.body.addLayout(piece)


class Sheet(QScrollArea):
    """A station's sheet: a title with a remark, then groups; scrolls when it is longer than the window."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setObjectName(f"sheet {title}")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        inside.setObjectName("sheet")
        self._lines = QVBoxLayout(inside)
        self._lines.setContentsMargins(MARGIN, 12, MARGIN, 12)
        self._lines.setSpacing(2)
        self.remark = label("", "mark")
        self._lines.addLayout(line(label(title, "title"), self.remark, 1))
        self._lines.addSpacing(4)
        self._lines.addStretch(1)
        self.setWidget(inside)

    def add(self, piece: QWidget | QLayout) -> None:
        """Add a piece at the end."""
        if isinstance(piece, QWidget):
            self._lines.insertWidget(self._lines.count() - 1, piece)
        else:
            self._lines.insertLayout(self._lines.count() - 1, piece)
