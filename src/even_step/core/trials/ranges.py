"""What a sweep tries: the values of one setting, or of two, each with its job."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from even_step.core.catalogue import taken_in
from even_step.core.catalogue.setting import Value
from even_step.core.errors import SettingError
from even_step.core.job.cascade import resolve
from even_step.core.job.model import Job

MOST_SLICES = 400
MOST_RANGES = 2
WANTED = "KEY=FROM:TO:STEP, or KEY=VALUE,VALUE,…"


@dataclass(frozen=True)
class Range:
    """The values of one setting, in the order they are tried."""

    key: str
    values: tuple[Value, ...]


def range_of(text: str) -> Range:
    """Take ``KEY=FROM:TO:STEP`` or ``KEY=VALUE,VALUE`` apart; both ends are tried, the last step may be shorter.

    Raises
    ------
    SettingError
        When it is neither, the key does not exist, or one of its values is refused.
    """
    key, equals, asked = text.partition("=")
    key = key.strip()
    if not equals or not asked.strip():
        raise SettingError("has no range", subject=text, remedy=WANTED)
    words = _steps(key, asked.split(":")) if ":" in asked else [word.strip() for word in asked.split(",")]
    taken = [taken_in(key, word) for word in words]
    return Range(taken[0][0], tuple(dict.fromkeys(value for _, value in taken)))


def _steps(key: str, words: Sequence[str]) -> list[float]:
    """Return the values from one number to another."""
    try:
        low, high, step = (float(word) for word in words)
    except ValueError as error:
        raise SettingError("is no range of numbers", subject=f"{key}={':'.join(words)}", remedy=WANTED) from error
    if not all(map(math.isfinite, (low, high, step))) or step == 0.0:
        raise SettingError("has no step", subject=f"{key}={':'.join(words)}", remedy="a step above 0")
    reach = (high - low) / math.copysign(step, high - low)
    if reach > MOST_SLICES:
        raise SettingError(f"has more than {MOST_SLICES} steps", subject=key, remedy="a larger step")
    step = math.copysign(step, high - low)
    inner = [round(low + step * k, 9) for k in range(math.ceil(reach - 1e-9))]
    return [*inner, high] if inner else [low]


def jobs_of(job: Job, ranges: Sequence[Range]) -> list[tuple[dict[str, Value], Job]]:
    """Return the values of each slice with its job, all checked before anything is sliced.

    Raises
    ------
    SettingError
        When there are too many, one setting is swept twice, or the machine cannot do a value.
    """
    keys = [one.key for one in ranges]
    if not 1 <= len(keys) <= MOST_RANGES or len(set(keys)) < len(keys):
        raise SettingError("one setting is swept, or two different ones", subject=", ".join(keys), remedy=WANTED)
    count = math.prod(len(one.values) for one in ranges)
    if count > MOST_SLICES:
        raise SettingError(f"are {count} slices", subject=", ".join(keys), remedy=f"{MOST_SLICES} at the most")
    made = []
    for values in itertools.product(*(one.values for one in ranges)):
        swept = dict(zip(keys, values, strict=True))
        changed = job.with_settings(dict(swept))
        resolve(changed)
        made.append((swept, changed))
    return made
