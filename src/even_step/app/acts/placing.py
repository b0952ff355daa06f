"""Edits with a name for undo, and places for what has none."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.desk import Desk
from even_step.core.errors import EvenStepError
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.settle import with_places


def about(desk: Desk, spots: tuple[edits.Spot, ...] | None = None) -> str:
    """Name what is picked: one part by its name, more by their number."""
    spots = desk.selection.spots if spots is None else spots
    parts = {spot[0] for spot in spots}
    if len(spots) == 1:
        return edits.title_of(desk.job, spots[0])
    return f"{desk.job.parts[parts.pop()].name}s" if len(parts) == 1 else f"{len(spots)} parts"


def edit(desk: Desk, verb: str, change: Callable[[Job], Job], join: str = "") -> None:
    """Do an edit to the job under a name; what cannot be is told."""
    try:
        job = change(desk.job)
    except EvenStepError as error:
        desk.note(str(error), "stop")
        return
    desk.store.do(verb, job, join)


def place_new(desk: Desk, verb: str, job: Job, pick: list[edits.Spot] | None = None) -> None:
    """Swap in a job some of whose copies have no place yet, once places have been found beside the window."""
    sizes = {}
    for spot in edits.spots_of(job):
        stand = desk.shelf.stand_of(job.parts[spot[0]], edits.copy_at(job, spot))
        if stand is None:
            desk.note("The models are still being read; try again in a moment.")
            return
        sizes[spot] = (float(stand.size[0]), float(stand.size[1]))
    before = desk.job

    def placed(done: Job) -> None:
        if desk.job is before:
            desk.store.do(verb, done)
            if pick is not None:
                desk.selection.pick(pick)

    desk.background.run("arrange", lambda: with_places(job, sizes), placed)
