"""What there is to see, as records; built without a screen and drawn by the drawers."""

from __future__ import annotations

from collections.abc import Mapping
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from even_step.app.canvas.zone_frame import ZoneFrame
from even_step.app.cut_open import CutFace
from even_step.app.cut_plane import CutPlane
from even_step.app.desk import Desk
from even_step.app.foreseen_texture import Rough
from even_step.app.shelf import ShelfModel
from even_step.app.trials import TrialLines
from even_step.core.catalogue.layers import FOLLOW_SURFACE
from even_step.core.catalogue.layers import HEIGHT as LAYER_HEIGHT
from even_step.core.job.model import Bed, Machine, Part
from even_step.core.job.room import lack_of_room
from even_step.core.job.spots import Spot, stood, title_of
from even_step.core.overhang import Limits, limits_of
from even_step.core.toolpath.roles import ROLE_NUMBER

Matrix = NDArray[np.float64]
WRONG_WASH, PICKED_WASH = 0.22, 0.16  # how much of the tint of its state a part is given
split_model = lru_cache(64)(ShelfModel.only)
TINTED = ("box", "cylinder", "ball")
MESH = len(TINTED)
MOST_BANDS = 256  # up a part
UNLIKE = 0.015  # mm: layers that differ by less are as of one height
MOST_TINTS = 16  # of a part's zones, the last ones; all have their edges drawn
NO_PLANE = 0.0, 0.0, 1.0  # takes nothing away
NO_COLUMNS = np.empty((0, 3, 3), np.float32)
LINES_AT = frozenset({"Layers", "Output"})  # stations that show lines instead of parts


@dataclass(frozen=True)
class BedShape:
    """The bed with the side its cooling air comes from, and the height of the volume."""

    bed: Bed
    height: float
    fan_side: str


@dataclass(frozen=True, eq=False)
class Piece:
    """What of a copy is drawn alike: ``wash`` is how much of the tint of its state it has, ``lit`` is in its lines.

    All of one that is ``zoned`` lies in a zone.
    """

    model: ShelfModel
    wash: float
    lit: bool
    zoned: bool = False


@dataclass(frozen=True, eq=False)
class ZoneTint:
    """Where a part is tinted as in a zone.

    Within a box, cylinder, ball or mesh (0, 1, 2, 3) of size 1 in the frame to which a matrix (4, 4) leads from the
    bed; ``filled`` (n, n, n) is how much of each cell of a grid over the mesh lies within it, along z, y, x, 0 to 255.
    """

    kind: int
    matrix: Matrix
    filled: NDArray[np.uint8] | None = None


@dataclass(frozen=True, eq=False)
class PartShape:
    """A copy as it is drawn: ``matrix`` from its file's frame to the bed, (4, 4); ``size`` in mm.

    ``pieces`` together are its ``model``, which is there for whoever points at it. ``fault`` says what is wrong with
    where it stands; ``bands`` (MOST_BANDS,) how fine its layers will be from the bottom up, 0 to 1, none where all are
    alike; ``limits`` are from where on it hangs toward +x, +y, −x, −y, degrees.
    """

    spot: Spot
    model: ShelfModel
    pieces: tuple[Piece, ...]
    matrix: Matrix
    size: NDArray[np.float64]
    at: tuple[float, float]
    picked: bool
    fault: str
    limits: Limits
    tints: tuple[ZoneTint, ...] = ()
    bands: NDArray[np.float32] | None = None

    @property
    def box(self) -> NDArray[np.float64]:
        """Least and largest corner on the bed, (2, 3), mm."""
        half = np.array([self.size[0] / 2, self.size[1] / 2, 0.0])
        middle = np.array([*self.at, 0.0])
        return np.array([middle - half, middle + half + (0.0, 0.0, self.size[2])])


@dataclass(frozen=True, eq=False)
class LinesShape:
    """Layers as they are drawn: from one to another, the last as far ``along`` as 0 to 1, without some roles.

    Nor lines whose height lies in some spans, mm, nor what a plane takes away. With ``marks`` (P,) those paths stand
    out, whatever the channel.
    """

    lines: TrialLines
    first: int
    last: int
    along: float
    hidden: int
    colour_by: str = "role"
    hidden_heights: frozenset[tuple[float, float]] = frozenset()
    marks: NDArray[np.float32] | None = None
    plane: CutPlane | None = None

    @property
    def cut_plane(self) -> tuple[float, float, float]:
        """The plane as the graphics card has it: its normal, and how far from zero it lies, mm."""
        return (*self.plane.normal, self.plane.reach) if self.plane else NO_PLANE

    @property
    def end_of_last(self) -> int:
        """How many points are shown, counted from the first of all."""
        a, b = int(self.lines.layer[self.last]), int(self.lines.layer[self.last + 1])
        return a + round((b - a) * self.along)


@dataclass(frozen=True, eq=False)
class Skin:
    """Facets of a part that are tinted as in a zone, (n, 3, 3) on the bed, mm."""

    part: PartShape
    corners: Matrix


@dataclass(frozen=True, eq=False)
class Scene:
    """All that is drawn. ``columns`` are facets of supports to come, (T, 3, 3), mm.

    Nothing of the parts over ``cut_at`` mm is seen; ``cut`` is the face there, none while it is looked for.
    ``ghosts`` are copies drawn as veils over their layers. ``rough`` is what of parts will have texture. On parts whose
    heights show as bands a line marks ``pointed_z`` mm.
    """

    bed: BedShape
    parts: tuple[PartShape, ...]
    lines: LinesShape | None
    columns: NDArray[np.float32]
    first_layer: float
    flat: bool = False
    cut_at: float = np.inf
    cut: CutFace | None = None
    skins: tuple[Skin, ...] = ()
    rough: tuple[Rough, ...] = ()
    pointed_z: float = -1.0
    ghosts: tuple[PartShape, ...] = ()

    @property
    def box(self) -> NDArray[np.float64]:
        """Least and largest corner of what is looked at, (2, 3), mm: bed and parts, in a section what is laid alone."""
        laid = self.lines.lines.box if self.lines else None
        if self.flat and laid is not None:
            return laid
        x0, y0, x1, y1 = self.bed.bed.bounds
        boxes = [np.array([(x0, y0, 0.0), (x1, y1, 0.0)]), *(part.box for part in self.parts)]
        if self.lines:
            boxes.append(np.array([(x0, y0, 0.0), (x1, y1, float(self.lines.lines.top.max()))]))
        return np.array([np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)])


def build_scene(
    desk: Desk,
    dragged: Mapping[Spot, tuple[float, float]],
    touching: Mapping[Spot, Spot],
    covering: frozenset[Spot],
) -> Scene:
    """Build the scene of the desk.

    Parameters
    ----------
    desk
        Job, selection, shown trial and view.
    dragged
        Places of copies that are being dragged, mm; they stand elsewhere in the job until they are let go.
    touching
        Copies that run into another, with that one.
    covering
        Copies that stand over an area kept free.
    """
    job, machine = desk.job, desk.job.machine
    parts = []
    there = set(desk.spots)
    lines = _lines(desk) if desk.view.station in LINES_AT else None
    for spot, part, copy in stood(job) if lines is None else ():
        stand, model = desk.shelf.stand_of(part, copy), desk.shelf.shown(part)
        at = dragged.get(spot, copy.at)
        if spot not in there or stand is None or model is None or at is None or copy.hidden:
            continue
        other = touching.get(spot)
        into = title_of(job, other) if other is not None and other in there else ""
        fault = _fault(machine, at, stand.size, into=into, covers=spot in covering)
        picked = spot in desk.selection.spots
        bodies = {zone.body for zone in part.zones if zone.shape == "body"} if picked else set()
        pieces = _pieces(model, desk.selection.body if picked else None, bodies, picked=picked, wrong=bool(fault))
        angle = float(desk.resolved_of(part.id).values["supports.angle"])
        limits = limits_of(angle, machine.overhang_limit)
        tints = _tints(part, stand.at(at), float(stand.size[2])) if picked else ()
        bands = _bands(desk, part)
        parts.append(PartShape(spot, model, pieces, stand.at(at), stand.size, at, picked, fault, limits, tints, bands))
    bed = BedShape(machine.bed, machine.height, machine.fan_side)
    first_layer = float(desk.resolved.values["layers.first_height"])
    columns = desk.foreseen.corners if desk.view.station == "Supports" else NO_COLUMNS
    flat, cut_at = lines is not None and _flat(desk), desk.cut_open.at
    at_pointer = desk.view.pointed_z if desk.view.station == "Recipe" else -1.0
    face = desk.cut_open.face
    ghosts = _ghosts(desk) if lines is not None and not flat else ()
    return Scene(
        bed, tuple(parts), lines, columns, first_layer, flat, cut_at, face, pointed_z=at_pointer, ghosts=ghosts
    )


def _ghosts(desk: Desk) -> tuple[PartShape, ...]:
    """Return the copies that the trial shown is of, as they stood when it was sliced."""
    trial = desk.trials.shown
    if trial is None or not desk.view.ghosts or desk.view.station != "Layers":
        return ()
    out = []
    for spot, part, copy in stood(trial.job):
        stand, model = desk.shelf.stand_of(part, copy), desk.shelf.shown(part)
        if stand is None or model is None or copy.at is None or copy.hidden:
            continue
        matrix = stand.at(copy.at)
        out.append(PartShape(spot, model, (), matrix, stand.size, copy.at, picked=False, fault="", limits=(0.0,) * 4))
    return tuple(out)


def _bands(desk: Desk, part: Part) -> NDArray[np.float32] | None:
    """Return how fine the layers of a part will be, where they are meant to differ."""
    found = desk.foreseen_heights.of_part(part.id) if desk.view.station == "Recipe" else None
    asked = part.curve or any(LAYER_HEIGHT.key in zone.settings for zone in part.zones)
    follows = desk.resolved_of(part.id).values[FOLLOW_SURFACE.key]
    if found is None or len(found[1]) < 3 or not (asked or follows):
        return None
    top, thick = found
    low, high = float(thick[1:].min()), float(thick[1:].max())
    if high - low < UNLIKE:
        return None
    place = np.searchsorted(top, (np.arange(MOST_BANDS) + 0.5) / MOST_BANDS * float(top[-1]))
    fine = (high - thick[np.minimum(place, len(thick) - 1)]) / (high - low)
    return np.clip(fine, 0.0, 1.0).astype(np.float32)


def _tints(part: Part, matrix: Matrix, tall: float) -> tuple[ZoneTint, ...]:
    frame, placed = ZoneFrame(part, matrix), [zone for zone in part.zones if zone.shape in TINTED]
    matrices = [np.asarray(np.linalg.inv(frame.unit_frame(zone, tall)), np.float64) for zone in placed]
    kinds = [TINTED.index(zone.shape) for zone in placed]
    return tuple(ZoneTint(*one) for one in zip(kinds, matrices, strict=True))[-MOST_TINTS:]


def _fault(machine: Machine, at: tuple[float, float], size: Matrix, *, into: str, covers: bool) -> str:
    """Say what is wrong with where a copy stands, the worst first; nothing where all is well."""
    if into:
        return lack_of_room(machine, at, size) or f"runs into {into}"
    return lack_of_room(machine, at, size) or ("over an area kept free" if covers else "")


def _pieces(
    model: ShelfModel, body: int | None, zoned: AbstractSet[int | None], *, picked: bool, wrong: bool
) -> tuple[Piece, ...]:
    """Take the body in hand apart from the others, which step back, and those that are zones from the rest."""
    wash = WRONG_WASH if wrong else PICKED_WASH if picked else 0.0
    body = body if body in model.numbers else None
    if body is None and not zoned & set(model.numbers):
        return (Piece(model, wash, lit=wrong or picked),)
    kinds: dict[tuple[bool, bool], list[int]] = {}
    for number in model.numbers:
        kinds.setdefault((number == body, number in zoned), []).append(number)
    out = []
    for (taken, is_zone), numbers in sorted(kinds.items()):
        if one := split_model(model, tuple(numbers)):
            share = 2.0 if taken else 1.0 if body is None else 0.25
            out.append(Piece(one, share * wash, taken or (body is None and (wrong or picked)), is_zone))
    return tuple(out)


def _lines(desk: Desk) -> LinesShape | None:
    trial, view = desk.trials.shown, desk.view
    if trial is None or trial.lines is None or trial.lines.count == 0:
        return None
    hidden = sum(1 << ROLE_NUMBER[role] for role in view.hidden_roles)
    marks = desk.only_here.marks if view.colour_by == "only" else None
    colour_by = "role" if view.colour_by == "only" else view.colour_by
    look = hidden, colour_by, view.hidden_heights, marks
    plane = None if _flat(desk) else view.plane
    if view.station == "Output":
        return LinesShape(trial.lines, 0, trial.lines.count - 1, 1.0, *look)
    last = min(view.layers[1], trial.lines.count - 1)
    first = last if _flat(desk) else min(view.layers[0], last)
    return LinesShape(trial.lines, first, last, view.along, *look, plane)


def _flat(desk: Desk) -> bool:
    return desk.view.section and desk.view.station == "Layers"
