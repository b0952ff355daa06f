"""Sweeps that are ready: what each tries, and which of its rows is the one that was looked for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from even_step.core.catalogue import infill
from even_step.core.catalogue.setting import Value
from even_step.core.job.model import Job
from even_step.core.trials.figures import Row
from even_step.core.trials.line_fit import best_of, widths_to_try

Tried: TypeAlias = list[tuple[dict[str, Value], Job]]
DENSITY = infill.DENSITY.key
#: Percent, closer where a point makes a difference.
DENSITIES = (2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 14, 16, 18, 20, 25, 30, 40)


@dataclass(frozen=True)
class ReadySweep:
    """What it is called, which figure its curve shows, what it tries, and which row is best, if any will do."""

    name: str
    figure: str
    asks: Callable[[Job], Tried]
    best: Callable[[Job, Sequence[Row]], Row | None]


def densities_to_try(job: Job) -> Tried:
    """Return the densities of infill to try, %, with the job of each."""
    return [({DENSITY: float(density)}, job.with_settings({DENSITY: float(density)})) for density in DENSITIES]


def least_that_carries(_: Job, rows: Sequence[Row]) -> Row | None:
    """Return the row of the least density over which no top sags; none where one sags in each."""
    carried = [row for row in rows if not row["findings"].get("top-sags")]
    return min(carried, key=lambda row: float(row[DENSITY]), default=None)


READY = (
    ReadySweep("line fit", "void_mm2", widths_to_try, best_of),
    ReadySweep("least density that carries the top", "mass_g", densities_to_try, least_that_carries),
)
