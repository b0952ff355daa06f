"""What can be done with zones: a new one is a shape in the middle of the part in hand."""

from __future__ import annotations

from functools import partial

import numpy as np

from even_step.app.acts.action import Action
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.core.job import edits
from even_step.core.job.model import MM_PER
from even_step.core.job.spots import part_of
from even_step.core.job.zones import Zone

DENSER = 2.0  # times the infill of the part: what a new zone begins with, for one that changes nothing is of no use
OTHER = 30.0  # percent, where the part has none or is full


def add_zone(desk: Desk, shape: str) -> None:
    """Give the part in hand a zone of half its size, or of the body that is picked."""
    spot, body = desk.selection.in_hand, desk.selection.body
    model = desk.shelf.model(part_of(desk.job, spot.part)) if spot else None
    if spot is None or model is None:
        return
    part = part_of(desk.job, spot.part)
    density = float(desk.resolved_of(part.id).values["infill.density"])
    settings = {"infill.density": min(100.0, DENSER * density) if 0.0 < density < 100.0 else OTHER}
    if shape == "body":
        zone = Zone(shape="body", body=body, settings=settings)
    else:
        corners = model.extremes * MM_PER[part.unit]
        low, high = corners.min(axis=0), corners.max(axis=0)
        size = np.round((high - low) / 2, 3)
        if shape != "box":  # round seen from above, or from everywhere
            size[:2] = size[:2].min()
        if shape == "ball":
            size[:] = size.min()
        middle = tuple(float(v) for v in np.round((low + high) / 2, 3))
        zone = Zone.model_validate(
            {"shape": shape, "middle": middle, "size": [float(v) for v in size], "settings": settings}
        )
    edit(desk, f"{shape} zone in {part.name}", lambda job: edits.with_zone(job, part.id, zone))
    desk.view.set("station", "Parts")


def open_settings(desk: Desk, part: str, zone: str) -> None:
    """Show the settings of a zone on the recipe's sheet."""
    desk.whose.choose((part,), zone)
    desk.view.set("station", "Recipe")


def _picked(reach: Reach) -> bool:
    return bool(reach.desk.selection.spots)


def _body_picked(reach: Reach) -> bool:
    return reach.desk.selection.body is not None


def _add(shape: str, reach: Reach) -> None:
    add_zone(reach.desk, shape)


WORDS = ("region", "modifier", "inside", "different infill", "denser", "local")
ACTIONS = (
    Action("zones.box", "New zone: box", "Parts", partial(_add, "box"), ("Z",), can=_picked, synonyms=WORDS),
    Action("zones.cylinder", "New zone: cylinder", "Parts", partial(_add, "cylinder"), can=_picked, synonyms=WORDS),
    Action("zones.ball", "New zone: ball", "Parts", partial(_add, "ball"), can=_picked, synonyms=WORDS),
    Action("zones.body", "New zone: the picked body", "Parts", partial(_add, "body"), can=_body_picked, synonyms=WORDS),
)
