"""Parts cut open at a height before anything is sliced: the faces of the cut, zone by zone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.graph import Runner, Unit
from even_step.core.job.model import Job
from even_step.core.outline_stages import HEIGHTS, MESH, ZONES
from even_step.core.pipeline import bed_to_come
from even_step.core.plane import cut, region
from even_step.core.plane.ragged import Index
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.slicing.zones import Cells, cells, footprints
from even_step.core.stages import Cache
from even_step.core.work import Crew

NO_ZONE = -1


@dataclass(frozen=True, eq=False)
class CutFaces:
    """The faces of a cut through all parts on a bed.

    Attributes
    ----------
    corners : (T, 3, 2) float32
        Their triangles on the bed, mm.
    zone : (T,) int64
        Which of its part's zones each lies in, the last where several do; ``NO_ZONE`` for none.
    """

    corners: NDArray[np.float32]
    zone: Index


def cut_faces(job: Job, height: float, crew: Crew, cache: Cache) -> CutFaces:
    """Cut all parts on a bed open that are drawn.

    Parameters
    ----------
    job
        With at least one part.
    height
        Above the bed, mm.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    placed, bed, runner = bed_to_come(job, crew, cache)
    known: dict[int, Cells] = {}
    shapes, zones = [region.nothing(0)], []
    hidden = {copy.id for part in job.parts for copy in part.copies if copy.hidden}
    for part, copy in zip(placed, bed.under, strict=True):
        if part.id in hidden:
            continue
        if part.solid not in known:
            known[part.solid] = _cells(runner, copy.under[0], height)
        for lies_in, shape in zip(known[part.solid].zones, known[part.solid].shape, strict=True):
            shapes.append(region.shifted(shape, *part.at))
            zones.append(lies_in[-1] if lies_in else NO_ZONE)
    shape = np.concatenate(shapes)
    pieces, owner = region.pieces(shape)
    corners, piece = cut.triangles(pieces)
    of = np.array(zones, np.int64)
    return CutFaces(corners.astype(np.float32), of[owner[piece]])


def _cells(runner: Runner, solid: Unit, height: float) -> Cells:
    """Return the cells of a solid at a height."""
    settings, at = solid.record(ContourSettings), np.array([height])
    found = contours(runner.given(MESH, solid), at, settings, runner.run.crew)
    shapes = runner.given(ZONES, solid)
    prints = footprints(shapes, runner.value(HEIGHTS, solid), settings, runner.run.crew, at)
    return cells(found.outline, found.which, prints, range(len(shapes.shapes)))
