"""Zones within which what hangs is held in any case, or left alone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import supports
from even_step.core.mesh.patches import Corners, halved
from even_step.core.plane import region
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.zones import Footprints

FINEST, COARSEST = 0.4, 2.0  # mm, to which facets are cut where a zone ends, and anywhere in its reach
Inside = Callable[[NDArray[np.float64]], NDArray[np.bool_]]


@dataclass(frozen=True)
class HereSettings:
    """What is to become within a zone of what hangs."""

    here: Annotated[str, supports.HERE]


@dataclass(frozen=True, eq=False)
class Claim:
    """A zone that holds what hangs, or keeps it clear: its outlines by layer, and the heights of their cuts, mm."""

    kind: str
    outline: region.Regions
    heights: Heights

    def reaches(self, corners: Corners) -> NDArray[np.bool_]:
        """Tell which facets (n, 3, 3) come near it."""
        bounds = region.bounds(self.outline)
        some = np.flatnonzero(~np.isnan(bounds[:, 0]))
        if len(some) == 0:
            return np.zeros(len(corners), np.bool_)
        tops, thick = self.heights.tops, self.heights.thick
        low = np.array([*bounds[some, :2].min(axis=0), tops[some[0]] - thick[some[0]]])
        high = np.array([*bounds[some, 2:].max(axis=0), tops[some[-1]]])
        box = corners.min(axis=1), corners.max(axis=1)
        return np.asarray(((box[0] <= high) & (box[1] >= low)).all(axis=1))

    def holds(self, points: NDArray[np.float64], *, above: bool) -> NDArray[np.bool_]:
        """Tell which points (n, 3) lie in it, as part of the layer above them or of that below."""
        layer = np.searchsorted(self.heights.cuts, points[:, 2], side="right") - (0 if above else 1)
        layer = np.clip(layer, 0, len(self.outline) - 1)
        out = np.zeros(len(points), np.bool_)
        for number in np.unique(layer).tolist():
            some = np.flatnonzero(layer == number)
            out[some] = region.inside(self.outline[number], points[some, :2])
        return out

    def cut(self, corners: Corners, *, above: bool) -> tuple[Corners, NDArray[np.int64], NDArray[np.bool_]]:
        """Cut facets where it ends; returns the pieces, the facet each came from, and whether it lies within."""
        return cut_where(corners, lambda points: self.holds(points, above=above), FINEST, COARSEST)


def claims_of(kinds: dict[int, str], prints: Footprints, heights: Heights) -> tuple[Claim, ...]:
    """Return the zones that claim what hangs, in their order."""
    return tuple(
        Claim(kind, prints.outline[prints.which[zone]], heights)
        for zone, kind in sorted(kinds.items())
        if kind != "by-limit"
    )


def cut_where(
    corners: Corners, inside: Inside, finest: float, coarsest: float
) -> tuple[Corners, NDArray[np.int64], NDArray[np.bool_]]:
    """Cut facets at the border of a region, by halving them until they are fine enough.

    Parameters
    ----------
    corners : (n, 3, 3) float64
        Of the facets, mm.
    inside
        Tells which points (m, 3) lie within.
    finest, coarsest
        Pieces whose longest edge is no longer are not halved again, mm: where their corners differ, and elsewhere.
    """

    def whole(some: Corners, longest: NDArray[np.float64]) -> NDArray[np.bool_]:
        alike = np.ptp(inside(some.reshape(-1, 3)).reshape(-1, 3).astype(np.int8), axis=1) == 0
        return np.asarray(longest <= np.where(alike, coarsest, finest))

    pieces, owner = halved(corners, whole)
    return pieces, owner, inside(pieces.mean(axis=1))
