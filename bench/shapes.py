"""Shapes that are narrow everywhere, and an assembly of bodies that touch: what the floor's own shapes do not hold."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import shapely
import trimesh
from numpy.typing import NDArray

Facets = NDArray[np.float64]


def ring_of_teeth() -> Facets:
    """Return a ring with 24 teeth inward, 1.25 mm wide and 3 mm deep, twisted so that no two layers are alike."""
    rim = shapely.Point(0, 0).buffer(24.0, 64).difference(shapely.Point(0, 0).buffer(20.0, 64))
    return _twisted(shapely.union_all([rim, *_spokes(24, 17.0, 21.0, 1.25)]), 20.0, 12.0)


def ribs() -> Facets:
    """Return a cage of 40 ribs 1.1 mm thick between two rings, leaning."""
    blades = _twisted(shapely.union_all(_spokes(40, 16.0, 24.0, 1.1)), 40.0, 30.0)
    ring = shapely.Point(0, 0).buffer(24.0, 64).difference(shapely.Point(0, 0).buffer(16.0, 64))
    ends = [_twisted(ring, 2.0, 0.0) + np.array((0.0, 0.0, z)) for z in (-1.99, 39.99)]
    return np.concatenate((blades, *ends))


def assembly() -> Facets:
    """Return 18 rings, one round the other, each faceted in its own way: they touch, but for a few micrometres."""
    out = []
    for number in range(18):
        inner, outer = 4.0 + 1.5 * number, 5.5 + 1.5 * number
        rim = _polygon(outer, 61 + 7 * number).difference(_polygon(inner, 54 + 7 * number))
        out.append(_twisted(rim, 12.0, 0.0))
    return np.concatenate(out)


def tilted_assembly() -> Facets:
    """Return the same, tilted: no two layers are alike."""
    turn = trimesh.transformations.rotation_matrix(math.radians(20.0), (1, 0, 0))[:3, :3]  # type: ignore[no-untyped-call]
    return np.asarray(assembly() @ turn.T)


SHAPES: dict[str, Callable[[], Facets]] = {
    "teeth": ring_of_teeth,
    "ribs": ribs,
    "assembly": assembly,
    "assembly, tilted": tilted_assembly,
}


def _spokes(count: int, inner: float, outer: float, wide: float) -> list[shapely.Polygon]:
    blade = shapely.box(inner, -wide / 2, outer, wide / 2)
    return [shapely.affinity.rotate(blade, 360.0 * i / count, origin=(0, 0)) for i in range(count)]


def _polygon(radius: float, sides: int) -> shapely.Polygon:
    turn = 2.0 * math.pi * np.arange(sides) / sides
    return shapely.Polygon(np.stack((radius * np.cos(turn), radius * np.sin(turn)), axis=1))


def _twisted(polygon: shapely.Geometry, height: float, degrees: float) -> Facets:
    """Return the facets of a prism, millimetre by millimetre turned."""
    steps = max(1, int(height)) if degrees else 1

    def at(xy: Facets, step: int) -> Facets:
        turn = math.radians(degrees * step / steps)
        cos, sin = math.cos(turn), math.sin(turn)
        flat = xy @ np.array([[cos, sin], [-sin, cos]])
        return np.concatenate((flat, np.full((*flat.shape[:-1], 1), height * step / steps)), axis=-1)

    out = []
    for part in shapely.get_parts(polygon):
        flat = np.array(
            [np.asarray(one.exterior.coords)[:3] for one in shapely.constrained_delaunay_triangles(part).geoms]
        )
        a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
        clockwise = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0] < 0
        flat[clockwise] = flat[clockwise][:, ::-1]
        out += [at(flat, 0)[:, ::-1], at(flat, steps)]
        whole = shapely.geometry.polygon.orient(part)
        for ring in (whole.exterior, *whole.interiors):
            xy = np.asarray(ring.coords)
            for step in range(steps):
                low, high = at(xy, step), at(xy, step + 1)
                out.append(np.stack((low[:-1], low[1:], high[1:]), axis=1))
                out.append(np.stack((low[:-1], high[1:], high[:-1]), axis=1))
    return np.concatenate(out)
