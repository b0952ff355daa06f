"""Lines cut to regions of many holes and parts."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely

from even_step.core.plane.parting import lines_cut

SPOTS = [(x, y) for x in range(5, 100, 10) for y in range(5, 100, 10)]
DISCS = shapely.MultiPolygon([shapely.Point(at).buffer(3.0) for at in SPOTS])
SIEVE = shapely.MultiPolygon([shapely.box(0, 0, 100, 100).difference(DISCS)])


def some_lines():
    turn = np.random.default_rng(7)
    made = [shapely.LineString(turn.uniform(-10, 110, (count, 2))) for count in (2, 2, 2, 5, 12, 3)]
    return [*made, shapely.LinearRing([(5, 5), (95, 5), (95, 95), (5, 95)]), shapely.LineString([(0, 10), (100, 10)])]


@pytest.mark.parametrize("region", [DISCS, SIEVE], ids=["discs", "sieve"])
def test_what_is_cut_is_what_lies_within(region):
    lines = some_lines()
    xy = [shapely.get_coordinates(line) for line in lines]
    start = np.cumsum([0, *(len(one) for one in xy)])
    owner = np.zeros(len(lines), np.int64)
    cut = lines_cut(np.concatenate(xy), start, owner, np.array([region], object), 0.01)
    points, begin, line, whole = cut.xy, cut.start, cut.line, cut.whole
    assert not whole[line != len(lines) - 1].any()
    assert whole[line == len(lines) - 1].tolist() == [True] * (region is SIEVE)
    pieces = [shapely.LineString(points[a:b]) for a, b in itertools.pairwise(begin)]
    for number, one in enumerate(lines):
        long = sum(piece.length for piece, of in zip(pieces, line, strict=True) if of == number)
        assert long == pytest.approx(one.intersection(region).length, abs=0.02 * len(pieces))
    assert shapely.MultiLineString(pieces).difference(region.buffer(0.002)).length < 0.01
