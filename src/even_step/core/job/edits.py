"""Edits of a job: each takes a job and returns another that shares what did not change.

A *spot* names one copy on the bed: the number of its part in the job and the number of the copy in the part.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import checked, find_setting
from even_step.core.errors import JobError
from even_step.core.job.model import Copy, Job, Machine, Material, Part, Recipe, Unit
from even_step.core.mesh.turning import turn_matrix, turn_of

Spot = tuple[int, int]
Pair = tuple[float, float]
Triple = tuple[float, float, float]
LEAST_SCALE, MOST_SCALE = 1e-4, 1e4
MOST_COPIES = 1000


def spots_of(job: Job) -> list[Spot]:
    """Return every copy on the bed, in the job's order."""
    return [(i, k) for i, part in enumerate(job.parts) for k in range(len(part.copies))]


def copy_at(job: Job, spot: Spot) -> Copy:
    """Return the copy a spot names."""
    return job.parts[spot[0]].copies[spot[1]]


def title_of(job: Job, spot: Spot) -> str:
    """Name a copy, with its number from the second on."""
    part = job.parts[spot[0]]
    return part.name if spot[1] == 0 else f"{part.name} {spot[1] + 1}"


def with_part(job: Job, number: int, **fields: object) -> Job:
    """Return the job with fields of one part replaced."""
    parts = list(job.parts)
    parts[number] = parts[number].model_copy(update=fields)
    return job.model_copy(update={"parts": tuple(parts)})


def _with_copies(job: Job, spots: Iterable[Spot], change: Callable[[Copy], Copy]) -> Job:
    chosen = set(spots)
    parts = [
        part.model_copy(
            update={"copies": tuple(change(c) if (i, k) in chosen else c for k, c in enumerate(part.copies))}
        )
        if any(spot[0] == i for spot in chosen)
        else part
        for i, part in enumerate(job.parts)
    ]
    return job.model_copy(update={"parts": tuple(parts)})


def on_grid(xy: Iterable[float]) -> Pair:
    """Return a place on the grid of a micrometre that toolpaths lie on, mm."""
    x, y = (round(float(value), 3) + 0.0 for value in xy)
    return x, y


def moved(job: Job, spots: Iterable[Spot], by: Pair) -> Job:
    """Move copies over the bed, mm. Copies without a place stay without one."""

    def change(copy: Copy) -> Copy:
        at = copy.at and on_grid((copy.at[0] + by[0], copy.at[1] + by[1]))
        return copy.model_copy(update={"at": at})

    return _with_copies(job, spots, change)


def placed_at(job: Job, places: Mapping[Spot, Pair]) -> Job:
    """Put copies with their middle at the given places, mm."""
    parts = [
        part.model_copy(
            update={
                "copies": tuple(
                    copy.model_copy(update={"at": on_grid(places[i, k])}) if (i, k) in places else copy
                    for k, copy in enumerate(part.copies)
                )
            }
        )
        for i, part in enumerate(job.parts)
    ]
    return job.model_copy(update={"parts": tuple(parts)})


def laid_at(job: Job, places: Mapping[Spot, tuple[Pair, float]]) -> Job:
    """Put copies with their middle at the given places, mm, each turned by so many degrees."""
    job = placed_at(job, {spot: at for spot, (at, _) in places.items()})
    for turn in sorted({turn for _, turn in places.values()} - {0.0}):
        job = turned(job, [spot for spot, (_, own) in places.items() if own == turn], 2, turn)
    return job


def without_places(job: Job, spots: Iterable[Spot] | None = None) -> Job:
    """Return the job with copies that are not locked taken off their places, to be laid out anew; all, if not named."""
    chosen = spots_of(job) if spots is None else spots
    return with_mark(job, [spot for spot in chosen if not copy_at(job, spot).locked], at=None)


def turned(job: Job, spots: Iterable[Spot], axis: int, degrees: float) -> Job:
    """Turn about an axis of the bed (0 x, 1 y, 2 z) by some degrees.

    About z each chosen copy turns alone; about x and y a part turns with all its copies, as the copy whose
    spot comes first sees that axis.
    """
    chosen = sorted(set(spots))
    if axis == 2:
        return _with_copies(job, chosen, lambda c: c.model_copy(update={"turn": _within_turn(c.turn + degrees)}))
    angles = [0.0, 0.0, 0.0]
    angles[axis] = degrees
    for number in dict.fromkeys(spot[0] for spot in chosen):
        part = job.parts[number]
        first = next(spot for spot in chosen if spot[0] == number)
        own = turn_matrix((0.0, 0.0, part.copies[first[1]].turn))
        matrix = own.T @ turn_matrix((angles[0], angles[1], angles[2])) @ own @ turn_matrix(part.turn)
        job = with_part(job, number, turn=turn_of(matrix))
    return job


def posed_by(job: Job, number: int, matrix: NDArray[np.float64]) -> Job:
    """Turn a part by a rotation in its own frame (before its copies' turns), such as one that sets a face down."""
    part = job.parts[number]
    return with_part(job, number, turn=turn_of(matrix @ turn_matrix(part.turn)))


def posed_as(job: Job, number: int, matrix: NDArray[np.float64]) -> Job:
    """Stand a part by a rotation from its file's frame; its copies keep no turn of their own."""
    copies = tuple(copy.model_copy(update={"turn": 0.0}) for copy in job.parts[number].copies)
    return with_part(job, number, turn=turn_of(matrix), copies=copies)


def _within_turn(degrees: float) -> float:
    """Return the same angle from −180° (left out) to 180°."""
    rest = round(degrees % 360.0, 6)
    return rest - 360.0 if rest > 180.0 else rest


def sized(job: Job, number: int, scale: Triple) -> Job:
    """Give a part its scale along the axes of its file.

    Raises
    ------
    JobError
        When a factor is not above 0 or beyond any sense.
    """
    for factor in scale:
        if not LEAST_SCALE <= factor <= MOST_SCALE:
            raise JobError(
                f"{factor * 100:g} % is no size",
                subject=job.parts[number].name,
                remedy=f"{LEAST_SCALE * 100:g} to {MOST_SCALE * 100:g} %",
            )
    return with_part(job, number, scale=tuple(float(factor) for factor in scale))


def sized_by(job: Job, numbers: Iterable[int], factors: Sequence[float]) -> Job:
    """Multiply the scales of parts along the axes of their files.

    Raises
    ------
    JobError
        When one of them would have no size any more.
    """
    for number in numbers:
        x, y, z = (scale * factor for scale, factor in zip(job.parts[number].scale, factors, strict=True))
        job = sized(job, number, (x, y, z))
    return job


def mirrored(job: Job, numbers: Iterable[int], axis: int) -> Job:
    """Mirror parts along an axis of the bed, in place.

    A mirror along the bed is one along the file's axis with a turn: ``M·R = (M·R·M)·M``, and ``M·R·M`` is a rotation.
    """
    flip = np.eye(3)
    flip[axis, axis] = -1.0
    for number in numbers:
        part = job.parts[number]
        own = tuple(is_so != (i == axis) for i, is_so in enumerate(part.mirrored))
        turn = turn_of(flip @ turn_matrix(part.turn) @ flip)
        copies = part.copies
        if axis < 2:  # a turn about z runs the other way in a mirror
            copies = tuple(copy.model_copy(update={"turn": _within_turn(-copy.turn)}) for copy in copies)
        job = with_part(job, number, mirrored=own, turn=turn, copies=copies)
    return job


def in_unit(job: Job, number: int, unit: Unit) -> Job:
    """Read a part's file in another unit."""
    return with_part(job, number, unit=unit)


def added(job: Job, parts: Iterable[Part]) -> Job:
    """Add parts behind those that are there."""
    return job.model_copy(update={"parts": (*job.parts, *parts)})


def copied(job: Job, spots: Iterable[Spot]) -> tuple[Job, list[Spot]]:
    """Add one more copy for each chosen one, without a place yet; returns their spots too."""
    new: list[Spot] = []
    for i, k in sorted(set(spots)):
        part = job.parts[i]
        _refuse_too_many(part, len(part.copies) + 1)
        new.append((i, len(part.copies)))
        job = with_part(job, i, copies=(*part.copies, part.copies[k].model_copy(update={"at": None})))
    return job, new


def with_copies(job: Job, number: int, count: int) -> Job:
    """Give a part so many copies; further ones have no place yet, the last ones go first.

    Raises
    ------
    JobError
        When the count is not from 1 to 1000.
    """
    part = job.parts[number]
    _refuse_too_many(part, count)
    copies = part.copies[:count]
    copies += (part.copies[-1].model_copy(update={"at": None}),) * (count - len(copies))
    return with_part(job, number, copies=copies)


def with_mark(job: Job, spots: Iterable[Spot], **marks: object) -> Job:
    """Give copies other marks, such as ``locked``, ``hidden`` or ``bed``."""
    return _with_copies(job, spots, lambda copy: copy.model_copy(update=marks))


def cut_loose(job: Job, spots: Iterable[Spot]) -> tuple[Job, list[Spot]]:
    """Make copies parts of their own, which no longer follow the others; returns their new spots too."""
    chosen = sorted(set(spots))
    loose: list[Part] = []
    for i in dict.fromkeys(spot[0] for spot in chosen):
        part = job.parts[i]
        own = [part.copies[k] for n, k in chosen if n == i]
        if len(own) < len(part.copies):
            loose += [part.model_copy(update={"copies": (copy,)}) for copy in own]
        else:  # all of them: the first stays what they were
            loose += [part.model_copy(update={"copies": (copy,)}) for copy in own[1:]]
            chosen.remove((i, 0))
    job = added(removed(job, chosen), loose)
    first = len(job.parts) - len(loose)
    return job, [(first + n, 0) for n in range(len(loose))]


def _refuse_too_many(part: Part, count: int) -> None:
    if not 1 <= count <= MOST_COPIES:
        raise JobError(f"{count} copies cannot be", subject=part.name, remedy=f"1 to {MOST_COPIES}")


def removed(job: Job, spots: Iterable[Spot]) -> Job:
    """Take copies off the bed; a part without any copy left goes too."""
    gone = set(spots)
    parts = []
    for i, part in enumerate(job.parts):
        copies = tuple(copy for k, copy in enumerate(part.copies) if (i, k) not in gone)
        if copies:
            parts.append(part if len(copies) == len(part.copies) else part.model_copy(update={"copies": copies}))
    return job.model_copy(update={"parts": tuple(parts)})


def with_setting(job: Job, key: str, value: object) -> Job:
    """Change one setting for the job.

    Raises
    ------
    SettingError
        When the catalogue refuses the value.
    """
    return job.model_copy(update={"settings": {**job.settings, **checked({key: value})}})


def without_settings(job: Job, keys: Iterable[str]) -> Job:
    """Take changes back, so that what lies under them holds again."""
    gone = {find_setting(key).key for key in keys}
    return job.model_copy(update={"settings": {k: v for k, v in job.settings.items() if k not in gone}})


def with_setting_of_parts(job: Job, numbers: Iterable[int], key: str, value: object) -> Job:
    """Change one setting for some parts alone, with all their copies.

    Raises
    ------
    SettingError
        When the catalogue refuses the value, or a part cannot have the setting of its own.
    """
    change = checked({key: value}, "part")
    for number in numbers:
        job = with_part(job, number, settings={**job.parts[number].settings, **change})
    return job


def without_settings_of_parts(job: Job, numbers: Iterable[int], keys: Iterable[str]) -> Job:
    """Take changes of some parts back, so that the job's hold for them again."""
    gone = {find_setting(key).key for key in keys}
    for number in numbers:
        left = {key: value for key, value in job.parts[number].settings.items() if key not in gone}
        job = with_part(job, number, settings=left)
    return job


def on_machine(job: Job, machine: Machine) -> Job:
    """Put the job on another machine; parts keep their place from the middle of the bed."""
    shift = np.subtract(machine.bed.centre, job.machine.bed.centre)
    materials = job.materials[: len(machine.extruders)]
    moved_job = moved(job, spots_of(job), (float(shift[0]), float(shift[1])))
    return moved_job.model_copy(update={"machine": machine, "materials": materials})


def with_material(job: Job, extruder: int, material: Material | None) -> Job:
    """Load a material into an extruder; none empties the last one.

    Raises
    ------
    JobError
        When the machine has no such extruder, or an extruder before it would be empty.
    """
    if extruder >= len(job.machine.extruders) or extruder > len(job.materials):
        raise JobError(f"has no extruder {extruder + 1} to load", subject=job.machine.name)
    materials = list(job.materials)
    if material is None:
        del materials[max(1, extruder) :]
    elif extruder == len(materials):
        materials.append(material)
    else:
        materials[extruder] = material
    return job.model_copy(update={"materials": tuple(materials)})


def with_recipe(job: Job, recipe: Recipe) -> Job:
    """Follow another recipe; what the job itself changed stays changed."""
    return job.model_copy(update={"recipe": recipe})
