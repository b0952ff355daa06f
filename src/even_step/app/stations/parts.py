"""The station Parts: the list, and below it the exact fields of the tool in hand."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QVBoxLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.files import JobFiles
from even_step.app.stations.body_fields import BodyFields, ReadFields
from even_step.app.stations.layout_fields import LayoutFields
from even_step.app.stations.measure_fields import MeasureFields
from even_step.app.stations.order_fields import OrderFields
from even_step.app.stations.own_fields import OwnFields
from even_step.app.stations.part_fields import CopyFields, MoveFields, ToolFields, TurnFields
from even_step.app.stations.part_rows import PartRows
from even_step.app.stations.pose_fields import PoseFields
from even_step.app.stations.reading_rows import ReadingRows
from even_step.app.stations.size_fields import SizeFields
from even_step.app.stations.zone_fields import ZoneFields
from even_step.app.theme.icons import icon
from even_step.app.view import TOOLS
from even_step.app.widgets.sheet import Group, Sheet, button, label, line
from even_step.core.job.spots import Spot, part_of
from even_step.core.mesh.mesh import Mesh

if TYPE_CHECKING:
    from even_step.core.figures import PoseFigures

TOOL_WORDS = {
    "move": ("Move", "W"),
    "turn": ("Turn", "E"),
    "size": ("Size", "R"),
    "pose": ("Pose", "P"),
    "measure": ("Measure", "M"),
}
HINTS = {
    "face": "Click the face that is to lie on the bed.",
    "zone": "Click where the zone begins on a part, where it ends, then its height. "
    "Enter puts one in the middle of the picked part, Esc leaves.",
    "zone-face": "Click the face that the zone is of. Esc leaves.",
    "zone-backing": "Click the face behind which it is to be full. Esc leaves.",
}
#: The tool whose fields are shown while another, which only points, is in hand.
SHOWN_FOR = {"face": "turn", "zone": "move", "zone-face": "move", "zone-backing": "move"}


class PartsStation(Sheet):
    """What is on the bed, and how it stands."""

    wants = Signal(str)

    def __init__(self, desk: Desk, files: JobFiles) -> None:
        super().__init__("Parts")
        self._desk, self._files = desk, files
        self._marked: dict[str, tuple[str, str]] = {}
        self._figures_of: object = None
        self.rows = PartRows(desk, lambda part: self._marked.get(part, ("", "")))
        self.add(self.rows)
        self.add(ReadingRows(files))
        self._empty = self._make_empty()
        self.add(self._empty)
        self.add(self._make_buttons())
        self._bodies = BodyFields(desk, self.wants.emit)
        self.add(self._bodies)
        self._told = ReadFields(desk, self.wants.emit)
        self.add(self._told)
        self._tools = self._make_tools()
        self.add(self._tools)
        self._hint = label("", "mark", wrap=True)
        self.add(self._hint)
        self._measure = MeasureFields(desk)
        self.add(self._measure)
        self.poses = PoseFields(desk)
        self._fields: list[ToolFields] = [MoveFields(desk), TurnFields(desk), SizeFields(desk), self.poses]
        self._copies, self._own, self._zones = CopyFields(desk), OwnFields(desk), ZoneFields(desk, self.wants.emit)
        for group in (*self._fields, self._copies, self._own, self._zones):
            self.add(group)
        self._figures = self._make_figures()
        self.add(self._figures)
        self._order = OrderFields(desk)
        self.add(self._order)
        self._layout = LayoutFields(desk, self.wants.emit)
        self.add(self._layout)
        desk.store.changed.connect(self.refresh)
        desk.selection.changed.connect(self.refresh)
        desk.shelf.arrived.connect(self.refresh)
        desk.view.changed.connect(lambda piece: self.refresh() if piece in {"tool", "bed"} else None)
        desk.zoning.changed.connect(self._reveal_zone)
        files.reading_changed.connect(self._show_empty)
        self.refresh()

    def _make_empty(self) -> QWidget:
        empty = QWidget()
        box = QVBoxLayout(empty)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(label("Nothing on the bed yet. Drop models here, or bring them in.", wrap=True))
        for path in self._files.recent:
            name = Path(path).name
            opened = button(name, f"recent {name}", partial(self._files.bring_in, [path]), role="link", tip=path)
            box.addWidget(opened)
        for words, name, act in (
            ("or open the demo job", "open demo", "file.demo"),
            ("or choose the machine first", "choose machine", "go.machine"),
        ):
            box.addWidget(button(words, name, partial(self.wants.emit, act), role="link"))
        return empty

    def _make_buttons(self) -> QWidget:
        holder = QWidget()
        add = button("Bring in…", "bring in", lambda: self.wants.emit("file.bring_in"), tip="Bring in parts (Ctrl+I)")
        add.setIcon(icon("plus"))
        self._acts = [
            button("", f"act {name}", partial(self.wants.emit, act), tip=tip)
            for name, act, tip in (
                ("duplicate", "parts.duplicate", "Duplicate (Ctrl+D)"),
                ("gather", "parts.gather", "Gather: arrange the parts (G)"),
                ("remove", "parts.remove", "Remove (Del)"),
            )
        ]
        for act, picture in zip(self._acts, ("copy", "layout-grid", "trash-2"), strict=True):
            act.setIcon(icon(picture))
            act.setAccessibleName(act.toolTip())
        row = line(add, 1, *self._acts)
        row.setContentsMargins(0, 8, 0, 10)
        holder.setLayout(row)
        return holder

    def _make_tools(self) -> QWidget:
        holder = QWidget()
        self._tool_group = QButtonGroup(self)
        self._tool_buttons = {}
        for tool, (word, key) in TOOL_WORDS.items():
            choose = partial(self._desk.view.set, "tool", tool)
            made = button(word, f"tool {tool}", choose, tip=f"{word} ({key})")
            made.setCheckable(True)
            self._tool_group.addButton(made)
            self._tool_buttons[tool] = made
        row = line(*self._tool_buttons.values(), 1, spacing=0)
        row.setContentsMargins(0, 10, 0, 0)
        holder.setLayout(row)
        return holder

    def _make_figures(self) -> Group:
        group = Group("What this pose costs")
        table = QGridLayout()
        self._values = []
        for row, name in enumerate(("hanging past the limit", "touching the bed", "height")):
            value = label("…")
            value.setObjectName(f"figure {name}")
            self._values.append(value)
            table.addWidget(label(name, "faint"), row, 0)
            table.addLayout(line(1, value), row, 1)
        group.add(table)
        return group

    def mark(self, marked: dict[str, tuple[str, str]]) -> None:
        """Show marks beside parts, each with its reason."""
        if marked != self._marked:
            self._marked = marked
            self.rows.refresh()

    def refresh(self, *_: object) -> None:
        """Show the job as it is now."""
        job, selection = self._desk.job, self._desk.selection
        count = len(self._desk.spots)
        self.remark.setText(f"{count} on {job.machine.name}" if count else job.machine.name)
        self._show_empty()
        self.rows.refresh()
        picked = bool(selection.spots)
        for act in self._acts:
            act.setEnabled(picked if act is not self._acts[1] else bool(job.parts))
        self._bodies.refresh()
        self._tools.setVisible(picked)
        tool = self._desk.view.tool
        for name, made in self._tool_buttons.items():
            made.setChecked(name == SHOWN_FOR.get(tool, tool))
        self._hint.setText(HINTS.get(tool, ""))
        self._hint.setVisible(tool in HINTS)
        for group in self._fields:
            group.setVisible(picked and group.tool == SHOWN_FOR.get(tool, tool))
            group.refresh()
        self._measure.setVisible(tool == "measure" and bool(job.parts))
        for group in (self._copies, self._own, self._zones):
            group.setVisible(picked and tool != "measure")
            group.refresh()
        self._figures.setVisible(picked)
        self._layout.setVisible(bool(job.parts))
        self._layout.refresh()
        self._order.refresh()
        self._told.refresh()
        self._ask_figures()

    def _reveal_zone(self) -> None:
        """Scroll to the figures of the zone that was opened."""
        if self._desk.zoning.open:
            # Once they have their place.
            QTimer.singleShot(0, self, lambda: self.ensureWidgetVisible(self._zones.figures, 0, 8))

    def _ask_figures(self) -> None:
        """Have the figures of the pose in hand worked out beside the window."""
        spot = self._desk.selection.in_hand
        stand = self._desk.stand(spot) if spot else None
        model = self._desk.shelf.model(part_of(self._desk.job, spot.part)) if spot else None
        if spot is None or stand is None or model is None:
            return
        machine, resolved = self._desk.job.machine, self._desk.resolved_of(spot.part)
        wanted = (stand, machine, resolved)
        if wanted == self._figures_of or self._desk.complaints:
            return
        self._figures_of = wanted

        def work() -> PoseFigures:
            from even_step.core.figures import pose_figures  # noqa: PLC0415 - kernels load after the window shows

            posed = model.mesh.mapped(stand.matrix[:3, :3])
            return pose_figures(Mesh(posed.vertices + stand.matrix[:3, 3], posed.faces), resolved, machine)

        self._desk.background.run("figures", work, lambda found: self._show_figures(spot, found))

    def _show_figures(self, spot: Spot, found: PoseFigures) -> None:
        if spot == self._desk.selection.in_hand:
            told = (f"{found.hanging:.1f} mm²", f"{found.contact:.1f} mm²", f"{found.height:.2f} mm")
            for value, text in zip(self._values, told, strict=True):
                value.setText(text)

    def _show_empty(self) -> None:
        self._empty.setVisible(not self._desk.job.parts and not self._files.reading)

    def focus_tool(self, tool: str) -> None:
        """Put the keyboard into the fields of a tool."""
        if tool == "measure":
            self._measure.focus_first()
        elif tool == "name":
            self.rows.rename(self._desk.selection.parts[-1])
        for group in self._fields:
            if group.tool == tool and group.isVisible() and tool in TOOLS:
                group.focus_first()
