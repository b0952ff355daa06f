"""Where parts go on the bed when nobody said where."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Bed

SPACING = 6.0  # mm between parts
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
    places = np.zeros_like(sizes)
    boxes = [tuple(row) for row in taken]
    for i in np.lexsort((-sizes[:, 0], -sizes[:, 1])):
        at = _nearest_free(sizes[i], centre, np.array(boxes).reshape(-1, 4), bed, spacing)
        if at is None:
            right = max([bed.bounds[2], *(box[2] for box in boxes)])
            at = np.array([right + spacing + sizes[i, 0] / 2, bed.bounds[1] + sizes[i, 1] / 2])
        places[i] = np.round(at / GRID) * GRID
        half = sizes[i] / 2
        boxes.append((*(places[i] - half), *(places[i] + half)))
    if len(taken) == 0 and len(sizes):
        places += _recentring(places, sizes, centre, bed)
    return places


def _nearest_free(
    size: NDArray[np.float64],
    centre: NDArray[np.float64],
    boxes: NDArray[np.float64],
    bed: Bed,
    spacing: float,
) -> NDArray[np.float64] | None:
    """Return the free place nearest to the middle, beside the boxes there are; none where there is none."""
    if len(boxes) == 0:
        return centre if _on_bed(centre[None], size, bed)[0] else None
    reach = size / 2 + spacing
    xs = np.concatenate((boxes[:, 0] - reach[0], boxes[:, 2] + reach[0], (boxes[:, 0] + boxes[:, 2]) / 2, centre[:1]))
    ys = np.concatenate((boxes[:, 1] - reach[1], boxes[:, 3] + reach[1], (boxes[:, 1] + boxes[:, 3]) / 2, centre[1:]))
    tries = np.stack(np.meshgrid(np.unique(xs), np.unique(ys), indexing="ij"), axis=-1).reshape(-1, 2)
    tries = tries[_on_bed(tries, size, bed)]
    tries = tries[np.lexsort((tries[:, 0], tries[:, 1], np.round(np.hypot(*(tries - centre).T), 6)))]
    for at in tries:
        apart = (
            (boxes[:, 2] + reach[0] <= at[0] + 1e-9)
            | (boxes[:, 0] - reach[0] >= at[0] - 1e-9)
            | (boxes[:, 3] + reach[1] <= at[1] + 1e-9)
            | (boxes[:, 1] - reach[1] >= at[1] - 1e-9)
        )
        if apart.all():
            return np.asarray(at)
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
