"""Regions where a field, known on a grid, is below a level."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.plane import valid


def below(field: NDArray[np.float64], origin: NDArray[np.float64], cell: float, level: float) -> shapely.MultiPolygon:
    """Return where a field is below a level, interpolated between the nodes of its grid.

    Parameters
    ----------
    field : (rows, columns) float64
        Row by row along y.
    origin : (2,) float64
        Where the first node lies, mm.
    cell
        From node to node, mm.
    """
    from contourpy import FillType, contour_generator  # noqa: PLC0415 - few jobs need it

    filled = contour_generator(z=field, fill_type=FillType.OuterOffset).filled(-np.inf, level)
    polygons = []
    for points, start in zip(filled[0], filled[1], strict=True):
        if points is None or start is None:
            continue
        loops = [origin + cell * points[a:b] for a, b in pairwise(start)]
        polygons.append(shapely.Polygon(loops[0], loops[1:]))
    return valid.cleaned(np.array([shapely.MultiPolygon(polygons)], object))[0]
