"""Fields for what is swept: a setting, and from where to where."""

from __future__ import annotations

import math

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.widgets.fields import ChoiceField, NumberField
from even_step.app.widgets.sheet import label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.trials.ranges import Range, range_of

NOT_SWEPT = {"lengths", "angles"}  # several numbers in one
STEPS = 3  # each way from the value that holds now, before a hand says otherwise
SWEPT: tuple[Setting, ...] = tuple(one for one in CATALOGUE.values() if one.kind not in NOT_SWEPT)


class RangeFields(QWidget):
    """One setting with its values; or one of some other things that are asked for by name."""

    changed = Signal()

    def __init__(self, name: str, others: tuple[str, ...]) -> None:
        """``others`` stand before the settings in the list."""
        super().__init__()
        self._others = others
        self._values: dict[str, Value] = {}
        self.choice = ChoiceField(f"{name} setting", (*others, *(one.label.lower() for one in SWEPT)))
        self.choice.setMinimumWidth(300)
        self._fields = {word: NumberField(f"{name} {word}") for word in ("from", "to", "step")}
        self._words = label("", "mark", wrap=True)
        self._numbers = QWidget()
        self._numbers.setLayout(line(*(piece for word, field in self._fields.items() for piece in (word, field)), 1))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addLayout(line(self.choice, 1))
        box.addWidget(self._numbers)
        box.addWidget(self._words)
        self.choice.activated.connect(self._begin)
        for field in self._fields.values():
            field.chosen.connect(lambda _: self.changed.emit())

    @property
    def other(self) -> int:
        """Which of the other things is chosen, −1 where it is a setting."""
        at = self.choice.currentIndex()
        return at if at < len(self._others) else -1

    @property
    def setting(self) -> Setting | None:
        """The setting that is chosen."""
        at = self.choice.currentIndex() - len(self._others)
        return SWEPT[at] if at >= 0 else None

    def begin_at(self, values: dict[str, Value], choice: int) -> None:
        """Show one of the list, with values about those that hold now."""
        self._values = values
        self.choice.setCurrentIndex(choice)
        self._begin()

    def pick(self, key: str) -> None:
        """Choose a setting."""
        self.choice.setCurrentIndex(len(self._others) + [one.key for one in SWEPT].index(key))
        self._begin()

    def _begin(self, *_: object) -> None:
        setting = self.setting
        numeric = setting is not None and setting.type in {"number", "integer"}
        self._numbers.setVisible(numeric)
        self._words.setVisible(setting is not None and not numeric)
        if setting is not None and numeric:
            low, high, step = reach_of(setting, self._values[setting.key])
            for word, value in (("from", low), ("to", high), ("step", step)):
                field = self._fields[word]
                field.show_unit(setting.unit)
                field.show_value(value)
        elif setting is not None:
            self._words.setText("each of " + ", ".join(_words_of(setting)))
        self.changed.emit()

    def range(self) -> Range | None:
        """Return the values to try; none where it is no setting.

        Raises
        ------
        SettingError
            When the setting cannot have them.
        """
        setting = self.setting
        if setting is None:
            return None
        if setting.type not in {"number", "integer"}:
            return range_of(f"{setting.key}={','.join(_words_of(setting))}")
        return range_of(f"{setting.key}=" + ":".join(f"{field.value:.6g}" for field in self._fields.values()))


def _words_of(setting: Setting) -> tuple[str, ...]:
    return ("no", "yes") if setting.kind == "switch" else setting.choices


def reach_of(setting: Setting, value: Value) -> tuple[float, float, float]:
    """Return from where to where a setting is tried first, and in which steps: some each way from what holds now."""
    step = setting.step or max(10.0 ** math.floor(math.log10(max(abs(float(value)), 1.0)) - 1), 0.01)
    now = round(float(value) / step) * step
    low, high = now - STEPS * step, now + STEPS * step
    least, most = setting.advised or setting.range or (low, high)
    return round(max(low, min(least, now)), 6), round(min(high, max(most, now)), 6), step
