"""What can be done with the bodies of an assembly, and with the mending of a part."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.acts.placing import about, edit, place_new
from even_step.app.bench import Bench
from even_step.app.desk import Desk
from even_step.core.job import edits
from even_step.core.job.bodies import joined_again, split_off, with_bodies_hidden
from even_step.core.job.model import Job
from even_step.core.mesh.mesh import Repair


def body_names(desk: Desk, number: int) -> tuple[str, ...]:
    """Return the names of all bodies that the file's part has, none while it is being read."""
    whole = desk.shelf.whole(desk.job.parts[number])
    return tuple(body.name for body in whole.bodies) if whole else ()


def bodies_here(desk: Desk, number: int) -> tuple[int, ...]:
    """Return the numbers of a part's own bodies, none while it is being read."""
    model = desk.shelf.model(desk.job.parts[number])
    return model.numbers if model else ()


def split(desk: Desk, number: int, bodies: tuple[int, ...]) -> None:
    """Make bodies of a part parts of their own, laid beside it."""
    names = body_names(desk, number)
    job, new = split_off(desk.job, number, bodies, names)
    what = names[bodies[0]] if len(bodies) == 1 else f"{len(bodies)} bodies"
    place_new(desk, f"split {what} off {desk.job.parts[number].name}", job, new)


def _split_off(bench: Bench) -> None:
    desk = bench.desk
    if desk.selection.in_hand and desk.selection.body is not None:
        split(desk, desk.selection.in_hand[0], (desk.selection.body,))


def _split_all(bench: Bench) -> None:
    number = bench.desk.selection.parts[-1]
    split(bench.desk, number, bodies_here(bench.desk, number)[1:])


def _join(bench: Bench) -> None:
    desk, numbers = bench.desk, bench.desk.selection.parts
    wholes = {number: desk.shelf.whole(desk.job.parts[number]) for number in numbers}
    known = {number: (whole.name, len(whole.bodies)) for number, whole in wholes.items() if whole}
    if len(known) < len(numbers):
        return
    before, joined = desk.job, (0, 0)

    def join(job: Job) -> Job:
        nonlocal joined
        job, joined = joined_again(job, numbers, known)
        return job

    edit(desk, f"join {about(desk)}", join)
    if desk.job is not before:
        desk.selection.pick([joined])


def hide_body(desk: Desk) -> None:
    """Hide the body in hand, or show it."""
    spot, body = desk.selection.in_hand, desk.selection.body
    if spot is None or body is None:
        return
    part, name = desk.job.parts[spot[0]], body_names(desk, spot[0])[body]
    hide = body not in part.hidden_bodies
    verb = f"{'hide' if hide else 'show'} {name} of {part.name}"
    desk.store.do(verb, with_bodies_hidden(desk.job, spot[0], (body,), hidden=hide))


def _mend(desk: Desk, repair: Repair, verb: str) -> None:
    """Have the part in hand read again with other mending, and take it once it is read."""
    spot = desk.selection.in_hand
    if spot is None:
        return
    number, before = spot[0], desk.job
    part = before.parts[number]

    def then(*_: object) -> None:
        if desk.job is before:
            edit(desk, f"{verb} {part.name}", lambda job: edits.with_part(job, number, repair=repair))
        else:
            desk.note(f"The job was changed meanwhile, so this was not done: {verb} {part.name}.")

    desk.shelf.read((part.file, repair), then, lambda message: desk.note(message, "stop"))


def _has_several(bench: Bench) -> bool:
    parts = bench.desk.selection.parts
    return bool(parts) and len(bodies_here(bench.desk, parts[-1])) > 1


def _has_body(bench: Bench) -> bool:
    return _has_several(bench) and bench.desk.selection.body is not None


def _can_join(bench: Bench) -> bool:
    return len({bench.desk.job.parts[number].source for number in bench.desk.selection.parts}) == 1 and (
        len(bench.desk.selection.parts) > 1
    )


def can_repair(desk: Desk) -> bool:
    """Whether something of the part in hand is left to mend."""
    spot = desk.selection.in_hand
    model = desk.shelf.whole(desk.job.parts[spot[0]]) if spot else None
    return bool(spot and model and model.warnings and desk.job.parts[spot[0]].repair != "all")


def can_undo_repair(desk: Desk) -> bool:
    """Whether something of the part in hand was mended."""
    spot = desk.selection.in_hand
    model = desk.shelf.whole(desk.job.parts[spot[0]]) if spot else None
    return bool(spot and model and model.repairs and desk.job.parts[spot[0]].repair != "none")


ACTIONS = (
    Action("bodies.split", "Split off the body in hand", "Parts/Bodies", _split_off, can=_has_body),
    Action(
        "bodies.split_all",
        "Split into all bodies",
        "Parts/Bodies",
        _split_all,
        can=_has_several,
        synonyms=("explode", "separate"),
    ),
    Action(
        "bodies.join", "Join the bodies again", "Parts/Bodies", _join, can=_can_join, synonyms=("merge", "assemble")
    ),
    Action("bodies.hide", "Hide or show the body in hand", "Parts/Bodies", lambda b: hide_body(b.desk), can=_has_body),
    Action(
        "parts.repair",
        "Repair",
        "Parts",
        lambda b: _mend(b.desk, "all", "repair"),
        can=lambda b: can_repair(b.desk),
        synonyms=("mend", "close holes", "fix mesh"),
    ),
    Action(
        "parts.undo_repair",
        "Undo repair",
        "Parts",
        lambda b: _mend(b.desk, "none", "undo the repair of"),
        can=lambda b: can_undo_repair(b.desk),
        synonyms=("as read",),
    ),
)
