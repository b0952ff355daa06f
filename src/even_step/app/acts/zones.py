"""What can be done with zones: a new one is a shape in the middle of the part in hand."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.app.acts.action import Action
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.app.shelf import ShelfModel
from even_step.core.job import edits
from even_step.core.job.model import MM_PER, Part
from even_step.core.job.spots import has_part, part_of
from even_step.core.job.zones import LEAST_SIZE, Zone

DENSER = 2.0  # times the infill of the part: what a new zone begins with, for one that changes nothing is of no use
OTHER = 30.0  # percent, where the part has none or is full


def new_zone(desk: Desk, part: Part, **shape: Any) -> Zone:
    """Return a zone of a part that changes something to begin with."""
    density = float(desk.resolved_of(part.id).values["infill.density"])
    settings = {"infill.density": min(100.0, DENSER * density) if 0.0 < density < 100.0 else OTHER}
    return Zone.model_validate({**shape, "settings": settings})


def put_zone(desk: Desk, part: str, zone: Zone) -> None:
    """Give a part a zone, and open it."""
    before = {one.id for one in part_of(desk.job, part).zones}
    edit(desk, f"{zone.shape} zone in {part_of(desk.job, part).name}", lambda job: edits.with_zone(job, part, zone))
    made = [one.id for one in part_of(desk.job, part).zones if one.id not in before]
    if made:
        desk.zoning.show(part, made[0])


def add_zone(desk: Desk, shape: str) -> None:
    """Give the part in hand a zone of half its size, or of the body that is picked."""
    spot, body = desk.selection.in_hand, desk.selection.body
    model = desk.shelf.model(part_of(desk.job, spot.part)) if spot else None
    if spot is None or model is None:
        return
    part = part_of(desk.job, spot.part)
    if shape == "body":
        zone = new_zone(desk, part, shape="body", body=body)
    else:
        low, high = _bounds(part, model)
        size = np.round((high - low) / 2, 3)
        if shape != "box":  # round seen from above, or from everywhere
            size[:2] = size[:2].min()
        if shape == "ball":
            size[:] = size.min()
        middle = tuple(float(v) for v in np.round((low + high) / 2, 3))
        zone = new_zone(desk, part, shape=shape, middle=middle, size=[float(v) for v in size])
    put_zone(desk, part.id, zone)
    desk.view.set("station", "Parts")


def add_zone_of_file(desk: Desk, part: str, kept: str, found: tuple[ShelfModel, ...]) -> None:
    """Give a part a zone of the shape of a file's first model, as large as its numbers in mm, in the part's middle."""
    model = desk.shelf.model(part_of(desk.job, part)) if has_part(desk.job, part) else None
    if model is None or not found:
        return
    of = part_of(desk.job, part)
    middle = np.round(sum(_bounds(of, model)) / 2, 3).tolist()
    size = [max(round(span, 3), LEAST_SIZE) for span in found[0].spans]
    shape = {"shape": "mesh", "file": kept, "object": found[0].place, "middle": middle, "size": size}
    put_zone(desk, part, new_zone(desk, of, name=found[0].name[:200], **shape))
    desk.view.set("station", "Parts")


def _bounds(part: Part, model: ShelfModel) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the least and the largest corner of a part in its own frame, mm."""
    corners = model.extremes * MM_PER[part.unit]
    return corners.min(axis=0), corners.max(axis=0)


def open_settings(desk: Desk, part: str, zone: str) -> None:
    """Show the settings of a zone on the recipe's sheet."""
    desk.whose.choose((part,), zone)
    desk.view.set("station", "Recipe")


def _picked(reach: Reach) -> bool:
    return bool(reach.desk.selection.spots)


def _body_picked(reach: Reach) -> bool:
    return reach.desk.selection.body is not None


def _any(reach: Reach) -> bool:
    return bool(reach.desk.job.parts)


def _add(shape: str, reach: Reach) -> None:
    add_zone(reach.desk, shape)


def _add_of_file(reach: Reach) -> None:
    spot, path = reach.desk.selection.in_hand, reach.asking.shape_of_a_zone()
    if spot is not None and path:
        reach.files.read(path, partial(add_zone_of_file, reach.desk, spot.part))


def _draw(tool: str, reach: Reach) -> None:
    reach.desk.view.set("station", "Parts")
    reach.desk.view.set("tool", tool)


WORDS = ("region", "modifier", "inside", "different infill", "denser", "local")
ACTIONS = (
    Action("zones.draw", "Draw a zone", "Parts", partial(_draw, "zone"), ("Z",), can=_any, synonyms=WORDS),
    Action("zones.face", "Zone of a face", "Parts", partial(_draw, "zone-face"), can=_any, synonyms=WORDS),
    Action("zones.backing", "Backing of a face", "Parts", partial(_draw, "zone-backing"), can=_any, synonyms=WORDS),
    Action("zones.box", "New zone: box", "Parts", partial(_add, "box"), can=_picked, synonyms=WORDS),
    Action("zones.cylinder", "New zone: cylinder", "Parts", partial(_add, "cylinder"), can=_picked, synonyms=WORDS),
    Action("zones.ball", "New zone: ball", "Parts", partial(_add, "ball"), can=_picked, synonyms=WORDS),
    Action("zones.file", "New zone: shape of a file…", "Parts", _add_of_file, can=_picked, synonyms=(*WORDS, "mesh")),
    Action("zones.body", "New zone: the picked body", "Parts", partial(_add, "body"), can=_body_picked, synonyms=WORDS),
)
