"""What supports will look like, before anything is sliced: columns as they are wanted, not yet cut from the part."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Job
from even_step.core.outline_stages import HEIGHTS
from even_step.core.pipeline import bed_to_come
from even_step.core.plane import cut, region
from even_step.core.slicing.bridged import SpareSettings
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.supports.seeds import ColumnShapes
from even_step.core.stages import Cache
from even_step.core.support_stages import COLUMNS, HELD_BY_COLUMNS, SPARED, UNDERSIDES
from even_step.core.work import Crew


@dataclass(frozen=True)
class Foreseen:
    """What of a part's copies together hangs, lacks a column, and is to have none, mm²; by the part's id."""

    part: str
    hanging: float
    unheld: float
    clear: float


@dataclass(frozen=True, eq=False)
class Preview:
    """What supports will look like.

    Attributes
    ----------
    parts : of Foreseen
        Of each part on the bed.
    corners : (T, 3, 3) float32
        Facets of all columns, on the bed, mm.
    """

    parts: tuple[Foreseen, ...]
    corners: NDArray[np.float32]


def preview(job: Job, crew: Crew, cache: Cache) -> Preview:
    """Find the columns of all parts on a bed.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    placed, bed, runner = bed_to_come(job, crew, cache)
    units = [copy.under[0] for copy in bed.under]
    facets: dict[int, NDArray[np.float32]] = {}
    told: dict[str, Foreseen] = {}
    pieces = []
    for part, unit in zip(placed, units, strict=True):
        if not unit.record(SpareSettings).asked:
            runner.preset(SPARED, unit, {})  # it would make walls and covers to find none
        under, held = runner.value(UNDERSIDES, unit), runner.value(HELD_BY_COLUMNS, unit)
        before = told.get(part.part, Foreseen(part.part, 0.0, 0.0, 0.0))
        clear, bare = under.marked.clear, under.facets.area * (1.0 - held.share)
        told[part.part] = Foreseen(
            part.part,
            before.hanging + under.facets.total,
            before.unheld + float(bare[~clear].sum()),
            before.clear + float(under.facets.area[clear].sum()),
        )
        if part.solid not in facets:
            facets[part.solid] = prisms(runner.value(COLUMNS, unit), runner.value(HEIGHTS, unit))
        pieces.append(facets[part.solid] + np.array([*part.at, 0.0], np.float32))
    return Preview(tuple(told.values()), np.concatenate(pieces) if pieces else np.empty((0, 3, 3), np.float32))


def prisms(columns: ColumnShapes, heights: Heights) -> NDArray[np.float32]:
    """Return the sides and tops of columns as facets (T, 3, 3), mm, in the solid's frame."""
    which = columns.which
    first = np.flatnonzero((which >= 0) & (np.diff(which, prepend=-1) != 0))
    last = np.array([np.flatnonzero(which == which[at])[-1] for at in first], np.int64)
    out = [np.empty((0, 3, 3))]
    for low, high in zip(first, last, strict=True):
        shape = columns.shape[which[low]]
        bottom, top = float((heights.top - heights.thick)[low]), float(heights.top[high])
        out += [_sides(shape, bottom, top), _lid(shape, top)]
    return np.concatenate(out).astype(np.float32)


def _sides(shape: region.Geometry, bottom: float, top: float) -> NDArray[np.float64]:
    rings = region.rings(np.array([shape], object))
    follows = np.arange(1, len(rings.xy) + 1)
    follows[rings.start[1:] - 1] = rings.start[:-1]
    a, b = rings.xy, rings.xy[follows]
    low, high = np.full((len(a), 1), bottom), np.full((len(a), 1), top)
    corners = [np.hstack((xy, z)) for xy, z in ((a, low), (b, low), (b, high), (a, high))]
    return np.concatenate([np.stack([corners[i] for i in some], axis=1) for some in ((0, 1, 2), (0, 2, 3))])


def _lid(shape: region.Geometry, top: float) -> NDArray[np.float64]:
    parts, _ = region.pieces(np.array([shape], object))
    corners, _ = cut.triangles(parts)
    return np.concatenate((corners, np.full((*corners.shape[:2], 1), top)), axis=2)
