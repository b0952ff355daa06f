"""Where parts go on the bed when nobody said where."""

from __future__ import annotations

from collections.abc import Mapping

from even_step.core.job.edits import MOST_COPIES, Spot, copy_at, laid_at, spots_of, with_part
from even_step.core.job.model import Bed, Job, Layout
from even_step.core.layout.nest import Ground, nest
from even_step.core.layout.outline import Outline
from even_step.core.plane import region

QUARTERS = (0.0, 90.0, 180.0, 270.0)


def ground_of(bed: Bed, layout: Layout) -> Ground:
    """Return where on a bed parts may lie."""
    kept = tuple(region.rectangle(*area) for area in layout.keep_out)
    return Ground(bed.bounds, bed.shape == "round", kept)


def with_places(job: Job, outlines: Mapping[Spot, Outline], *, turning: bool = False) -> Job:
    """Return the job with a place for every copy that had none.

    Parameters
    ----------
    job
        Any job.
    outlines
        What each copy covers as it stands.
    turning
        Whether copies may be given quarter turns too, where the job's layout allows it.
    """
    lacking = [spot for spot in spots_of(job) if copy_at(job, spot).at is None]
    taken = [(outlines[spot], at) for spot in spots_of(job) if (at := copy_at(job, spot).at) is not None]
    turns = QUARTERS if turning and job.layout.turning else QUARTERS[:1]
    ground = ground_of(job.machine.bed, job.layout)
    found = nest([outlines[spot] for spot in lacking], ground, taken, job.layout.spacing, turns)
    return laid_at(job, {spot: (one.at, one.turn) for spot, one in zip(lacking, found, strict=True)})


def filled(job: Job, outlines: Mapping[Spot, Outline], spot: Spot, most: int) -> Job:
    """Return the job with further copies of one as long as there is room, at the most so many."""
    taken = [(outlines[other], at) for other in spots_of(job) if (at := copy_at(job, other).at) is not None]
    ground = ground_of(job.machine.bed, job.layout)
    turns = QUARTERS if job.layout.turning else QUARTERS[:1]
    found = nest([outlines[spot]] * most, ground, taken, job.layout.spacing, turns)
    model, number = copy_at(job, spot), spot[0]
    more = tuple(
        model.model_copy(update={"at": one.at, "turn": model.turn + one.turn, "locked": False})
        for one in found
        if one.fits
    )
    return with_part(job, number, copies=(job.parts[number].copies + more)[:MOST_COPIES])
