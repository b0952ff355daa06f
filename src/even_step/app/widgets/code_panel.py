"""The G-code of the layer in hand beside the canvas, with the line in hand marked."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QMouseEvent, QTextCursor, QTextFormat
from PySide6.QtWidgets import QLabel, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font

WIDE, LEAST, SHARE = 268, 200, 0.34  # points, and of what there is for it and the canvas


class _Text(QPlainTextEdit):
    """Read only; a click on a line goes there."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._code = desk.code_beside
        self.setReadOnly(True)
        self.setObjectName("layer code")
        self.setAccessibleName("G-code of the layer in hand")
        self.setFont(font(MARK))
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setTabChangesFocus(True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Go along the path to the line that was clicked, unless text was marked."""
        super().mouseReleaseEvent(event)
        if not self.textCursor().hasSelection():
            self._code.go_to(self.cursorForPosition(event.position().toPoint()).blockNumber())


class CodePanel(QWidget):
    """Shown while the view shows the code."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._code = desk, desk.code_beside
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._head = QLabel()
        self._head.setObjectName("layer code head")
        self._head.setWordWrap(True)
        self._text = _Text(desk)
        self._shown: str | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 8, 8, 8)
        box.addWidget(self._head)
        box.addWidget(self._text)
        self._code.changed.connect(self._refresh)
        desk.view.changed.connect(lambda piece: self._mark() if piece == "along" else None)
        self._refresh()

    @staticmethod
    def wide_of(room: int) -> int:
        """Return how wide it is beside a canvas, of so many points for both."""
        return max(LEAST, min(WIDE, round(SHARE * room)))

    def _refresh(self) -> None:
        text = self._code.text
        if text != self._shown:
            self._shown = text
            self._text.setPlainText("" if text is None else text)
        self._mark()

    def _mark(self) -> None:
        """Mark the line in hand and bring it into view."""
        if self._code.text is None:
            trial = self._desk.trials.shown
            there = trial is not None and trial.lines is not None
            waiting = "G-code: being written…" if there else "Slice (F5) to see its G-code."
            self._head.setText(self._code.fault or waiting)
            self._text.setExtraSelections([])
            return
        layer, line = self._desk.view.layers[1], self._code.line
        self._head.setText(f"G-code of layer {layer + 1}, line {line + 1}")
        cursor = QTextCursor(self._text.document().findBlockByNumber(line))
        marked = QTextEdit.ExtraSelection()
        marked.cursor = cursor
        marked.format.setBackground(QColor(PAPER.wash))
        marked.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
        self._text.setExtraSelections([marked])
        if not self._text.textCursor().hasSelection():
            self._text.setTextCursor(cursor)
            self._text.centerCursor()
