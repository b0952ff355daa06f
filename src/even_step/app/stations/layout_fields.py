"""How the parts are laid out: the spacing, whether they may be turned, gather and fill."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QCheckBox

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import Group, button, line
from even_step.core.errors import JobError
from even_step.core.job.model import Layout

MOST_SPACING = 200.0


def _spacing(value: float) -> None:
    if not 0 <= value <= MOST_SPACING:
        raise JobError(f"{value:g} mm is no spacing", remedy=f"0 to {MOST_SPACING:g} mm")


class LayoutFields(Group):
    """The job's layout; what it says holds for gathering, filling and for parts that come in."""

    def __init__(self, desk: Desk, wants: Callable[[str], None]) -> None:
        super().__init__("Lay out")
        self._desk = desk
        self._spacing = NumberField("spacing", "mm", decimals=1, check=_spacing)
        self._spacing.setAccessibleName("spacing between parts")
        self._spacing.chosen.connect(lambda value: self._change("spacing", spacing=value))
        self._spacing.refused.connect(lambda text: desk.note(text, "stop"))
        self._turning = QCheckBox("quarter turns allowed")
        self._turning.setObjectName("turning")
        self._turning.clicked.connect(lambda on: self._change("turns of parts", turning=on))
        self.add(line("between parts", 1, self._spacing))
        self.add(self._turning)
        gather = button("Gather  G", "gather all", lambda: wants("parts.gather"), tip="Arrange all parts (G)")
        self._fill = button("Fill the bed", "fill", lambda: wants("parts.fill"), tip="With copies of the part in hand")
        self.add(line(gather, self._fill, 1))
        self.refresh()

    def _change(self, what: str, **fields: object) -> None:
        edit(
            self._desk,
            f"change {what}",
            lambda job: job.model_copy(update={"layout": Layout.model_validate(dict(job.layout) | fields)}),
        )

    def refresh(self) -> None:
        """Show the layout of the job."""
        layout = self._desk.job.layout
        self._spacing.show_value(layout.spacing)
        self._turning.setChecked(layout.turning)
        self._fill.setEnabled(self._desk.selection.in_hand is not None)
