"""Pins as they lie on the bed in view, and which is looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from even_step.app.canvas.zone_frame import ZoneFrame, figures
from even_step.core.job.pins import Pin
from even_step.core.job.spots import Spot, copy_at, first_spot, has_part, part_of

if TYPE_CHECKING:
    from even_step.app.desk import Desk

Place = tuple[float, float, float]


def _frame_of(desk: Desk, part: str, copy: str) -> ZoneFrame | None:
    """Return how the frame of a copy lies on the bed; none where it stands on none in view, or is not read yet."""
    job = desk.job
    if not has_part(job, part):
        return None
    own = part_of(job, part)
    spots = [spot for spot in desk.spots if spot.part == part]
    spot = Spot(part, copy) if Spot(part, copy) in spots else first_spot(own)
    if spot not in spots:
        return None
    put = copy_at(job, spot)
    stand = desk.shelf.stand_of(own, put)
    return ZoneFrame(own, stand.at(put.at)) if stand is not None and put.at is not None else None


def place_of(desk: Desk, pin: Pin) -> Place | None:
    """Return where a pin lies on the bed in view, mm; none where its copy is not there."""
    if not pin.part:
        return pin.at
    frame = _frame_of(desk, pin.part, pin.copy_id)
    if frame is None:
        return None
    x, y, z = (float(one) for one in frame.seen(np.array(pin.at)))
    return x, y, z


def pin_at(desk: Desk, part: str, copy: str, place: Place) -> Pin:
    """Return a pin for a place on the bed, that goes with a copy from then on."""
    frame = _frame_of(desk, part, copy)
    if frame is None:
        return Pin(at=figures(np.array(place)))
    return Pin(at=figures(frame.told(np.array(place))), part=part, copy_id=copy)


def seen_pins(desk: Desk) -> list[tuple[int, Place]]:
    """Return the pins of the bed in view by their numbers, and where each lies."""
    places = ((number, place_of(desk, pin)) for number, pin in enumerate(desk.job.pins))
    return [(number, place) for number, place in places if place is not None]


def look_at_pin(desk: Desk, number: int) -> None:
    """Show the layer and the place of a pin; its words stand on the sheet of Layers."""
    trial = desk.trials.shown
    place = place_of(desk, desk.job.pins[number]) if number < len(desk.job.pins) else None
    if place is None:
        return
    desk.view.set("station", "Layers")
    if trial is not None and trial.lines is not None and trial.lines.count:
        layer = int(np.searchsorted(trial.lines.top, place[2] - 1e-3))
        desk.view.show_layers(0, layer, trial.lines.count)
    desk.view.pin = -1
    desk.view.set("pin", number)


def next_pin(desk: Desk, by: int) -> None:
    """Look at the pin after the one looked at, or before it; after the last the first."""
    numbers = [number for number, _ in seen_pins(desk)]
    if numbers:
        at = numbers.index(desk.view.pin) + by if desk.view.pin in numbers else (0 if by > 0 else -1)
        look_at_pin(desk, numbers[at % len(numbers)])
