"""Whether something has room on a machine: on its bed, under its height."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Bed, Job, Machine

SLACK = 1e-6  # mm a part may stick out, for rounding


def beyond(bed: Bed, xy: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how far points, (n, 2), lie off a bed, mm; below 0 for those on it, the less the farther inside."""
    if bed.shape == "round":
        x, y = xy[:, 0] - bed.centre[0], xy[:, 1] - bed.centre[1]
        return np.asarray(np.sqrt(x * x + y * y) - bed.size[0] / 2)
    x0, y0, x1, y1 = bed.bounds
    return np.maximum(np.maximum(x0 - xy[:, 0], xy[:, 0] - x1), np.maximum(y0 - xy[:, 1], xy[:, 1] - y1))


def surely_on(bed: Bed, bounds: NDArray[np.float64], margin: float = 0.0) -> bool:
    """Tell from bounds alone, (2, 2), grown by a margin in mm, that what they hold lies on a bed."""
    (x0, y0), (x1, y1) = bounds[0] - margin, bounds[1] + margin
    return bool((beyond(bed, np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])) <= 0).all())


def fits(bed: Bed, at: Sequence[float], size: Sequence[float] | NDArray[np.float64]) -> bool:
    """Whether a part's bounds lie on a bed; on a round bed its corners' circle may reach out a little."""
    half = np.asarray(size[:2]) / 2
    if bed.shape == "round":
        return bool(beyond(bed, np.array([at]))[0] + max(half) <= SLACK)
    return surely_on(bed, np.array([at - half, at + half]), -SLACK)


def lack_of_room(machine: Machine, at: Sequence[float], size: Sequence[float] | NDArray[np.float64]) -> str:
    """Say how a part's bounds leave the volume of a machine; nothing where they do not."""
    if size[2] > machine.height + SLACK:
        return f"taller than {machine.height:g} mm"
    return "" if fits(machine.bed, at, size) else "off the bed"


def fitting_factor(size: Sequence[float], job: Job) -> float:
    """Return by how much a part of some size can grow, or must shrink, to just fit the machine; to a thousandth."""
    bed = job.machine.bed
    if bed.shape == "round":
        flat = bed.size[0] / float(np.hypot(size[0], size[1]))
    else:
        flat = min(bed.size[0] / size[0], bed.size[1] / size[1])
    return float(np.floor(min(flat, job.machine.height / size[2]) * 1000.0) / 1000.0)
