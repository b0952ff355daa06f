"""Edits of what is kept of looking at a job: pins, and findings that are set aside."""

from __future__ import annotations

from typing import Any

from even_step.core.errors import JobError
from even_step.core.job.model import Job
from even_step.core.job.pins import MOST_PINS, Pin, SetAside


def with_pin(job: Job, pin: Pin) -> Job:
    """Put a pin, the last of all.

    Raises
    ------
    JobError
        When there are as many as can be.
    """
    if len(job.pins) >= MOST_PINS:
        raise JobError(f"has {MOST_PINS} pins", subject=job.name, remedy="take one away")
    return job.model_copy(update={"pins": (*job.pins, pin)})


def with_pin_changed(job: Job, number: int, **changes: Any) -> Job:
    """Give a pin other words."""
    pins = list(job.pins)
    pins[number] = Pin(**{**dict(pins[number]), **changes})
    return job.model_copy(update={"pins": tuple(pins)})


def without_pin(job: Job, number: int) -> Job:
    """Take a pin away."""
    return job.model_copy(update={"pins": (*job.pins[:number], *job.pins[number + 1 :])})


def with_set_aside(job: Job, aside: SetAside) -> Job:
    """Set findings aside; those of the same kind about the same copy were so for one reason only."""
    others = (one for one in job.set_aside if not one.holds(aside.code, aside.part, aside.copy_id))
    return job.model_copy(update={"set_aside": (*others, aside)})


def without_set_aside(job: Job, code: str, part: str, copy: str) -> Job:
    """Have findings told with the others again."""
    return job.model_copy(update={"set_aside": tuple(one for one in job.set_aside if not one.holds(code, part, copy))})
