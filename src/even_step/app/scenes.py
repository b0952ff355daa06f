"""What the pictures show: a walk through the window on the demo, scene by scene."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, Qt

from even_step.app.files import DEMO
from even_step.app.settled import drawn, wait_until
from even_step.app.trials import TrialLines
from even_step.app.window import Window
from even_step.core.job import edits
from even_step.core.job.beds import bed_count
from even_step.core.job.model import Machine, Material, Part
from even_step.core.job.shipped import find
from even_step.core.job.spots import first_spot, spots_of
from even_step.core.job.step_curve import Knot
from even_step.core.toolpath.roles import OUTER_WALL

MATERIAL_LAYER, TREE_LAYER = 13, 190
LOUVRES = 6.0, 6.4  # mm, between which they are cut
TREES_NEARER = 0.28
CLAMP_CUT = 28.0  # mm
TIP_AT = -10.1, -5.5, 26.9  # mm from the finial's middle, under a horn
VASE_LAYER = 205
#: The picture's name (none where nothing is to be seen), what is done, and whether that is done.
Scene = tuple[str, Callable[[Window], None], Callable[[Window], bool]]


def _slice(window: Window) -> None:
    window.run("slice.run")


def _sliced(window: Window) -> bool:
    return not window.desk.trials.running


def _part(window: Window, name: str) -> Part:
    """Return the first part that goes by a name, or comes from a file of that name."""
    return next(part for part in window.desk.job.parts if part.name == name or part.file.endswith(name))


def _pick(window: Window, name: str) -> None:
    window.desk.selection.pick([first_spot(_part(window, name))])


def _machine(window: Window) -> None:
    window.desk.view.set("station", "Machine")


def _selection(window: Window) -> None:
    window.desk.view.set("station", "Parts")
    window.desk.selection.pick(spots_of(window.desk.job, [_part(window, "wind cup").id]))


def _turning(window: Window) -> None:
    desk = window.desk
    _pick(window, "wind cup")
    desk.view.set("tool", "turn")
    desk.store.do("turn wind cup", edits.turned(desk.job, desk.selection.spots, 1, 30.0))
    canvas = window.area.canvas
    canvas.look_from(replace(canvas.camera, pitch=12.0, yaw=305.0))
    canvas.fit_selection()
    canvas.look_from(canvas.camera.zoomed(1.45, 400, 400))


def _poses(window: Window) -> None:
    window.run("edit.undo")
    window.area.canvas.look_from(replace(window.area.canvas.camera, pitch=38.0, yaw=332.0))
    window.area.canvas.fit_all()
    _pick(window, "mast bracket")
    window.desk.view.set("tool", "pose")


def _posed(window: Window) -> bool:
    return window.parts.poses.is_drawn


def _measured(window: Window) -> None:
    canvas = window.area.canvas
    window.run("parts.measure")
    low, high = next(part for part in canvas.scene.parts if part.spot.part == _part(window, "sensor case").id).box
    for x, inward in ((low[0], 3), (high[0], -4)):
        seen = canvas.camera.project(np.array([[x, low[1], high[2]]]))[0]
        at = QPointF(float(seen[0]) + inward, float(seen[1]) + 1)
        canvas.gestures.press(at, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        canvas.gestures.release(at)
        wait_until(lambda: drawn(window), "the point")


def _arranged(window: Window) -> None:
    window.desk.view.set("tool", "move")
    window.desk.selection.pick([])
    window.run("parts.gather")


def _back_in_place(window: Window) -> None:
    window.run("edit.undo")


def _turned_back(window: Window) -> None:
    window.area.canvas.look_from(replace(window.area.canvas.camera, pitch=38.0, yaw=332.0))
    window.area.canvas.fit_all()
    window.desk.selection.pick(())
    window.run("slice.run")


def _recipe(window: Window) -> None:
    window.desk.view.set("station", "Recipe")
    window.desk.store.do("infill density 10 %", edits.with_setting(window.desk.job, "infill.density", 10.0))
    window.recipe.reveal("infill.density")


def _layers(window: Window) -> None:
    desk = window.desk
    desk.view.set("station", "Layers")
    trial = desk.trials.shown
    if trial and trial.lines:
        desk.view.show_layers(0, 72, trial.lines.count)


def _section(window: Window) -> None:
    desk = window.desk
    desk.view.set("section", True)
    trial = desk.trials.shown
    if trial and trial.lines:
        layer = _busiest(trial.lines, *LOUVRES)
        desk.view.show_layers(0, layer, trial.lines.count)
        _ask_a_wall(window, trial.lines, layer)
    canvas = window.area.canvas
    canvas.look_from(canvas.camera.zoomed(0.4, 400, 400))


def _ask_a_wall(window: Window, lines: TrialLines, layer: int) -> None:
    """Ask the outer wall of the layer that lies nearest to the middle of the bed why it is so."""
    first, last = int(lines.layer[layer]), int(lines.layer[layer + 1])
    points = lines.points[first:last]
    walls = np.flatnonzero((points[:, 5] == OUTER_WALL) & (points[:, 3] > 0))
    x, y = window.desk.job.machine.bed.centre
    nearest = int(walls[np.argmin(np.hypot(points[walls, 0] - x, points[walls, 1] - y))])
    x, y, z = (float(one) for one in points[nearest, :3])
    window.desk.asked_line.ask(int(lines.path[first + nearest]), (x, y, z))


def _busiest(lines: TrialLines, low: float, high: float) -> int:
    """Return the layer between two heights in which most is laid: each height has a course of its own."""
    points = np.where((lines.top > low) & (lines.top < high), np.diff(lines.layer), 0)
    return int(points.argmax())


def _section_known(window: Window) -> bool:
    asked = window.desk.asked_line.story is not None
    return asked and window.area.voids.of(window.desk.trials.shown, window.desk.view.layers[1]) is not None


def _output(window: Window) -> None:
    window.desk.asked_line.clear()
    window.desk.view.set("section", False)
    window.desk.view.set("station", "Output")


def _zones(window: Window) -> None:
    """Open a bolt's zone of the bracket: its figures on the sheet, its handles on the canvas; cut open at the clamp."""
    canvas, bracket = window.area.canvas, _part(window, "mast bracket")
    window.desk.view.set("station", "Parts")
    window.desk.view.set("tool", "move")
    _pick(window, "mast bracket")
    window.desk.zoning.show(bracket.id, bracket.zones[0].id)
    canvas.look_from(replace(canvas.camera, pitch=38.0, yaw=215.0))
    canvas.fit_selection()
    window.desk.view.set("cut", CLAMP_CUT)


def _rims_known(window: Window) -> bool:
    """Whether what lies behind the clamp is found."""
    canvas, bracket = window.area.canvas, _part(window, "mast bracket")
    shape = next(part for part in canvas.scene.parts if part.spot.part == bracket.id)
    return bool(canvas.rims.of(bracket, shape, bracket.zones[2])) and window.desk.cut_open.face is not None


def _whole_again(window: Window) -> None:
    window.run("view.cut_whole")


def _own(window: Window) -> None:
    """Give the louvre rings denser infill than the rest."""
    _pick(window, "louvre ring")
    window.run("parts.own")
    denser = edits.with_setting_of_parts(window.desk.job, window.desk.selection.parts, "infill.density", 45.0)
    window.desk.store.do("infill density 45 % for louvre ring", denser)
    window.recipe.reveal("infill.density")


def _own_back(window: Window) -> None:
    window.run("edit.undo")
    window.run("parts.own_none")
    window.desk.selection.pick(())


def _curve(window: Window) -> None:
    """Draw coarse layers on the cup's steep side by hand, over those that follow its surface."""
    desk, cup = window.desk, _part(window, "wind cup")
    _pick(window, "wind cup")
    desk.view.set("station", "Recipe")
    desk.store.do("knot of wind cup", edits.with_knot(desk.job, cup.id, 0, Knot(low=5.0, high=10.0, height=0.28)))
    desk.curving.open(opened=True)
    desk.curving.take(0)
    window.recipe.reveal("layers.height")
    canvas = window.area.canvas
    canvas.look_from(replace(canvas.camera, pitch=24.0, yaw=318.0))
    canvas.fit_selection()
    canvas.look_from(canvas.camera.zoomed(1.5, 400, 400))


def _heights_known(window: Window) -> bool:
    asked = window.desk.foreseen_heights
    return asked.of is not None and asked.of == asked.wish()


def _curve_back(window: Window) -> None:
    window.desk.curving.open(opened=False)
    window.run("edit.undo")
    window.desk.selection.pick(())
    window.area.canvas.fit_all()


def _two_materials(window: Window) -> None:
    """The demo on the machine with two extruders, the infill of the second."""
    desk = window.desk
    desk.view.set("station", "Parts")
    twin = edits.on_machine(desk.job, find(Machine, "Alder 300 twin"))
    twin = edits.with_material(twin, 1, find(Material, "PETG"))
    for key in ("extruder.infill", "extruder.covers"):
        twin = edits.with_setting(twin, key, 2)
    desk.store.do("two materials", twin)


def _by_material(window: Window) -> None:
    desk = window.desk
    desk.view.set("station", "Layers")
    desk.view.set("colour_by", "material")
    trial = desk.trials.shown
    if trial and trial.lines:
        desk.view.show_layers(0, MATERIAL_LAYER, trial.lines.count)
    window.area.canvas.fit_all()


def _one_material(window: Window) -> None:
    window.desk.view.set("colour_by", "role")
    window.run("edit.undo")


def _second_bed(window: Window) -> None:
    """Bring in more than there is room for: an assembly, a cap drawn in inches, a torn mesh."""
    window.desk.view.set("station", "Parts")
    names = "wind_arrow.3mf", "ridge_cap_inches.stl", "torn_knob.stl", "finial.stl"
    window.files.bring_in([str(DEMO.parent / name) for name in names])


def _brought_in(window: Window) -> bool:
    return bed_count(window.desk.job) > 1


def _body(window: Window) -> None:
    window.desk.view.set("bed", 1)
    window.desk.selection.pick_body([first_spot(_part(window, "wind_arrow.3mf"))], 2)


def _unit(window: Window) -> None:
    window.desk.view.set("station", "Parts")
    window.desk.view.set("bed", 0)
    _pick(window, "inches.stl")


def _risen(window: Window) -> None:
    desk, canvas = window.desk, window.area.canvas
    desk.view.set("station", "Layers")
    trial = desk.trials.shown
    if trial and trial.lines:
        desk.view.show_layers(0, VASE_LAYER, trial.lines.count)
    canvas.look_from(replace(canvas.camera, pitch=22.0, yaw=332.0))
    canvas.fit_all()
    canvas.look_from(canvas.camera.zoomed(0.55, 400, 330))


def _supports(window: Window) -> None:
    desk, canvas = window.desk, window.area.canvas
    desk.view.set("station", "Supports")
    _pick(window, "louvre ring")
    canvas.look_from(replace(canvas.camera, pitch=14.0, yaw=330.0))
    canvas.fit_selection()


def _foreseen(window: Window) -> bool:
    return window.desk.foreseen.is_known


def _no_supports(window: Window) -> None:
    canvas = window.area.canvas
    window.desk.selection.pick(())
    canvas.look_from(replace(canvas.camera, pitch=38.0, yaw=332.0))
    canvas.fit_all()


def _trees(window: Window) -> None:
    """Hold the finial's horns with trees and slice its bed."""
    desk = window.desk
    desk.view.set("bed", 1)
    finial = _part(window, "finial.stl").id
    desk.store.do("trees", edits.with_setting_of_parts(desk.job, [finial], "supports.kind", "tree"))
    _slice(window)


def _among_trees(window: Window) -> None:
    desk, canvas = window.desk, window.area.canvas
    desk.view.set("station", "Layers")
    trial = desk.trials.shown
    if trial and trial.lines:
        desk.view.show_layers(0, TREE_LAYER, trial.lines.count)
    at = _part(window, "finial.stl").copies[0].at or (0.0, 0.0)
    canvas.look_from(replace(canvas.camera, pitch=14.0, target=(*at, 22.0)))
    canvas.look_from(canvas.camera.zoomed(TREES_NEARER, canvas.width() / 2, canvas.height() / 2))
    desk.view.set("lens", True)
    x, y, _ = canvas.camera.project(np.array([(at[0] + TIP_AT[0], at[1] + TIP_AT[1], TIP_AT[2])]))[0]
    canvas.pointed.emit(QPointF(x, y))


def _looked_at(window: Window) -> bool:
    return not window.area.lens.searching


CAUGHT = _turned_back  #: what the window is caught at while it slices


def scenes() -> Iterator[Scene]:
    """Give the scenes in their order."""

    def at_once(_: Window) -> bool:
        return True

    yield "machine", _machine, at_once
    yield "parts", _selection, at_once
    yield "", _turning, at_once
    yield "poses", _poses, _posed
    yield "measured", _measured, at_once
    yield "arranged", _arranged, at_once
    yield "", _back_in_place, at_once
    yield "", _turned_back, _sliced
    yield "recipe", _recipe, at_once
    yield "", _slice, _sliced
    yield "layers_solid", _layers, at_once
    yield "layers_section", _section, _section_known
    yield "output", _output, at_once
    yield "supports", _supports, _foreseen
    yield "", _no_supports, at_once
    yield "zones", _zones, _rims_known
    yield "", _whole_again, at_once
    yield "", _no_supports, at_once
    yield "own", _own, at_once
    yield "", _own_back, at_once
    yield "curve", _curve, _heights_known
    yield "", _curve_back, at_once
    yield "", _two_materials, at_once
    yield "", _slice, _sliced
    yield "layers_materials", _by_material, at_once
    yield "", _one_material, at_once
    yield "", _second_bed, _brought_in
    yield "second_bed", _body, at_once
    yield "", _trees, _sliced
    yield "layers_trees", _among_trees, _looked_at
    yield "unit_proposal", _unit, at_once


def vase_scenes() -> Iterator[Scene]:
    """Give the scenes of the funnel, which is printed by itself."""
    yield "", _slice, _sliced
    yield "vase", _risen, lambda _: True
