"""Line fit: which width of walls leaves the least void."""

from __future__ import annotations

from collections.abc import Sequence

from even_step.core.catalogue import walls
from even_step.core.catalogue.setting import Value
from even_step.core.job.cascade import resolve, tools_of
from even_step.core.job.model import Job
from even_step.core.trials.figures import Row

WITHIN = 0.15  # of the bore: as far as a width may be from it
STEP = 0.01  # mm
KEYS = (walls.OUTER_WIDTH.key, walls.LINE_WIDTH.key)


def widths_to_try(job: Job) -> list[tuple[dict[str, Value], Job]]:
    """Return the widths to try, mm, with the job of each: all walls have one; the job as it is comes first.

    Raises
    ------
    SettingError
        When the job asks for what its machine cannot do.
    """
    values = resolve(job).job.values
    low, high = _reach(job)
    count = int((high - low) / STEP + 1e-9)
    tried = [round(low + STEP * k, 3) for k in range(count + 1)]
    as_it_is: dict[str, Value] = {key: values[key] for key in KEYS}
    others: list[dict[str, Value]] = [dict.fromkeys(KEYS, width) for width in tried]
    asked = [as_it_is, *(widths for widths in others if widths != as_it_is)]
    return [(widths, job.with_settings(dict(widths))) for widths in asked]


def _reach(job: Job) -> tuple[float, float]:
    """Return the least and the largest width, mm, that is near enough to the bore and that the nozzle lays."""
    nozzle = job.machine.extruders[tools_of(resolve(job).job.values)["walls"]]
    low, high = nozzle.line_width
    return max((1.0 - WITHIN) * nozzle.bore, low), min((1.0 + WITHIN) * nozzle.bore, high)


def best_of(job: Job, rows: Sequence[Row]) -> Row:
    """Return the row that leaves the least void; of those within 1 % of it, the one that lays the least twice.

    The job as it is counts only where its widths are as near to the bore as the others.
    """
    low, high = _reach(job)
    fit = [row for row in rows if all(low - 1e-9 <= row[key] <= high + 1e-9 for key in KEYS)]
    least = min(row["void_mm2"] for row in fit)
    near = [row for row in fit if row["void_mm2"] <= least * 1.01 + 0.01]
    return min(near, key=lambda row: (row["overlap_mm2"], row["gap_fill_strokes"]))
