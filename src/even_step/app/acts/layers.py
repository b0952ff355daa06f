"""Stepping through the layers of the shown trial."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from even_step.app.acts.action import Action
from even_step.app.desk import Desk
from even_step.app.line_in_hand import line_in_hand
from even_step.app.reach import Reach


def step_layer(desk: Desk, by: int) -> None:
    """Show some layers more or fewer at the top."""
    trial = desk.trials.shown
    if trial and trial.lines:
        first, last = desk.view.layers
        wanted = min(max(last + by, 0), trial.lines.count - 1)
        desk.view.show_layers(min(first, wanted), wanted, trial.lines.count)


def step_path(desk: Desk, by: int) -> None:
    """Show one path more or fewer of the top layer."""
    trial = desk.trials.shown
    if not trial or not trial.lines:
        return
    lines, layer = trial.lines, desk.view.layers[1]
    first, end = int(lines.layer[layer]), int(lines.layer[layer + 1])
    starts = lines.path_start[np.searchsorted(lines.path_start, first) : np.searchsorted(lines.path_start, end) + 1]
    if len(starts) < 2:
        return
    now = int(np.searchsorted(starts, first + desk.view.along * (end - first), side="right")) - 1
    wanted = min(max(now + by, 0), len(starts) - 1)
    desk.view.set("along", float((starts[wanted] - first) / max(1, end - first)))


def _layer(by: int) -> Callable[[Reach], None]:
    return lambda reach: step_layer(reach.desk, by)


def _path(by: int) -> Callable[[Reach], None]:
    return lambda reach: step_path(reach.desk, by)


def _sliced(reach: Reach) -> bool:
    return reach.desk.trials.shown is not None


def switch(piece: str) -> Callable[[Reach], None]:
    """Return what turns a piece of the view on or off."""
    return lambda reach: reach.desk.view.toggle(piece)


def _ask(reach: Reach) -> None:
    """Ask the line that the path has come to."""
    found = line_in_hand(reach.desk.trials.shown, reach.desk.view)
    if found:
        reach.desk.asked_line.ask(*found)


ACTIONS = (
    Action("layers.play", "Play or pause", "Layers", switch("playing"), ("Space",), can=_sliced, station="Layers"),
    Action("layers.up", "A layer up", "Layers", _layer(1), ("Up",), can=_sliced, station="Layers"),
    Action("layers.down", "A layer down", "Layers", _layer(-1), ("Down",), can=_sliced, station="Layers"),
    Action("layers.up_ten", "Ten layers up", "Layers", _layer(10), ("PgUp",), can=_sliced, station="Layers"),
    Action("layers.down_ten", "Ten layers down", "Layers", _layer(-10), ("PgDown",), can=_sliced, station="Layers"),
    Action("layers.on", "A line on along the path", "Layers", _path(1), ("Right",), can=_sliced, station="Layers"),
    Action("layers.back", "A line back along the path", "Layers", _path(-1), ("Left",), can=_sliced, station="Layers"),
    Action(
        "layers.section",
        "Section or solid",
        "Layers",
        switch("section"),
        ("S",),
        can=_sliced,
        station="Layers",
        synonyms=("flat", "2d", "cross section"),
    ),
    Action(
        "layers.marks",
        "Mark seams, retractions and lifts",
        "Layers",
        switch("marks"),
        ("N",),
        can=_sliced,
        station="Layers",
        synonyms=("seam", "retraction", "lift", "start", "scar", "stringing"),
    ),
    Action(
        "layers.code",
        "Show the G-code beside",
        "Layers",
        switch("code"),
        ("T",),
        can=_sliced,
        station="Layers",
        synonyms=("gcode", "text", "line", "file"),
    ),
    Action(
        "layers.ask",
        "Ask the line in hand why it is so",
        "Layers",
        _ask,
        ("Q",),
        can=_sliced,
        station="Layers",
        synonyms=("why", "line", "role", "speed", "width", "flow", "fan", "inspect"),
    ),
    Action(
        "layers.lens",
        "Gap lens: what lies round a support",
        "Layers",
        switch("lens"),
        ("L",),
        can=_sliced,
        station="Layers",
        synonyms=("distance", "contact", "magnify", "z gap"),
    ),
)
