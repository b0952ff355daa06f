"""Where texture will lie, before anything is sliced: which facets of parts will be rough, and how."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.graph import Runner, Unit
from even_step.core.job.model import Job
from even_step.core.mesh.patches import halved
from even_step.core.outline_stages import FOOTPRINTS, HEIGHTS, MESH, REGIONS
from even_step.core.pipeline import bed_to_come
from even_step.core.plane import region
from even_step.core.slicing.texture import TextureSettings
from even_step.core.slicing.touched import touched_by
from even_step.core.stages import Cache
from even_step.core.work import Crew

FLAT = 0.95  # how much of a facet's normal points up or down where no wall shows
LONGEST = 2.0  # mm, a longer facet is halved: it may be rough in part
MOST = 200_000  # facets: of a finer mesh, or a larger one, facets stay whole
TOUCHED = 0.05  # mm that the middle of a facet may lie within its outline


@dataclass(frozen=True, eq=False)
class Relief:
    """Facets of one texture, (T, 3, 3) on the bed, mm; its depth and spacing, mm."""

    depth: float
    spacing: float
    corners: NDArray[np.float32]


def texture_before(job: Job, crew: Crew, cache: Cache) -> tuple[Relief, ...]:
    """Return what of the parts on a bed will be rough.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    placed, bed, runner = bed_to_come(job, crew, cache)
    known: dict[Unit, list[tuple[TextureSettings, NDArray[np.float64]]]] = {}
    found: dict[tuple[float, float], list[NDArray[np.float64]]] = {}
    for part, copy in zip(placed, bed.under, strict=True):
        unit = copy.under[0]
        if unit not in known:
            known[unit] = _rough(unit, runner)
        for settings, corners in known[unit]:
            lifted = corners + np.array([*part.at, runner.value(HEIGHTS, unit).base])
            found.setdefault((settings.depth, settings.spacing), []).append(lifted)
    return tuple(Relief(*key, np.concatenate(some).astype(np.float32)) for key, some in found.items())


def _rough(unit: Unit, runner: Runner) -> list[tuple[TextureSettings, NDArray[np.float64]]]:
    """Return the facets of a solid that will be rough, by what holds there."""
    zoned = unit.by_zone(TextureSettings)
    if not any(zoned.of(zones).depth for zones in ((), *((zone,) for zone in zoned.about))):
        return []
    mesh, heights, outlines = runner.given(MESH, unit), runner.value(HEIGHTS, unit), runner.value(REGIONS, unit)
    corners = _upright(mesh.vertices[mesh.faces].astype(np.float64))
    middle = corners.mean(axis=1)
    layer = np.clip(np.searchsorted(heights.tops, middle[:, 2]), 0, len(heights.tops) - 1)
    over = np.zeros((len(corners), len(zoned.about)), np.bool_)
    if zoned.about:
        prints = runner.value(FOOTPRINTS, unit)
        for column, zone in enumerate(zoned.about):
            over[:, column] = _within(prints.outline, prints.which[zone][layer], middle)
    kinds, which = np.unique(over, axis=0, return_inverse=True)
    rough = []
    for number, kind in enumerate(kinds):
        settings = zoned.of(tuple(zone for zone, lies in zip(zoned.about, kind, strict=True) if lies))
        some = np.flatnonzero(which.ravel() == number)
        if settings.depth and settings.opening_width:
            used, place = np.unique(outlines.which[layer[some]], return_inverse=True)
            touched = touched_by(outlines.outline[used], settings.opening_width, runner.run.crew)
            some = some[touched.reaches(middle[some, :2], place.ravel(), TOUCHED)]
        if settings.depth and len(some):
            rough.append((settings, corners[some]))
    return rough


def _upright(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the facets that show walls, long ones halved."""
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    long = np.linalg.norm(normal, axis=1)
    corners = corners[(long > 0.0) & (np.abs(normal[:, 2]) < FLAT * long)]
    if long.sum() / 2 > MOST * LONGEST * LONGEST / 4 or len(corners) > MOST:
        return corners
    return halved(corners, lambda _, longest: longest <= LONGEST)[0]


def _within(outlines: region.Regions, which: NDArray[np.int64], points: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell of each point whether its own outline holds it."""
    out = np.zeros(len(points), np.bool_)
    for one in np.unique(which):
        some = np.flatnonzero(which == one)
        out[some] = region.inside(outlines[one], points[some, :2])
    return out
