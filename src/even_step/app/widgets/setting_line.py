"""A setting on a sheet: name, where its value comes from, the value; on focus what it does."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.widgets.drawings import DRAWINGS, SettingDrawing
from even_step.app.widgets.fields import ChoiceField, NumberField, NumbersField, SwitchField
from even_step.app.widgets.sheet import button, label, line
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.errors import SettingError
from even_step.core.idle import Idle, idle
from even_step.core.job.cascade import limit_of, tools_of
from even_step.core.job.differences import value_text

Field = NumberField | NumbersField | ChoiceField | SwitchField


def field_for(
    setting: Setting, check: Callable[[float], object], chosen: Callable[[object], None], where: str = "setting"
) -> Field:
    """Return the field for a kind of setting."""
    name = f"{where} {setting.key}"
    field: Field
    if setting.kind == "choice":
        field = ChoiceField(name, setting.choices)
        field.activated.connect(lambda index: chosen(setting.choices[index]))
    elif setting.kind == "switch":
        field = SwitchField(name)
        field.clicked.connect(chosen)
    elif setting.type == "numbers":
        field = NumbersField(name, setting.unit, setting.value_of)
        field.chosen.connect(chosen)
    else:
        decimals = 0 if setting.kind == "count" else 3
        field = NumberField(name, setting.unit, decimals=decimals, step=setting.step or 1.0, check=check)
        field.chosen.connect(chosen)
    field.setAccessibleName(setting.label)
    return field


class SettingLine(QWidget):
    """One line of a sheet, bound to the job; ``refresh`` fills it in."""

    opened = Signal(object)

    def __init__(self, setting: Setting, desk: Desk, where: str = "setting") -> None:
        """``where`` begins the names of its pieces, for a setting may have a line on another sheet too."""
        super().__init__()
        self.setting, self._desk = setting, desk
        self._changed = self._is_idle = False
        self.setObjectName(f"line {setting.key}")
        self._box = box = QVBoxLayout(self)
        box.setContentsMargins(8, 1, 0, 1)
        box.setSpacing(4)
        self._origin = label("", "mark")
        self.field = field_for(setting, self._check, self._choose, where)
        self.field.entered.connect(lambda: self.opened.emit(self))
        self._name = label(setting.label)
        self._name.setBuddy(self.field)
        box.addLayout(line(self._name, 1, self._origin, self.field))
        self._wrong = label("", "stop", wrap=True)
        self._wrong.hide()
        box.addWidget(self._wrong)
        if isinstance(self.field, NumberField | NumbersField):
            self.field.refused.connect(self._refuse)
        if isinstance(self.field, NumberField):
            self.field.restored.connect(self.refresh)
        self._detail: QWidget | None = None  # made when it is opened: most lines never are

    def _make_detail(self) -> QWidget:
        detail = QWidget(self)
        inside = QVBoxLayout(detail)
        inside.setContentsMargins(8, 6, 8, 6)
        inside.setSpacing(4)
        self._drawing = SettingDrawing(self.setting) if self.setting.key in DRAWINGS else None
        if self._drawing:
            inside.addWidget(self._drawing)
        inside.addWidget(label(self.setting.explanation, wrap=True))
        self._facts = label("", "mark", wrap=True)
        inside.addWidget(self._facts)
        self._back = button("back", f"back {self.setting.key}", self._go_back, role="link")
        inside.addWidget(self._back)
        return detail

    def open(self, *, opened: bool) -> None:
        """Show or hide what the setting does."""
        if self._detail is None and opened:
            self._detail = self._make_detail()
            self._box.addWidget(self._detail)
            self._fill_detail()
        if self._detail is not None:
            self._detail.setVisible(opened)

    def _fill_detail(self) -> None:
        whose, key = self._desk.whose, self.setting.key
        value, under = whose.resolved.values[key], whose.under(key)
        self._facts.setText(self._told(under))
        self._back.setText(f"back to {value_text(self.setting, under)}")
        self._back.setVisible(self._changed)
        if self._drawing:
            self._drawing.show_values(value, under)

    def refresh(self) -> None:
        """Show the value as it is now."""
        whose, key = self._desk.whose, self.setting.key
        value = whose.resolved.values[key]
        self._changed = whose.is_own(key)
        self.field.blockSignals(True)
        if isinstance(self.field, SwitchField):
            self.field.setChecked(bool(value))
        elif isinstance(self.field, ChoiceField):
            self.field.show_value(str(value))
        elif isinstance(self.field, NumbersField):
            self.field.show_value(value)
        else:
            self.field.show_value(float(value))
        self.field.blockSignals(False)
        rule = self._idle_because()
        origin = "not alike" if whose.differs(key) else whose.resolved.origin[key]
        self._origin.setText("idle" if rule else origin)
        self._origin.setToolTip(f"No effect: {rule.because}. To give it one: {rule.remedy}." if rule else "")
        if self._is_idle != (rule is not None):  # to be styled anew takes long
            self._is_idle = rule is not None
            self._name.setProperty("role", "faint" if rule else "")
            self._name.style().polish(self._name)
        if self._detail is not None:
            self._fill_detail()
        complaint = whose.complaints.get(key)
        caution = self._advice(value)
        if complaint or caution:
            self._tell(complaint.told if complaint else caution, "stop" if complaint else "caution")
        else:
            self._wrong.hide()
        self.update()

    def _idle_because(self) -> Idle | None:
        """Return why it has no effect here, if it has none."""
        values, machine = self._desk.whose.resolved.values, self._desk.job.machine
        tool = min(tools_of(values)["walls"], len(machine.extruders) - 1)
        bore = machine.extruders[tool].bore
        rule = idle(self.setting.key, values, bore)
        elsewhere = ({**values, **zone.holds} for zone in self._desk.whose.zones_within) if rule else ()
        return rule if all(idle(self.setting.key, other, bore) for other in elsewhere) else None

    def _told(self, under: Value) -> str:
        rule = self._idle_because()
        pieces = [f"No effect: {rule.because}. To give it one: {rule.remedy}."] if rule else []
        limit = limit_of(self.setting, self._desk.job.machine)
        if limit and self.setting.unit:
            low, high = self._range()
            pieces.append(f"{self._desk.job.machine.name}: {low:g} to {high:g} {self.setting.unit}.")
        elif self.setting.range:
            pieces.append(f"{self.setting.range_text()}.")
        if self._changed:
            pieces.append(f"Without this change: {value_text(self.setting, under)}.")
        elsewhere = self._desk.whose.elsewhere(self.setting.key)
        if elsewhere:
            pieces.append(
                f"{elsewhere[0] if len(elsewhere) == 1 else f'{len(elsewhere)} parts'} with a value of its own."
            )
        return " ".join(pieces)

    def _advice(self, value: Value) -> str:
        advised = self.setting.advised
        if advised is None or isinstance(value, str) or advised[0] <= float(value) <= advised[1]:
            return ""
        return f"Outside what is advised: {advised[0]:g} to {advised[1]:g} {self.setting.unit}".rstrip()

    def _check(self, value: float) -> None:
        """Refuse what the machine or the catalogue refuses, with the range that holds of both."""
        low, high = self._range()
        limit = limit_of(self.setting, self._desk.job.machine)
        if limit and not low <= value <= high:
            raise SettingError(
                f"{value:g} {self.setting.unit} is outside what {self._desk.job.machine.name} can do",
                remedy=f"{low:g} to {high:g} {self.setting.unit}",
            )
        self.setting.value_of(value)

    def _range(self) -> tuple[float, float]:
        """Return what both the setting and the machine allow."""
        low, high = self.setting.range or (-math.inf, math.inf)
        limit = limit_of(self.setting, self._desk.job.machine) or (low, high)
        return max(low, limit[0]), min(high, limit[1])

    def _refuse(self, why: str) -> None:
        self._tell(why, "stop")

    def _tell(self, words: str, role: str) -> None:
        self._wrong.setText(words)
        self._wrong.setProperty("role", role)
        self._wrong.style().polish(self._wrong)
        self._wrong.show()

    def _choose(self, value: object) -> None:
        key = self.setting.key
        whose = self._desk.whose
        typed = self.setting.value_of(value)
        if typed == whose.resolved.values[key] and not whose.differs(key):
            self.refresh()
        elif whose.is_own(key) and typed == whose.under(key):
            self._go_back()
        else:
            name = f"{self.setting.label.lower()} {value_text(self.setting, typed)}{self._for_whom()}"
            edit(self._desk, name, whose.set(key, typed), f"setting {key} {whose.parts} {whose.zone}")

    def _for_whom(self) -> str:
        return f" for {self._desk.whose.name}" if self._desk.whose.parts else ""

    def _go_back(self) -> None:
        key = self.setting.key
        edit(self._desk, f"{self.setting.label.lower()} back{self._for_whom()}", self._desk.whose.take_back([key]))

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw the bar of a changed setting and the ground of an open one."""
        painter = QPainter(self)
        if self._detail is not None and self._detail.isVisible():
            painter.fillRect(self.rect(), QColor(PAPER.paper))
        if self._changed:
            painter.fillRect(0, 2, 3, self.height() - 4, QColor(PAPER.accent))
        painter.end()
