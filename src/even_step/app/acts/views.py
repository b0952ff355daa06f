"""Stations and the camera."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.acts.action import Action
from even_step.app.cut_open import AT as CUT_AT
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.app.view import STATIONS
from even_step.core.job.spots import stood

CUT_STEP = 1.0  # mm
OPEN = ("section", "cross section", "slice open", "inside", "zones")


def _go(station: str) -> Callable[[Reach], None]:
    return lambda reach: reach.desk.view.set("station", station)


def _quarter(way: str) -> Callable[[Reach], None]:
    return lambda reach: reach.looking.look_from(reach.looking.camera.quarter(way))


def put_cut(desk: Desk, height: float) -> None:
    """Cut all parts open at a height, mm; over them all they are whole."""
    desk.cut_open.put(height, _tallest(desk))


def move_cut(desk: Desk, by: float) -> None:
    """Cut all parts open so much higher, mm, or lower; from the top down where they are whole."""
    put_cut(desk, (desk.view.cut or _tallest(desk)) + by)


def _tallest(desk: Desk) -> float:
    there = set(desk.spots)
    stands = (desk.shelf.stand_of(part, copy) for spot, part, copy in stood(desk.job) if spot in there)
    return max((float(stand.size[2]) for stand in stands if stand is not None), default=0.0)


def _cut(by: float) -> Callable[[Reach], None]:
    return lambda reach: move_cut(reach.desk, by)


def _can_cut(reach: Reach) -> bool:
    return reach.desk.view.station in CUT_AT and bool(reach.desk.spots)


def _named(view: str) -> Callable[[Reach], None]:
    return lambda reach: reach.looking.look_from(reach.looking.camera.named(view))


ACTIONS = (
    *(
        Action(f"go.{station.lower()}", f"Go to {station}", "View", _go(station), (str(number),))
        for number, station in enumerate(STATIONS, 1)
    ),
    Action("view.fit", "Show the whole bed", "View", lambda b: b.looking.fit_all(), ("Home",), "house"),
    Action(
        "view.fit_selection",
        "Show what is picked",
        "View",
        lambda b: b.looking.fit_selection(),
        (".",),
        "focus",
        can=lambda b: bool(b.desk.selection.spots),
    ),
    *(
        Action(f"view.cut_{way}", f"Cut open a millimetre {way}", "View", _cut(by), (key,), can=_can_cut, synonyms=OPEN)
        for way, by, key in (("lower", -CUT_STEP, "Shift+PgDown"), ("higher", CUT_STEP, "Shift+PgUp"))
    ),
    Action(
        "view.cut_whole",
        "Show the parts whole again",
        "View",
        lambda b: b.desk.view.set("cut", 0.0),
        can=lambda b: b.desk.view.cut > 0.0,
        synonyms=OPEN,
    ),
    *(
        Action(f"view.{view}", title, "View", _named(view), synonyms=words)
        for view, title, words in (
            ("top", "View from above", ("top", "plan", "upside down")),
            ("front", "View from the front", ("front",)),
            ("right", "View from the side", ("side",)),
            ("below", "View from below", ("bottom", "underside", "overhang", "upside down")),
        )
    ),
    *(
        Action(f"view.quarter_{way}", f"View a quarter turn {way}", "View", _quarter(way), (f"Ctrl+{way.title()}",))
        for way in ("left", "right", "up", "down")
    ),
)
