"""Cutting the layers open by an upright plane, and showing the parts they make as ghosts."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.acts.action import Action
from even_step.app.acts.layers import switch
from even_step.app.cut_plane import CutPlane
from even_step.app.desk import Desk
from even_step.app.reach import Reach

STEP = 1.0  # mm
CUT = ("section", "cross section", "clip", "inside", "upright")


def _solid(reach: Reach) -> bool:
    return reach.desk.trials.shown is not None and not reach.desk.view.section


def _is_cut(reach: Reach) -> bool:
    return _solid(reach) and reach.desk.view.plane is not None


def middle_of_lines(desk: Desk) -> tuple[float, float]:
    """Return the middle of what is laid, mm; of a line that was asked, its place."""
    if desk.asked_line.path >= 0:
        return desk.asked_line.place[:2]
    lines = desk.trials.shown.lines if desk.trials.shown else None
    if lines is None or lines.box is None:
        return desk.job.machine.bed.centre
    x, y, _ = (float(one) for one in lines.box.mean(axis=0))
    return x, y


def cut_upright(reach: Reach) -> None:
    """Cut the layers open toward the eye, or show them whole again."""
    view = reach.desk.view
    view.set("plane", None if view.plane else CutPlane(middle_of_lines(reach.desk), reach.looking.camera.toward_eye))


def face_me(reach: Reach) -> None:
    """Turn the cut toward the eye."""
    plane = reach.desk.view.plane
    if plane:
        reach.desk.view.set("plane", CutPlane(plane.at, reach.looking.camera.toward_eye))


def _move(by: float) -> Callable[[Reach], None]:
    def move(reach: Reach) -> None:
        plane = reach.desk.view.plane
        reach.desk.view.set("plane", plane.moved(by) if plane else None)

    return move


ACTIONS = (
    Action(
        "layers.cut", "Cut upright or whole", "Layers", cut_upright, ("C",), can=_solid, station="Layers", synonyms=CUT
    ),
    Action("layers.cut_face", "Turn the cut toward me", "Layers", face_me, can=_is_cut, station="Layers", synonyms=CUT),
    Action(
        "layers.cut_deeper",
        "Cut a millimetre deeper",
        "Layers",
        _move(-STEP),
        ("Shift+Right",),
        can=_is_cut,
        station="Layers",
        synonyms=CUT,
    ),
    Action(
        "layers.cut_less",
        "Cut a millimetre less deep",
        "Layers",
        _move(STEP),
        ("Shift+Left",),
        can=_is_cut,
        station="Layers",
        synonyms=CUT,
    ),
    Action(
        "layers.ghosts",
        "Show the parts as ghosts",
        "Layers",
        switch("ghosts"),
        ("Y",),
        can=_solid,
        station="Layers",
        synonyms=("model", "transparent", "see through", "outline"),
    ),
)
