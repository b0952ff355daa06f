"""No dots: the nozzle does not stop for hardly any plastic."""

from __future__ import annotations

import itertools

import numpy as np
import shapely

from even_step.core.plane.trace import simplified_rings
from even_step.core.slicing.laid import DOT, DOT_AREA
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, SOLID
from tests.shapes import extruded
from tests.slicing_help import slice_it

BARE = {"skirt.loops": 0}


def test_no_gap_fill_and_no_full_line_is_a_dot(tmp_path):
    places = itertools.product(range(5), range(5))
    shapes = [shapely.Point(8 * i, 8 * j).buffer(0.9 + 0.07 * (5 * j + i), quad_segs=16) for i, j in places]
    path = slice_it(tmp_path, np.concatenate([extruded(shape, 1) for shape in shapes]), BARE).sliced.toolpath
    # What changes its width on the way is one line, laid in pieces.
    begins = np.concatenate(([True], np.hypot(*(path.xy[path.start[1:-1]] - path.xy[path.start[1:-1] - 1]).T) > 1e-6))
    long = np.bincount(np.cumsum(begins) - 1, path.lengths())
    first = np.flatnonzero(begins)
    wide = path.width[first]
    some = np.isin(path.role[first], (GAP_FILL, SOLID)) & ((long + wide) * wide <= DOT_AREA)
    assert long[some].min(initial=DOT) >= DOT - 2e-3


def test_walls_hold_hardly_any_stretch_too_short_to_matter(tmp_path):
    pins = [extruded(shapely.Point(6 * i, 0).buffer(1.5, quad_segs=16), 2) for i in range(6)]
    path = slice_it(tmp_path, np.concatenate(pins), BARE).sliced.toolpath
    spans = [(path.start[p], path.start[p + 1]) for p in np.flatnonzero(path.role == INNER_WALL)]
    steps = [np.hypot(*np.diff(path.xy[a:b], axis=0).T) for a, b in spans]
    assert (np.concatenate(steps) < 0.01).mean() < 0.01


def test_a_simplified_ring_stays_within_the_tolerance():
    ring = np.asarray(shapely.Point(0, 0).buffer(5, quad_segs=500).exterior.coords)[:-1]
    xy, start = simplified_rings(np.ascontiguousarray(ring), np.array([0, len(ring)]), 0.003)
    assert len(xy) < len(ring) / 4
    assert start.tolist() == [0, len(xy)]
    assert shapely.hausdorff_distance(shapely.LinearRing(xy), shapely.LinearRing(ring)) < 0.0031
