"""Where parts go on the bed when nobody said where."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Bed

SPACING = 6.0  # mm between parts
AT_ONCE = 1024  # places tried together
GRID = 0.001  # mm; places lie on it, so that a shifted toolpath stays on it


def arrange(
    sizes: NDArray[np.float64], bed: Bed, taken: NDArray[np.float64], spacing: float = SPACING
) -> NDArray[np.float64]:
    """Place rectangles on the bed, the deepest first, each as near to the middle as it fits.

    Parameters
    ----------
    sizes : (n, 2) float64
        Width and depth of each part's bounds, mm.
    bed
        Where to.
    taken : (m, 4) float64
        Rectangles that are taken already: least x, least y, largest x, largest y, mm.
    spacing
        Least distance between bounds, mm.

    Returns
    -------
    (n, 2) float64
        The middle of each, mm. One part alone is centred. What finds no room is put beside the bed, where
        it shows and is a finding.
    """
    centre = np.array(bed.centre)
    places, missed = _placed(sizes, bed, taken, spacing, centre)
    if missed:
        # Lined up from a corner more may fit than round the middle.
        other, fewer = _placed(sizes, bed, taken, spacing, np.array(bed.bounds[:2]))
        places, missed = (other, fewer) if fewer < missed else (places, missed)
    if len(taken) == 0 and len(sizes):
        places += _recentring(places, sizes, centre, bed)
    return places


def _placed(
    sizes: NDArray[np.float64], bed: Bed, taken: NDArray[np.float64], spacing: float, anchor: NDArray[np.float64]
) -> tuple[NDArray[np.float64], int]:
    """Place the deepest first, each as near to the anchor as it fits; returns how many found no room too."""
    places = np.zeros_like(sizes)
    boxes = [tuple(row) for row in taken]
    no_room: set[tuple[float, float]] = set()
    missed = 0
    for i in np.lexsort((-sizes[:, 0], -sizes[:, 1])):
        size = (float(sizes[i, 0]), float(sizes[i, 1]))
        at = None
        if size not in no_room:
            at = _nearest_free(sizes[i], anchor, np.array(boxes).reshape(-1, 4), bed, spacing)
        if at is None:
            no_room.add(size)
            missed += 1
            right = max([bed.bounds[2], *(box[2] for box in boxes)])
            at = np.array([right + spacing + sizes[i, 0] / 2, bed.bounds[1] + sizes[i, 1] / 2])
        places[i] = np.round(at / GRID) * GRID
        half = sizes[i] / 2
        boxes.append((*(places[i] - half), *(places[i] + half)))
    return places, missed


def _nearest_free(
    size: NDArray[np.float64],
    anchor: NDArray[np.float64],
    boxes: NDArray[np.float64],
    bed: Bed,
    spacing: float,
) -> NDArray[np.float64] | None:
    """Return the free place nearest to a point, beside the boxes or the edges; none where there is none."""
    reach = size / 2 + spacing
    low, high = np.array(bed.bounds[:2]) + size / 2, np.array(bed.bounds[2:]) - size / 2
    ways = [
        np.unique(
            np.concatenate(
                (
                    boxes[:, axis] - reach[axis],
                    boxes[:, axis + 2] + reach[axis],
                    (boxes[:, axis] + boxes[:, axis + 2]) / 2,
                    (anchor[axis], bed.centre[axis], low[axis], high[axis]),
                )
            )
        )
        for axis in range(2)
    ]
    tries = np.stack(np.meshgrid(*ways, indexing="ij"), axis=-1).reshape(-1, 2)
    tries = tries[_on_bed(tries, size, bed)]
    tries = tries[np.lexsort((tries[:, 0], tries[:, 1], np.round(np.hypot(*(tries - anchor).T), 6)))]
    if len(boxes) == 0:
        return np.asarray(tries[0]) if len(tries) else None
    for first in range(0, len(tries), AT_ONCE):
        x, y = tries[first : first + AT_ONCE, None, 0], tries[first : first + AT_ONCE, None, 1]
        apart = (
            (boxes[:, 2] + reach[0] <= x + 1e-9)
            | (boxes[:, 0] - reach[0] >= x - 1e-9)
            | (boxes[:, 3] + reach[1] <= y + 1e-9)
            | (boxes[:, 1] - reach[1] >= y - 1e-9)
        )
        free = np.flatnonzero(apart.all(axis=1))
        if len(free):
            return np.asarray(tries[first + free[0]])
    return None


def _on_bed(at: NDArray[np.float64], size: NDArray[np.float64], bed: Bed) -> NDArray[np.bool_]:
    half = size / 2
    if bed.shape == "round":
        far = np.hypot(*(np.abs(at - bed.centre) + half).T)
        return np.asarray(far <= bed.size[0] / 2 + 1e-9)
    x0, y0, x1, y1 = bed.bounds
    return np.asarray(((at - half >= (x0 - 1e-9, y0 - 1e-9)) & (at + half <= (x1 + 1e-9, y1 + 1e-9))).all(axis=1))


def _recentring(
    places: NDArray[np.float64], sizes: NDArray[np.float64], centre: NDArray[np.float64], bed: Bed
) -> NDArray[np.float64]:
    """Return the shift that brings all to the middle, none where that would push a part off the bed."""
    low, high = (places - sizes / 2).min(axis=0), (places + sizes / 2).max(axis=0)
    shift = np.round((centre - (low + high) / 2) / GRID) * GRID
    fits = all(_on_bed((at + shift)[None], size, bed)[0] for at, size in zip(places, sizes, strict=True))
    return np.asarray(shift if fits else np.zeros(2))
