"""Edits of a part's step curve."""

from __future__ import annotations

from even_step.core.errors import JobError
from even_step.core.job.edits.change import with_part
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of
from even_step.core.job.step_curve import MOST_KNOTS, Knot

MOST_BETWEEN = 8  # knots that smoothing puts between two


def with_knot(job: Job, part: str, number: int, knot: Knot) -> Job:
    """Put a knot in the place of one, or behind the last."""
    knots = list(part_of(job, part).curve)
    knots[number : number + 1] = [knot]
    return _with_curve(job, part, knots)


def without_knot(job: Job, part: str, number: int) -> Job:
    """Take a knot away."""
    knots = part_of(job, part).curve
    return with_part(job, part, curve=(*knots[:number], *knots[number + 1 :]))


def without_curve(job: Job, part: str) -> Job:
    """Take all knots away."""
    return with_part(job, part, curve=())


def smoothed(job: Job, part: str, step: float) -> Job:
    """Put knots between those that differ, so that heights go over by ``step`` mm from one to the next.

    They share the room between two knots, or, where these meet, half of the lower one's.
    """
    knots = sorted(part_of(job, part).curve, key=lambda knot: knot.low)
    out: list[Knot] = []
    for knot in knots:
        if out and abs(knot.height - out[-1].height) > step:
            below = out[-1]
            if below.low < knot.low <= below.high:
                out[-1] = below.model_copy(update={"high": (below.low + knot.low) / 2})
            out += _between(out[-1], knot, step)
        out.append(knot)
    return _with_curve(job, part, out)


def _with_curve(job: Job, part: str, knots: list[Knot]) -> Job:
    if len(knots) > MOST_KNOTS:
        words = f"{part_of(job, part).name} would have {len(knots)} knots"
        raise JobError(words, subject="step curve", remedy=f"at most {MOST_KNOTS}")
    return with_part(job, part, curve=tuple(knots))


def _between(below: Knot, above: Knot, step: float) -> list[Knot]:
    count = min(MOST_BETWEEN, int(abs(above.height - below.height) / step - 1e-6))
    low, room = below.high, above.low - below.high
    if count < 1 or room <= 0.0:
        return []
    return [
        Knot(
            low=low + room * k / count,
            high=low + room * (k + 1) / count,
            height=round(below.height + (above.height - below.height) * (k + 1) / (count + 1), 3),
        )
        for k in range(count)
    ]
