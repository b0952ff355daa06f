"""What can be done with the beds of a job."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.acts.action import Action
from even_step.app.acts.placing import about, place_new
from even_step.app.reach import Reach
from even_step.core.errors import EvenStepError
from even_step.core.job import edits
from even_step.core.job.beds import bed_count, put_on_bed, spots_on
from even_step.core.job.model import MOST_BEDS
from even_step.core.job.spots import stood


def _step(way: int) -> Callable[[Reach], None]:
    def run(reach: Reach) -> None:
        view = reach.desk.view
        view.set("bed", (view.bed + way) % bed_count(reach.desk.job))

    return run


def _move(reach: Reach, bed: int) -> None:
    desk, spots = reach.desk, list(reach.desk.selection.spots)
    try:
        job = put_on_bed(desk.job, spots, bed)
    except EvenStepError as error:
        desk.note(str(error), "stop")
        return
    place_new(desk, f"move {about(desk)} to bed {bed + 1}", job, spots)


def _gather_all(reach: Reach) -> None:
    job = edits.without_places(reach.desk.job)
    free = [spot for spot, _, copy in stood(job) if copy.at is None]
    place_new(reach.desk, "arrange all beds", edits.with_mark(job, free, bed=0), turning=True)


def _several(reach: Reach) -> bool:
    return bed_count(reach.desk.job) > 1


def _picked(reach: Reach) -> bool:
    return bool(reach.desk.selection.spots)


def _leaves_something(reach: Reach) -> bool:
    """Whether others stay behind when what is picked goes to a bed of its own."""
    desk = reach.desk
    picked = len(desk.selection.spots)
    return 0 < picked < len(spots_on(desk.job, desk.view.bed)) and bed_count(desk.job) < MOST_BEDS


ACTIONS = (
    Action("beds.next", "Next bed", "Parts/Beds", _step(1), ("Ctrl+PgDown",), can=_several),
    Action("beds.last", "Bed before", "Parts/Beds", _step(-1), ("Ctrl+PgUp",), can=_several),
    Action(
        "beds.move_next",
        "Move to the next bed",
        "Parts/Beds",
        lambda b: _move(b, (b.desk.view.bed + 1) % bed_count(b.desk.job)),
        can=lambda b: _several(b) and _picked(b),
    ),
    Action(
        "beds.move_new",
        "Move to a new bed",
        "Parts/Beds",
        lambda b: _move(b, bed_count(b.desk.job)),
        can=_leaves_something,
        synonyms=("another bed", "second bed"),
    ),
    Action(
        "beds.gather",
        "Gather over all beds",
        "Parts/Beds",
        _gather_all,
        ("Shift+G",),
        can=lambda b: bool(b.desk.job.parts),
    ),
)
