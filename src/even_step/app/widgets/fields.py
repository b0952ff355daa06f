"""Fields: a number with its unit, a choice, a switch. What is refused says why and leaves the value."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QKeySequence, QWheelEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QSlider, QWidget

from even_step.core.catalogue.setting import Value
from even_step.core.errors import EvenStepError
from even_step.core.quantity import quantity

Check = Callable[[float], object]


WIDTH, MARGIN = 86, 16  # of a number field, points


def _is_the_windows(event: QKeyEvent) -> bool:
    """Tell whether a key with Ctrl is one of the window's and none that edits a text."""
    if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
        return False
    keys = QKeySequence.StandardKey
    if any(event.matches(key) for key in (keys.Copy, keys.Paste, keys.Cut, keys.SelectAll)):
        return False
    moves = {
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_Home,
        Qt.Key.Key_End,
        Qt.Key.Key_Backspace,
        Qt.Key.Key_Delete,
    }
    return event.key() not in moves


class TextField(QLineEdit):
    """A line of text that shares its keys with the window."""

    def event(self, event: QEvent) -> bool:
        """Keep the keys that step; leave undo to the job unless a text is being typed."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Escape}:
                event.accept()
                return True
            undoes = event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)
            if (undoes and not self.isModified()) or (not undoes and _is_the_windows(event)):
                event.ignore()
                return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Leave with Enter or Escape: the keyboard goes back to the canvas."""
        super().keyPressEvent(event)
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape}:
            self.leave()

    def leave(self) -> None:
        """Give the keyboard to the canvas, where there is one."""
        canvas = self.window().findChild(QWidget, "canvas")
        if isinstance(canvas, QWidget) and self.hasFocus():
            canvas.setFocus(Qt.FocusReason.OtherFocusReason)


class NumberField(TextField):
    """A number with its unit. Sums and other units may be typed; Up and Down step."""

    chosen = Signal(float)
    refused = Signal(str)
    restored = Signal()
    entered = Signal()

    def __init__(
        self,
        name: str,
        unit: str = "",
        *,
        decimals: int = 2,
        step: float = 1.0,
        check: Check | None = None,
        width: int = WIDTH,
    ) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(width)
        self._least_width = width
        self._unit, self._decimals, self._step, self._check = unit, decimals, step, check
        self._value = 0.0
        self.editingFinished.connect(self._take)

    @property
    def value(self) -> float:
        """The number it holds."""
        return self._value

    def show_unit(self, unit: str) -> None:
        """Take numbers of another unit from now on."""
        self._unit = unit

    def show_value(self, value: float) -> None:
        """Show a number; what is being typed is left alone."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self._write()

    def _write(self) -> None:
        text = f"{self._value:.{self._decimals}f}"
        if "." in text:
            whole, _, rest = text.partition(".")
            text = (
                f"{whole}.{rest.rstrip('0') or '0'}"
                if self._decimals == 1
                else f"{whole}.{rest}".rstrip("0").rstrip(".")
            )
        text = "0" if text == "-0" else text
        self.setText(f"{text} {self._unit}".strip())
        # A figure whose first digits are cut off would be another figure.
        self.setFixedWidth(max(self._least_width, self.fontMetrics().horizontalAdvance(self.text()) + MARGIN))
        self.setModified(False)
        self._mark_wrong("")

    def _mark_wrong(self, why: str) -> None:
        self.setProperty("wrong", "true" if why else "false")
        self.setToolTip(why)
        self.style().unpolish(self)
        self.style().polish(self)

    def read(self, text: str) -> float:
        """Return the number a text stands for."""
        return quantity(text, self._unit)

    def _take(self) -> None:
        if not self.isModified():
            return
        try:
            value = self.read(self.text())
            if self._check:
                self._check(value)
        except EvenStepError as error:
            self._mark_wrong(error.told)
            self.refused.emit(error.told)
            return
        self._value = value
        self._write()
        self.chosen.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Step with Up and Down; Escape goes back to the value."""
        if event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            way = 1 if event.key() == Qt.Key.Key_Up else -1
            factor = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self.setText(f"{round(self._value + way * factor * self._step, 9):g}")
            self.setModified(True)
            self._take()
            self.selectAll()
        elif event.key() == Qt.Key.Key_Escape:
            self._write()
            self.leave()
        else:
            super().keyPressEvent(event)

    def leave(self) -> None:
        """Give the keyboard away, unless what was typed is refused."""
        if self.property("wrong") != "true":
            super().leave()

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Pick the whole text, ready to be typed over."""
        super().focusInEvent(event)
        self.selectAll()
        self.entered.emit()

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Leave a refused text behind."""
        super().focusOutEvent(event)
        self._write()
        self.restored.emit()


class NumbersField(TextField):
    """One number or several, with blanks between them; taken by Enter or by leaving it."""

    chosen = Signal(object)
    refused = Signal(str)
    entered = Signal()

    def __init__(self, name: str, unit: str, check: Callable[[object], Value]) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(WIDTH)
        self._unit, self._check, self._value = unit, check, ""
        self.editingFinished.connect(self._take)

    def show_value(self, value: Value) -> None:
        """Show the numbers; what is being typed is left alone."""
        self._value = f"{value} {self._unit}" if isinstance(value, str) else f"{value:g} {self._unit}"
        if value == "":
            self._value = ""
            self.setPlaceholderText("any")
        if not (self.hasFocus() and self.isModified()):
            self.setText(self._value)
            self.setModified(False)
            wide = self.fontMetrics().horizontalAdvance(self._value) + MARGIN
            self.setFixedWidth(min(max(WIDTH, wide), 2 * WIDTH))

    def _take(self) -> None:
        if not self.isModified():
            return
        self.setModified(False)
        try:
            value = self._check(self.text())
        except EvenStepError as error:
            self.setText(self._value)
            self.refused.emit(error.told)
            return
        self.chosen.emit(value)

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Pick the whole text, ready to be typed over."""
        super().focusInEvent(event)
        self.selectAll()
        self.entered.emit()


def keeps_arrows(event: QEvent) -> bool:
    """Take an arrow key that would else nudge what is picked, for whoever has the keyboard."""
    if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
        return False
    arrows = {Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down}
    takes = event.key() in arrows and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
    if takes:
        event.accept()
    return takes


class ChoiceField(QComboBox):
    """One word of a few; the wheel scrolls the sheet, not the choice."""

    entered = Signal()

    def __init__(self, name: str, choices: tuple[str, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName(name)
        self.addItems([choice.replace("-", " ") for choice in choices])
        self._choices = choices
        self.setMinimumWidth(86)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def event(self, event: QEvent) -> bool:
        """Keep the keys that step."""
        return keeps_arrows(event) or super().event(event)

    def show_value(self, value: str) -> None:
        """Show a choice."""
        self.setCurrentIndex(self._choices.index(value))

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802 - Qt's name
        """Leave the wheel to the sheet."""
        event.ignore()

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Tell."""
        super().focusInEvent(event)
        self.entered.emit()


class SwitchField(QCheckBox):
    """On or off."""

    entered = Signal()

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName(name)

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Tell."""
        super().focusInEvent(event)
        self.entered.emit()


class Slider(QSlider):
    """A level slider that keeps the arrow keys to itself while it has the keyboard."""

    def __init__(self, name: str, most: int, value: int) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setObjectName(name)
        self.setRange(0, most)
        self.setValue(value)

    def event(self, event: QEvent) -> bool:
        """Keep the keys that step."""
        return keeps_arrows(event) or super().event(event)

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802 - Qt's name
        """Leave the wheel to the sheet, which scrolls."""
        event.ignore()


class WordsField(QLineEdit):
    """A line of words; left, it shows how they begin."""

    def __init__(self, name: str, hint: str, longest: int) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(name)
        self.setPlaceholderText(hint)
        self.setMaxLength(longest)

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Go back to the beginning."""
        super().focusOutEvent(event)
        self.setCursorPosition(0)
