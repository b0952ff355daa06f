"""What there is to tell of the line that was asked: how it is laid, and which settings make it so."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from even_step.app.acts.looking import put_pin
from even_step.app.desk import Desk
from even_step.app.widgets.sheet import Group, button, clear, label, line
from even_step.core.catalogue import find_setting
from even_step.core.line_story import LineStory, Reason

FROM = {"default": "as usual", "machine": "the machine", "material": "the material", "recipe": "the recipe"}
FROM |= {"job": "the job", "part": "the part", "zone": "the zone"}


class LineRows(Group):
    """Shown while a line is asked."""

    def __init__(self, desk: Desk, reveal: Callable[[str], None]) -> None:
        """``reveal`` shows a setting on the recipe's sheet."""
        super().__init__("The line", "click one, or Q")
        self.setObjectName("asked line")
        self._asked, self._trials, self._reveal = desk.asked_line, desk.trials, reveal
        self._put = partial(put_pin, desk)
        desk.asked_line.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is known of it."""
        clear(self.body)
        self.setVisible(self._asked.path >= 0)
        story, trial = self._asked.story, self._trials.shown
        if story is None or trial is None:
            self.add(label("asking…", "mark"))
            return
        told = label(self._about(story), wrap=True)
        told.setObjectName("line told")
        self.add(told)
        for one in story.reasons:
            self._add_reason(one)
        pin = button("Pin this place", "put pin", self._put, tip="Look at it again after every slice (Ctrl+F9)")
        row = line(pin, 1)
        row.setContentsMargins(8, 6, 0, 4)
        self.add(row)
        for number in story.findings:
            self.add(label(f"belongs to: {trial.report['findings'][number]['message']}", wrap=True))

    def _about(self, story: LineStory) -> str:
        trial = self._trials.shown
        names = {part.id: part.name for part in trial.job.parts} if trial else {}
        of = f" of {names[story.part_id]}" if story.part_id in names else ""
        zones = f", in zone {' and '.join(story.zones)}" if story.zones else ""
        return f"{story.role.replace('-', ' ')}{of}, layer {story.layer + 1}, z {self._asked.place[2]:.2f} mm{zones}"

    def _add_reason(self, one: Reason) -> None:
        head = line(label(one.what), 1, label(one.value, "head"))
        head.setContentsMargins(8, 2, 2, 0)
        self.add(head)
        if not one.why:
            return
        origin = f" (from {FROM[one.origin]})" if FROM.get(one.origin, "as usual") != "as usual" else ""
        row = line(label(one.why + origin, "mark", wrap=True), spacing=6)
        row.setContentsMargins(8, 0, 2, 0)
        row.setStretch(0, 1)
        if one.key:
            name = find_setting(one.key).label
            row.addWidget(
                button("set…", f"reveal {one.key}", partial(self._reveal, one.key), role="link", tip=f"Show {name}")
            )
        self.add(row)
