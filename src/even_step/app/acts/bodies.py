"""What can be done with the bodies of an assembly, and with the mending of a part."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.acts.placing import about, edit, place_new
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, part_of
from even_step.core.mesh.mesh import Repair


def body_names(desk: Desk, part: str) -> tuple[str, ...]:
    """Return the names of all bodies that the file's part has, none while it is being read."""
    whole = desk.shelf.whole(part_of(desk.job, part))
    return tuple(body.name for body in whole.bodies) if whole else ()


def bodies_here(desk: Desk, part: str) -> tuple[int, ...]:
    """Return the numbers of a part's own bodies, none while it is being read."""
    model = desk.shelf.model(part_of(desk.job, part))
    return model.numbers if model else ()


def split(desk: Desk, part: str, bodies: tuple[int, ...]) -> None:
    """Make bodies of a part parts of their own, laid beside it."""
    names = body_names(desk, part)
    job, new = edits.split_off(desk.job, part, bodies, names)
    what = names[bodies[0]] if len(bodies) == 1 else f"{len(bodies)} bodies"
    place_new(desk, f"split {what} off {part_of(desk.job, part).name}", job, new)


def _split_off(reach: Reach) -> None:
    desk = reach.desk
    if desk.selection.in_hand and desk.selection.body is not None:
        split(desk, desk.selection.in_hand.part, (desk.selection.body,))


def _split_all(reach: Reach) -> None:
    part = reach.desk.selection.parts[-1]
    split(reach.desk, part, bodies_here(reach.desk, part)[1:])


def _join(reach: Reach) -> None:
    desk, parts = reach.desk, reach.desk.selection.parts
    wholes = {part: desk.shelf.whole(part_of(desk.job, part)) for part in parts}
    known = {part: (whole.name, len(whole.bodies)) for part, whole in wholes.items() if whole}
    if len(known) < len(parts):
        return
    joined: list[Spot] = []

    def join(job: Job) -> Job:
        job, spot = edits.joined_again(job, parts, known)
        joined.append(spot)
        return job

    before = desk.job
    edit(desk, f"join {about(desk)}", join)
    if desk.job is not before:
        desk.selection.pick(joined)


def hide_body(desk: Desk) -> None:
    """Hide the body in hand, or show it."""
    spot, body = desk.selection.in_hand, desk.selection.body
    if spot is None or body is None:
        return
    part, name = part_of(desk.job, spot.part), body_names(desk, spot.part)[body]
    hide = body not in part.hidden_bodies
    verb = f"{'hide' if hide else 'show'} {name} of {part.name}"
    desk.store.do(verb, edits.with_bodies_hidden(desk.job, spot.part, (body,), hidden=hide))


def _mend(desk: Desk, repair: Repair, verb: str) -> None:
    """Have the part in hand read again with other mending, and take it once it is read."""
    spot = desk.selection.in_hand
    if spot is None:
        return
    before = desk.job
    part = part_of(before, spot.part)

    def then(*_: object) -> None:
        if desk.job is before:
            edit(desk, f"{verb} {part.name}", lambda job: edits.with_part(job, part.id, repair=repair))
        else:
            desk.note(f"The job was changed meanwhile, so this was not done: {verb} {part.name}.")

    desk.shelf.read((part.file, repair), then, lambda message: desk.note(message, "stop"))


def _has_several(reach: Reach) -> bool:
    parts = reach.desk.selection.parts
    return bool(parts) and len(bodies_here(reach.desk, parts[-1])) > 1


def _has_body(reach: Reach) -> bool:
    return _has_several(reach) and reach.desk.selection.body is not None


def _can_join(reach: Reach) -> bool:
    return len({part_of(reach.desk.job, part).source for part in reach.desk.selection.parts}) == 1 and (
        len(reach.desk.selection.parts) > 1
    )


def can_repair(desk: Desk) -> bool:
    """Whether something of the part in hand is left to mend."""
    spot = desk.selection.in_hand
    part = part_of(desk.job, spot.part) if spot else None
    model = desk.shelf.whole(part) if part else None
    return bool(part and model and model.warnings and part.repair != "all")


def can_undo_repair(desk: Desk) -> bool:
    """Whether something of the part in hand was mended."""
    spot = desk.selection.in_hand
    part = part_of(desk.job, spot.part) if spot else None
    model = desk.shelf.whole(part) if part else None
    return bool(part and model and model.repairs and part.repair != "none")


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
