"""The order in which parts are laid one by one: as it is wished, the others after in the safest one."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.widgets.sheet import Group, button, clear, label, line
from even_step.core.job import edits
from even_step.core.job.model import Part

WIDE = 28  # points of a button


class OrderFields(Group):
    """A line a part on the bed in view; shown while parts are laid one by one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("One by one")
        self._desk = desk
        self._hint = label("", "mark", wrap=True)
        self.add(self._hint)
        self._lines = QVBoxLayout()
        self._lines.setSpacing(2)
        self.add(self._lines)
        self._shown: object = None

    def refresh(self) -> None:
        """Show who is laid when."""
        here = {spot.part for spot in self._desk.spots}
        parts = [part for part in self._desk.job.parts if part.id in here]
        shown = len(parts) > 1 and self._desk.resolved.values["order.parts"] == "one-by-one"
        self.setVisible(shown)
        wished = [part for name in self._desk.job.order for part in parts if part.id == name]
        others = [part for part in parts if part not in wished]
        now = shown, [(part.id, part.name) for part in (*wished, *others)], len(wished)
        if now == self._shown:
            return
        self._shown = now
        self._hint.setText(
            "The others come after, in the safest order."
            if wished and others
            else ("" if wished else "In the safest order: what is lower comes first.")
        )
        clear(self._lines)
        for number, part in enumerate(wished):
            self._lines.addLayout(self._wished(number, part, wished))
        for part in others:
            after = button("next", f"lay next {part.id}", partial(self._lay, [*wished, part], part), role="link")
            after.setToolTip(f"Lay {part.name} {'after those above' if wished else 'first'}")
            self._lines.addLayout(line(label("–", "faint"), label(part.name), 1, after))

    def _wished(self, number: int, part: Part, wished: list[Part]) -> QHBoxLayout:
        """Return the line of a part that has its place in the order."""
        left = wished[:number] + wished[number + 1 :]
        earlier = self._button("↑", f"earlier {part.id}", f"Lay {part.name} earlier", left, part, number - 1)
        later = self._button("↓", f"later {part.id}", f"Lay {part.name} later", left, part, number + 1)
        earlier.setEnabled(number > 0)
        later.setEnabled(number < len(left))
        free = button("✕", f"anywhere {part.id}", partial(self._lay, left, part), role="plain")
        free.setToolTip(f"Lay {part.name} where it is safest")
        free.setAccessibleName(free.toolTip())
        return line(label(f"{number + 1}", "faint"), label(part.name), 1, earlier, later, free)

    def _button(self, sign: str, name: str, told: str, left: list[Part], part: Part, place: int) -> QPushButton:
        made = button(sign, name, partial(self._lay, [*left[:place], part, *left[place:]], part), tip=told)
        made.setAccessibleName(told)
        made.setFixedWidth(WIDE)
        return made

    def _lay(self, parts: Sequence[Part], moved: Part) -> None:
        """Lay the parts of this bed in an order; those of other beds keep theirs."""
        here = {spot.part for spot in self._desk.spots}
        others = [name for name in self._desk.job.order if name not in here]
        names = [*(part.id for part in parts), *others]
        edit(self._desk, f"order of {moved.name}", lambda job: edits.in_order(job, names))
