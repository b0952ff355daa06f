"""What can be done with parts on the bed."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from even_step.app.acts.action import Action
from even_step.app.acts.placing import about, edit, place_new
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.core.errors import EvenStepError
from even_step.core.job import edits
from even_step.core.job.bring_in import laid_flat
from even_step.core.job.model import MM_PER, Job
from even_step.core.job.spots import copy_at, part_of
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import turn_matrix

AXES = "XYZ"


def _nudge(dx: float, dy: float) -> Callable[[Reach], None]:
    def run(reach: Reach) -> None:
        desk = reach.desk
        spots = desk.selection.spots
        edit(desk, f"move {about(desk)}", lambda job: edits.moved(job, spots, (dx, dy)), f"nudge {spots}")

    return run


def turn(desk: Desk, axis: int, degrees: float) -> None:
    """Turn what is picked about an axis of the bed."""
    edit(desk, f"turn {about(desk)}", lambda job: edits.turned(job, desk.selection.spots, axis, degrees))


def lay(desk: Desk, *, on_end: bool = False) -> None:
    """Turn the parts that are picked onto their largest flat side, or the one on which they stand tallest."""
    job = desk.job
    models = {name: desk.shelf.model(part_of(job, name)) for name in desk.selection.parts}
    verb = f"stand {about(desk)} on end" if on_end else f"lay {about(desk)} flat"

    def find() -> Job:
        done = job
        for name, model in models.items():
            if model is not None:
                part = part_of(job, name)
                corners = Mesh(model.extremes, model.mesh.faces[:0]).mapped(np.diag(part.stretch) * MM_PER[part.unit])
                turned = laid_flat(part, corners, on_end=on_end)
                done = edits.posed_as(done, name, turn_matrix(turned.turn))
        return done

    def found(done: Job) -> None:
        if desk.job is job:
            edit(desk, verb, lambda _: done)

    desk.background.run("lay", find, found)


def _quarter(axis: int, degrees: float) -> Callable[[Reach], None]:
    return lambda reach: turn(reach.desk, axis, degrees)


def _duplicate(reach: Reach) -> None:
    desk = reach.desk
    try:
        job, new = edits.copied(desk.job, desk.selection.spots)
    except EvenStepError as error:
        desk.note(str(error), "stop")
        return
    place_new(desk, f"duplicate {about(desk)}", job, new, again=lambda: _duplicate(reach))


def set_copies(desk: Desk, part: str, count: int) -> None:
    """Give a part so many copies."""
    try:
        job = edits.with_copies(desk.job, part, count)
    except EvenStepError as error:
        desk.note(str(error), "stop")
        return
    place_new(desk, f"{count} of {part_of(desk.job, part).name}", job)


def _remove(reach: Reach) -> None:
    desk = reach.desk
    edit(desk, f"remove {about(desk)}", lambda job: edits.removed(job, desk.selection.spots))


def _gather(reach: Reach) -> None:
    desk = reach.desk
    place_new(desk, "arrange the parts", edits.without_places(desk.job, desk.spots), turning=True)


def _centre(reach: Reach) -> None:
    desk = reach.desk
    spots = desk.selection.spots
    at = [copy_at(desk.job, spot).at or (0.0, 0.0) for spot in spots]
    middle = [(min(p[axis] for p in at) + max(p[axis] for p in at)) / 2 for axis in (0, 1)]
    centre = desk.job.machine.bed.centre
    by = (centre[0] - middle[0], centre[1] - middle[1])
    edit(desk, f"centre {about(desk)}", lambda job: edits.moved(job, spots, by))


def _take(tool: str) -> Callable[[Reach], None]:
    def run(reach: Reach) -> None:
        view = reach.desk.view
        again = view.station == "Parts" and view.tool == tool
        view.set("station", "Parts")
        view.set("tool", tool)
        if again:  # the second time the key leads into the fields, so that no digit is typed by mistake
            reach.asking.focus_field(tool)

    return run


def on_layers(desk: Desk) -> bool:
    """Tell whether layers are looked at."""
    return desk.view.station == "Layers" and desk.trials.shown is not None


def _measure(reach: Reach) -> None:
    """Measure parts, or the layers that are looked at."""
    if on_layers(reach.desk):
        reach.desk.rule.take()
    else:
        _take("measure")(reach)


def _rename(reach: Reach) -> None:
    reach.desk.view.set("station", "Parts")
    reach.asking.focus_field("name")


def _picked(reach: Reach) -> bool:
    return bool(reach.desk.selection.spots)


def _any(reach: Reach) -> bool:
    return bool(reach.desk.job.parts)


def _nudges() -> list[Action]:
    ways = (("left", "Left", -1, 0), ("right", "Right", 1, 0), ("back", "Up", 0, 1), ("front", "Down", 0, -1))
    strides = (("", "", 1.0, "1 mm"), (".far", "Shift+", 10.0, "10 mm"), (".fine", "Alt+", 0.1, "0.1 mm"))
    return [
        Action(
            f"parts.nudge_{way}{suffix}",
            f"Move {far} to the {way}",
            "Parts/Nudge",
            _nudge(dx * step, dy * step),
            (f"{held}{key}",),
            can=_picked,
            station="Parts",
        )
        for suffix, held, step, far in strides
        for way, key, dx, dy in ways
    ]


ACTIONS = (
    Action("parts.move", "Move", "Parts", _take("move"), ("W",), "move", can=_any),
    Action("parts.turn", "Turn", "Parts", _take("turn"), ("E",), "rotate-3d", can=_any, synonyms=("rotate", "orient")),
    Action("parts.size", "Size", "Parts", _take("size"), ("R",), "scaling", can=_any, synonyms=("scale",)),
    Action(
        "parts.face",
        "Face down",
        "Parts",
        _take("face"),
        ("D",),
        "arrow-down-to-line",
        can=_any,
        synonyms=("lay flat",),
    ),
    Action(
        "parts.measure",
        "Measure",
        "Parts",
        _measure,
        ("M",),
        "ruler",
        can=lambda b: _any(b) or on_layers(b.desk),
        synonyms=("distance", "angle", "thickness", "length"),
    ),
    Action("parts.flat", "Lie flat", "Parts", lambda b: lay(b.desk), can=_picked, synonyms=("lay down",)),
    Action("parts.on_end", "Stand on end", "Parts", lambda b: lay(b.desk, on_end=True), can=_picked),
    Action(
        "parts.pose",
        "Pose proposals",
        "Parts",
        _take("pose"),
        ("P",),
        "box",
        can=_any,
        synonyms=("orientation", "auto orient", "least support"),
    ),
    *(
        Action(
            f"parts.quarter_{AXES[axis].lower()}{'+' if degrees > 0 else '-'}",
            f"Quarter turn about {AXES[axis]}, {'+' if degrees > 0 else '−'}90°",
            "Parts/Quarter turn",
            _quarter(axis, degrees),
            can=_picked,
            synonyms=("rotate",),
        )
        for axis in range(3)
        for degrees in (-90.0, 90.0)
    ),
    Action(
        "parts.duplicate",
        "Duplicate",
        "Parts",
        _duplicate,
        ("Ctrl+D",),
        "copy",
        can=_picked,
        synonyms=("copy", "clone"),
    ),
    Action("parts.rename", "Rename", "Parts", _rename, ("F2",), can=_picked, synonyms=("name",)),
    Action("parts.remove", "Remove", "Parts", _remove, ("Del",), "trash-2", can=_picked, synonyms=("delete",)),
    Action("parts.gather", "Gather: arrange the parts", "Parts", _gather, ("G",), "layout-grid", can=_any),
    Action("parts.centre", "Move to the middle of the bed", "Parts", _centre, can=_picked, synonyms=("center",)),
    Action(
        "parts.all",
        "Pick all parts",
        "Edit",
        lambda b: b.desk.selection.pick(b.desk.spots),
        ("Ctrl+A",),
        can=_any,
    ),
    Action("parts.none", "Pick nothing", "Edit", lambda b: b.desk.selection.pick(()), ("Ctrl+Shift+A",), can=_picked),
    *_nudges(),
)
