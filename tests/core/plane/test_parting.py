"""Lines cut to regions of many holes and parts."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.plane.parting import between, borders_of, lengths_within, lines_cut, parted_lines

SPOTS = [(x, y) for x in range(5, 100, 10) for y in range(5, 100, 10)]
DISCS = shapely.MultiPolygon([shapely.Point(at).buffer(3.0) for at in SPOTS])
SIEVE = shapely.MultiPolygon([shapely.box(0, 0, 100, 100).difference(DISCS)])
HALVES = [shapely.box(x, 0, x + 50, 100).difference(DISCS) for x in (0, 50)]
CELLS = [*(shapely.MultiPolygon([half]) for half in HALVES), DISCS]
GROWN = [cell.buffer(0.003) for cell in CELLS]


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
    cut = lines_cut(np.concatenate(xy), start, owner, borders_of(np.array([region], object)), 0.01)
    points, begin, line, whole = cut.xy, cut.start, cut.line, cut.whole
    assert not whole[line != len(lines) - 1].any()
    assert whole[line == len(lines) - 1].tolist() == [True] * (region is SIEVE)
    pieces = [shapely.LineString(points[a:b]) for a, b in itertools.pairwise(begin)]
    for number, one in enumerate(lines):
        long = sum(piece.length for piece, of in zip(pieces, line, strict=True) if of == number)
        assert long == pytest.approx(one.intersection(region).length, abs=0.02 * len(pieces))
    assert shapely.MultiLineString(pieces).difference(region.buffer(0.002)).length < 0.01


@given(st.lists(st.tuples(st.floats(-5, 105), st.floats(-5, 105)), min_size=2, max_size=12), st.booleans())
@settings(max_examples=100, deadline=None)
def test_a_parted_line_loses_nothing_and_each_piece_lies_in_its_cell(points, whole_numbers):
    """Lines on whole numbers run through corners and along borders."""
    xy = np.round(np.array(points), 0 if whole_numbers else 3)
    line = shapely.LineString(xy)
    made = parted_lines(xy, np.array([0, len(xy)]), np.array(CELLS, object), 0.0)
    pieces = [made.xy[a:b] for a, b in itertools.pairwise(made.start)]
    assert np.array_equal(pieces[0][0], xy[0])
    assert np.array_equal(pieces[-1][-1], xy[-1])
    assert all(np.array_equal(one[-1], after[0]) for one, after in itertools.pairwise(pieces))
    laid = sum(float(np.hypot(*np.diff(piece, axis=0).T).sum()) for piece in pieces)
    assert laid == pytest.approx(line.length, abs=0.003 * len(pieces))
    for piece, cell in zip(pieces, made.cell, strict=True):
        drawn = shapely.LineString(piece)
        beyond = drawn.difference(GROWN[cell])
        outside = drawn.difference(shapely.box(0, 0, 100, 100))  # in no cell: in that it is nearest to
        assert beyond.difference(outside.buffer(0.01)).length < 0.02


def test_short_pieces_go_with_a_neighbour():
    xy = np.array([[0.0, 2.03], [100.0, 2.03]])  # 0.8 mm of each disc
    for shortest, count in ((0.3, 21), (2.0, 1)):
        made = parted_lines(xy, np.array([0, 2]), np.array([DISCS, SIEVE], object), shortest)
        long = [float(np.hypot(*np.diff(made.xy[a:b], axis=0).T).sum()) for a, b in itertools.pairwise(made.start)]
        assert len(long) == count
        assert min(long) > shortest
        assert sum(long) == pytest.approx(100.0, abs=0.02)


def test_what_changes_along_a_line_is_known_at_the_points_of_its_pieces():
    xy = np.array([[0.0, 5.0], [45.0, 5.0], [45.0, 65.0], [100.0, 65.0]])
    made = parted_lines(xy, np.array([0, 4]), np.array([DISCS, SIEVE], object), 0.1)
    assert len(made.line) > 10
    far = between(np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))))[:, None], made)[:, 0]
    at = shapely.line_locate_point(shapely.LineString(xy), shapely.points(made.xy))
    assert far == pytest.approx(at, abs=0.002)


@pytest.mark.parametrize("region", [DISCS, SIEVE], ids=["discs", "sieve"])
def test_as_much_of_each_line_counts_as_lies_within_the_region_it_is_of(region):
    lines = some_lines()
    xy = [shapely.get_coordinates(line) for line in lines]
    start = np.cumsum([0, *(len(one) for one in 2 * xy)])
    owner = np.repeat([0, 1], len(lines))
    regions = np.array([region, shapely.MultiPolygon()], object)
    long = lengths_within(np.concatenate(2 * xy), start, owner, regions)
    assert long[: len(lines)] == pytest.approx([line.intersection(region).length for line in lines], abs=1e-5)
    assert (long[len(lines) :] == 0.0).all(), "nothing lies within nothing"


def test_what_runs_over_itself_counts_as_often_as_it_does():
    xy = np.array([[-2.0, 5.0], [12.0, 5.0], [-2.0, 5.0]])
    square = np.array([shapely.MultiPolygon([shapely.box(0, 0, 10, 10)])], object)
    assert lengths_within(xy, np.array([0, 3]), np.zeros(1, np.int64), square) == pytest.approx([20.0])
