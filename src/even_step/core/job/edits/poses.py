"""Edits of how parts stand: turned, sized, mirrored, their file read in another unit."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import JobError
from even_step.core.job.edits.change import with_changed, with_part
from even_step.core.job.model import Job, Unit
from even_step.core.job.spots import Spot, part_of
from even_step.core.mesh.turning import turn_matrix, turn_of

Triple = tuple[float, float, float]
LEAST_SCALE, MOST_SCALE = 1e-4, 1e4


def turned(job: Job, spots: Iterable[Spot], axis: int, degrees: float) -> Job:
    """Turn about an axis of the bed (0 x, 1 y, 2 z) by some degrees.

    About z each chosen copy turns alone; about x and y a part turns with all its copies, as the first of its
    chosen copies sees that axis.
    """
    chosen = list(dict.fromkeys(spots))
    if axis == 2:
        return with_changed(job, chosen, lambda _, copy: {"turn": _within_turn(copy.turn + degrees)})
    angles = [0.0, 0.0, 0.0]
    angles[axis] = degrees
    for name in dict.fromkeys(spot.part for spot in chosen):
        part = part_of(job, name)
        first = next(copy for copy in part.copies if Spot(name, copy.id) in chosen)
        own = turn_matrix((0.0, 0.0, first.turn))
        matrix = own.T @ turn_matrix((angles[0], angles[1], angles[2])) @ own @ turn_matrix(part.turn)
        job = with_part(job, name, turn=turn_of(matrix))
    return job


def posed_by(job: Job, part: str, matrix: NDArray[np.float64]) -> Job:
    """Turn a part by a rotation in its own frame (before its copies' turns), such as one that sets a face down."""
    return with_part(job, part, turn=turn_of(matrix @ turn_matrix(part_of(job, part).turn)))


def posed_as(job: Job, part: str, matrix: NDArray[np.float64]) -> Job:
    """Stand a part by a rotation from its file's frame; its copies keep no turn of their own."""
    copies = tuple(copy.model_copy(update={"turn": 0.0}) for copy in part_of(job, part).copies)
    return with_part(job, part, turn=turn_of(matrix), copies=copies)


def _within_turn(degrees: float) -> float:
    """Return the same angle from −180° (left out) to 180°."""
    rest = round(degrees % 360.0, 6)
    return rest - 360.0 if rest > 180.0 else rest


def sized(job: Job, part: str, scale: Triple) -> Job:
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
                subject=part_of(job, part).name,
                remedy=f"{LEAST_SCALE * 100:g} to {MOST_SCALE * 100:g} %",
            )
    return with_part(job, part, scale=tuple(float(factor) for factor in scale))


def sized_by(job: Job, parts: Iterable[str], factors: Sequence[float]) -> Job:
    """Multiply the scales of parts along the axes of their files.

    Raises
    ------
    JobError
        When one of them would have no size any more.
    """
    for part in parts:
        x, y, z = (scale * factor for scale, factor in zip(part_of(job, part).scale, factors, strict=True))
        job = sized(job, part, (x, y, z))
    return job


def mirrored(job: Job, parts: Iterable[str], axis: int) -> Job:
    """Mirror parts along an axis of the bed, in place.

    A mirror along the bed is one along the file's axis with a turn: ``M·R = (M·R·M)·M``, and ``M·R·M`` is a rotation.
    """
    flip = np.eye(3)
    flip[axis, axis] = -1.0
    for name in parts:
        part = part_of(job, name)
        own = tuple(is_so != (i == axis) for i, is_so in enumerate(part.mirrored))
        turn = turn_of(flip @ turn_matrix(part.turn) @ flip)
        copies = part.copies
        if axis < 2:  # a turn about z runs the other way in a mirror
            copies = tuple(copy.model_copy(update={"turn": _within_turn(-copy.turn)}) for copy in copies)
        job = with_part(job, name, mirrored=own, turn=turn, copies=copies)
    return job


def in_unit(job: Job, part: str, unit: Unit) -> Job:
    """Read a part's file in another unit."""
    return with_part(job, part, unit=unit)
