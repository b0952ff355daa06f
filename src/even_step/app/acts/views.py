"""Stations and the camera."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.acts.action import Action
from even_step.app.reach import Reach
from even_step.app.view import STATIONS


def _go(station: str) -> Callable[[Reach], None]:
    return lambda reach: reach.desk.view.set("station", station)


def _quarter(way: str) -> Callable[[Reach], None]:
    return lambda reach: reach.looking.quarter_view(way)


def _named(view: str) -> Callable[[Reach], None]:
    return lambda reach: reach.looking.named_view(view)


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
