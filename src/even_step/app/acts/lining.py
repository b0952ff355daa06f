"""What lines parts up, fits them, fills the bed; what locks and hides them."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.acts.action import Action
from even_step.app.acts.bodies import hide_body
from even_step.app.acts.placing import about, edit
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.room import fitting_factor
from even_step.core.job.spots import Spot, copy_at, first_spot, part_of, spots_of

MOST_FILLED = 400
SIDES: tuple[tuple[int, edits.Side, str], ...] = (
    (0, "least", "left edges"),
    (0, "middle", "middles, left to right"),
    (0, "most", "right edges"),
    (1, "least", "front edges"),
    (1, "middle", "middles, front to back"),
    (1, "most", "back edges"),
)


def _sizes(desk: Desk) -> dict[Spot, edits.Pair]:
    """Return width and depth of what is picked, as far as it is read."""
    stands = {spot: desk.stand(spot) for spot in desk.selection.spots}
    return {spot: (float(one.size[0]), float(one.size[1])) for spot, one in stands.items() if one is not None}


def _align(axis: int, side: edits.Side) -> Callable[[Reach], None]:
    def run(reach: Reach) -> None:
        desk, sizes = reach.desk, _sizes(reach.desk)
        spots = [spot for spot in desk.selection.spots if spot in sizes]
        edit(desk, f"align {about(desk)}", lambda job: edits.aligned(job, spots, sizes, axis, side))

    return run


def _distribute(axis: int) -> Callable[[Reach], None]:
    def run(reach: Reach) -> None:
        desk, sizes = reach.desk, _sizes(reach.desk)
        edit(desk, f"distribute {about(desk)}", lambda job: edits.distributed(job, list(sizes), sizes, axis))

    return run


def _fit_bed(reach: Reach) -> None:
    """Size the parts that are picked so that they just fit the machine, in the middle of the bed."""
    desk = reach.desk

    def fitted(job: Job) -> Job:
        for name in desk.selection.parts:
            stand = desk.stand(first_spot(part_of(job, name)))
            if stand is not None:
                factor = fitting_factor([float(length) for length in stand.size], job)
                job = edits.sized_by(job, (name,), (factor,) * 3)
        return edits.placed_at(job, dict.fromkeys(desk.selection.spots, job.machine.bed.centre))

    edit(desk, f"fit {about(desk)} to the bed", fitted)


def _mirror(axis: int) -> Callable[[Reach], None]:
    def run(reach: Reach) -> None:
        desk = reach.desk
        parts = desk.selection.parts
        edit(desk, f"mirror {about(desk)}", lambda job: edits.mirrored(job, parts, axis))

    return run


def _mark(reach: Reach, name: str, on: str, off: str) -> None:
    """Set a mark on what is picked, or take it away when all have it."""
    desk, spots = reach.desk, reach.desk.selection.spots
    has = all(getattr(copy_at(desk.job, spot), name) for spot in spots)
    desk.store.do(f"{off if has else on} {about(desk)}", edits.with_mark(desk.job, spots, **{name: not has}))


def _hide(reach: Reach) -> None:
    if reach.desk.selection.body is not None:
        hide_body(reach.desk)
        return
    _mark(reach, "hidden", "hide", "show")


def _lock(reach: Reach) -> None:
    _mark(reach, "locked", "lock", "unlock")


def _show_all(reach: Reach) -> None:
    desk = reach.desk
    job = edits.with_mark(desk.job, spots_of(desk.job), hidden=False)
    for part in job.parts:
        job = edits.with_part(job, part.id, hidden_bodies=())
    desk.store.do("show all parts", job)


def _cut_loose(reach: Reach) -> None:
    desk = reach.desk
    job, new = edits.cut_loose(desk.job, desk.selection.spots)
    edit(desk, f"cut {about(desk)} loose", lambda _: job)
    if desk.job is job:
        desk.selection.pick(new or desk.selection.spots)


def _fill(reach: Reach) -> None:
    """Add copies of the part in hand as long as there is room on the bed."""
    desk, spot = reach.desk, reach.desk.selection.in_hand
    outlines = desk.shadows.of(desk.job)
    if spot is None or outlines is None:
        return
    before = desk.job

    def find() -> Job:
        from even_step.core.job.arrange import filled  # noqa: PLC0415 - kernels load after the window shows

        return filled(before, outlines(), spot, MOST_FILLED)

    def done(job: Job) -> None:
        if desk.job is before:
            filled, known = part_of(job, spot.part), part_of(before, spot.part)
            more = len(filled.copies) - len(known.copies)
            desk.store.do(f"fill the bed with {known.name}", job)
            desk.note(f"{more} more found room." if more else "There is no room for one more.")

    desk.background.run("arrange", find, done)


def _picked(reach: Reach) -> bool:
    return bool(reach.desk.selection.spots)


def _some(count: int) -> Callable[[Reach], bool]:
    return lambda reach: len(reach.desk.selection.spots) >= count


def _has_copies(reach: Reach) -> bool:
    return any(len(part_of(reach.desk.job, part).copies) > 1 for part in reach.desk.selection.parts)


def _any_hidden(reach: Reach) -> bool:
    return any(bool(part.hidden_bodies) or any(copy.hidden for copy in part.copies) for part in reach.desk.job.parts)


ACTIONS = (
    *(
        Action(f"parts.align_{'xy'[axis]}_{side}", f"Align {word}", "Parts/Align", _align(axis, side), can=_some(2))
        for axis, side, word in SIDES
    ),
    *(
        Action(f"parts.distribute_{'xy'[axis]}", title, "Parts/Align", _distribute(axis), can=_some(3))
        for axis, title in enumerate(("Distribute, left to right", "Distribute, front to back"))
    ),
    *(
        Action(
            f"parts.mirror_{'xyz'[axis]}",
            f"Mirror along {'XYZ'[axis]}",
            "Parts/Mirror",
            _mirror(axis),
            ("X",) if axis == 0 else (),
            "flip-horizontal-2" if axis == 0 else "",
            can=_picked,
            synonyms=("flip",),
        )
        for axis in range(3)
    ),
    Action("parts.fit", "Size to fit the bed", "Parts", _fit_bed, can=_picked, synonyms=("scale to fit", "maximum")),
    Action("parts.fill", "As many as find room", "Parts", _fill, (), "grid-3x3", can=_picked),
    Action("parts.loose", "Cut copies loose", "Parts", _cut_loose, can=_has_copies, synonyms=("unlink", "separate")),
    Action("parts.lock", "Lock or unlock", "Parts", _lock, ("K",), "lock", can=_picked, synonyms=("fix", "pin")),
    Action("parts.hide", "Hide or show", "Parts", _hide, ("H",), "eye-off", can=_picked, synonyms=("invisible",)),
    Action("parts.show_all", "Show all parts", "Parts", _show_all, ("Shift+H",), can=_any_hidden),
)
