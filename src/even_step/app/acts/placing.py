"""Edits with a name for undo, and places for what has none."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.desk import Desk
from even_step.core.errors import EvenStepError
from even_step.core.job import edits
from even_step.core.job.beds import bed_count, without_empty_beds
from even_step.core.job.locks import disturbed
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, copy_at, part_of, stood, title_of


def about(desk: Desk, spots: tuple[Spot, ...] | None = None) -> str:
    """Name what is picked: one part by its name, more by their number."""
    spots = desk.selection.spots if spots is None else spots
    parts = {spot.part for spot in spots}
    if len(spots) == 1:
        return title_of(desk.job, spots[0])
    return f"{part_of(desk.job, parts.pop()).name}s" if len(parts) == 1 else f"{len(spots)} parts"


def edit(desk: Desk, verb: str, change: Callable[[Job], Job], join: str = "", *, held: str = "") -> None:
    """Do an edit to the job under a name; what cannot be is told, and what is locked stays."""
    try:
        job = change(desk.job)
    except EvenStepError as error:
        desk.note(str(error), "stop")
        return
    if _stays_locked(desk, job):
        return
    desk.store.do(verb, without_empty_beds(job), join, held=held)


def _stays_locked(desk: Desk, job: Job) -> bool:
    """Whether a job would disturb what is locked; that is told."""
    locked = disturbed(desk.job, job)
    if locked:
        desk.note(f"{locked} is locked and stays as it is. Unlock it first (K).", "caution")
    return bool(locked)


def _look_at(desk: Desk, spots: list[Spot]) -> None:
    """Pick what was placed, as much of it as stands on one bed: the one in view, else that of the first."""
    beds = [copy_at(desk.job, spot).bed for spot in spots]
    if beds and desk.view.bed not in beds:
        desk.view.set("bed", beds[0])
    desk.selection.pick(spot for spot, bed in zip(spots, beds, strict=True) if bed == desk.view.bed)


def _alone(desk: Desk, job: Job) -> Job | None:
    """Place the only copy of all at once, without loading what nesting needs; none where that cannot be."""
    ((spot, part, copy), *others) = stood(job)
    stand = desk.shelf.stand_of(part, copy)
    if others or stand is None or copy.at is not None:
        return None
    return edits.in_the_middle(job, spot, stand.size)


def place_new(
    desk: Desk,
    verb: str,
    job: Job,
    pick: list[Spot] | None = None,
    *,
    turning: bool = False,
    again: Callable[[], None] | None = None,
) -> None:
    """Swap in a job some of whose copies have no place yet, once places have been found beside the window.

    When the job has been changed meanwhile, ``again`` is called to begin anew; without it that is told.
    """
    if _stays_locked(desk, job):
        return
    outlines = desk.shadows.of(job)
    if outlines is None:
        desk.note("The models are still being read; try again in a moment.")
        return
    before = desk.job
    alone = _alone(desk, job)

    def find() -> Job:
        from even_step.core.job.arrange import over_beds  # noqa: PLC0415 - kernels load after the window shows

        return over_beds(job, outlines(), turning=turning)

    def placed(done: Job) -> None:
        if desk.job is not before:
            meanwhile = again or (lambda: desk.note(f"The job was changed meanwhile, so this was not done: {verb}."))
            meanwhile()
            return
        done = without_empty_beds(done)
        desk.store.do(verb, done)
        if pick is not None:
            _look_at(desk, pick)
        if bed_count(done) > bed_count(job):
            told = f"Not all found room on one bed: the job has {bed_count(done)} now."
            desk.note(told, remedy="beds.gather")

    if alone is not None:
        placed(alone)
    else:
        # What can begin anew must not be dropped for what comes after it, such as the next files.
        desk.background.run(f"arrange {id(job)}" if again else "arrange", find, placed)
