"""Where parts go on the bed when nobody said where."""

from __future__ import annotations

from collections.abc import Mapping

from even_step.core.job.beds import bed_count, put_on_bed
from even_step.core.job.edits import Pair, laid_at, with_part
from even_step.core.job.model import MOST_BEDS, MOST_COPIES, Bed, Job, Layout
from even_step.core.job.spots import Spot, copy_at, part_of, stood
from even_step.core.layout.nest import Ground, Laid, nest
from even_step.core.layout.shadow import Shadow
from even_step.core.plane import region

QUARTERS = (0.0, 90.0, 180.0, 270.0)


def ground_of(bed: Bed, layout: Layout) -> Ground:
    """Return where on a bed parts may lie."""
    kept = tuple(region.rectangle(*area) for area in layout.keep_out)
    return Ground(bed.bounds, bed.shape == "round", kept)


def with_places(job: Job, shadows: Mapping[Spot, Shadow], *, turning: bool = False) -> Job:
    """Return the job with a place for every copy that had none, on its own bed or beside it.

    Parameters
    ----------
    job
        Any job.
    shadows
        What each copy covers as it stands.
    turning
        Whether copies may be given quarter turns too, where the job's layout allows it.
    """
    for bed in range(bed_count(job)):
        lacking, found = _found(job, shadows, bed, turning=turning)
        job = laid_at(job, {spot: (one.at, one.turn) for spot, one in zip(lacking, found, strict=True)})
    return job


def over_beds(job: Job, shadows: Mapping[Spot, Shadow], *, turning: bool = False) -> Job:
    """Return the job with a place for every copy that had none; what finds no room on its bed goes to the next.

    What has no room on an empty bed either stands beside its own. See ``with_places``.
    """
    alone: dict[int, bool] = {}

    def ever(spot: Spot) -> bool:
        shadow = shadows[spot]
        if id(shadow) not in alone:
            ground = ground_of(job.machine.bed, job.layout)
            alone[id(shadow)] = nest([shadow], ground, (), job.layout.spacing, _turns(job, turning=turning))[0].fits
        return alone[id(shadow)]

    bed = 0
    while bed < bed_count(job):
        lacking, found = _found(job, shadows, bed, turning=turning)
        room = bed + 1 < MOST_BEDS
        goes = [spot for spot, one in zip(lacking, found, strict=True) if not one.fits and room and ever(spot)]
        stays = {spot: (one.at, one.turn) for spot, one in zip(lacking, found, strict=True) if spot not in set(goes)}
        job = put_on_bed(laid_at(job, stays), goes, bed + 1)
        bed += 1
    return job


def _turns(job: Job, *, turning: bool) -> tuple[float, ...]:
    return QUARTERS if turning and job.layout.turning else QUARTERS[:1]


def _found(job: Job, shadows: Mapping[Spot, Shadow], bed: int, *, turning: bool) -> tuple[list[Spot], list[Laid]]:
    """Return which copies of a bed lack a place, and what places there are for them."""
    lacking = [spot for spot, _, copy in stood(job) if copy.bed == bed and copy.at is None]
    ground = ground_of(job.machine.bed, job.layout)
    turns = _turns(job, turning=turning)
    return lacking, nest([shadows[s] for s in lacking], ground, _taken(job, shadows, bed), job.layout.spacing, turns)


def _taken(job: Job, shadows: Mapping[Spot, Shadow], bed: int) -> list[tuple[Shadow, Pair]]:
    return [(shadows[spot], copy.at) for spot, _, copy in stood(job) if copy.bed == bed and copy.at is not None]


def filled(job: Job, shadows: Mapping[Spot, Shadow], spot: Spot, most: int) -> Job:
    """Return the job with further copies of one on its bed as long as there is room, at the most so many."""
    model = copy_at(job, spot)
    ground = ground_of(job.machine.bed, job.layout)
    taken = _taken(job, shadows, model.bed)
    found = nest([shadows[spot]] * most, ground, taken, job.layout.spacing, _turns(job, turning=True))
    more = tuple(
        model.model_copy(update={"id": "", "at": one.at, "turn": model.turn + one.turn, "locked": False})
        for one in found
        if one.fits
    )
    return with_part(job, spot.part, copies=(part_of(job, spot.part).copies + more)[:MOST_COPIES])
