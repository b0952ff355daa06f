from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import shapely
from shapely.errors import GEOSException

from even_step.core.plane import cut, region, valid
from even_step.core.plane.bead import plastic_width, section_area
from even_step.core.plane.cut import union_of_some_apart
from even_step.core.plane.delaunay import refined
from even_step.core.plane.hatch import Hatch, hatch
from even_step.core.plane.nearest import nearest_order
from even_step.core.plane.ragged import joined_starts, starts_of
from even_step.core.plane.trace import simplify_ring, start_of_ring
from even_step.core.work import crew


def regions(*shapes):
    out = region.nothing(len(shapes))
    for i, shape in enumerate(shapes):
        out[i] = shape if shape.geom_type == "MultiPolygon" else shapely.MultiPolygon([shape])
    return out


SQUARE = shapely.box(0, 0, 20, 20)
HOLED = SQUARE.difference(shapely.Point(10, 10).buffer(4, quad_segs=32))


def lay(shape, angle=0.0, spacing=2.0, origin=(0.0, 0.0), extend=0.0, join=0.0, hands=None):
    how = Hatch(np.array([angle]), np.array([spacing]), origin, np.array([extend]), np.array([join]), np.zeros(1))
    return hatch(region.rings(regions(shape)), how, hands)


def lengths(strokes):
    return np.array([np.hypot(*np.diff(strokes.xy[a:b], axis=0).T).sum() for a, b in itertools.pairwise(strokes.start)])


def test_a_lines_section_is_a_stadium():
    assert section_area(0.45, 0.2) == pytest.approx(0.2 * 0.25 + math.pi * 0.01)
    assert section_area(0.4, 0.4) == pytest.approx(math.pi * 0.04)
    assert plastic_width(0.45, 0.2) * 0.2 == pytest.approx(float(section_area(0.45, 0.2)))


def test_ragged_starts_join():
    assert joined_starts([starts_of(np.array([2, 3])), starts_of(np.array([4]))]).tolist() == [0, 2, 5, 9]


@pytest.mark.parametrize("angle", [0, 17, 45, 90, 133])
def test_hatch_lines_times_spacing_are_the_area(hands, angle):
    strokes = lay(HOLED, angle, 0.1, hands=hands)
    assert lengths(strokes).sum() * 0.1 == pytest.approx(HOLED.area, rel=0.005)


def test_hatch_lines_lie_on_the_grid_of_the_origin(hands):
    strokes = lay(SQUARE, 0.0, 2.0, origin=(0.0, 0.7), hands=hands)
    assert np.unique(np.round((strokes.xy[:, 1] - 0.7) % 2.0, 6)).tolist() in ([0.0], [2.0], [0.0, 2.0])
    assert len(lengths(strokes)) == 10


def test_hatch_lines_stay_inside(hands):
    strokes = lay(HOLED, 30.0, 1.0, hands=hands)
    for a, b in itertools.pairwise(strokes.start):
        assert HOLED.buffer(0.002).covers(shapely.LineString(strokes.xy[a:b]))


def test_joined_lines_lay_the_same_plastic_in_fewer_paths(hands):
    apart, joined = lay(SQUARE, 0.0, 0.4, hands=hands), lay(SQUARE, 0.0, 0.4, join=1.0, hands=hands)
    assert len(lengths(apart)) == 50
    assert len(lengths(joined)) == 1
    assert lengths(joined).sum() == pytest.approx(lengths(apart).sum(), rel=1e-4)


def test_extended_lines_reach_past_the_region(hands):
    strokes = lay(SQUARE, 0.0, 2.0, extend=0.3, hands=hands)
    assert strokes.xy[:, 0].min() == pytest.approx(-0.3)
    assert strokes.xy[:, 0].max() == pytest.approx(20.3)


def test_an_empty_cell_has_no_lines(hands):
    how = Hatch(np.zeros(3), np.array([1.0, 1.0, 0.0]), (0.0, 0.0), np.zeros(3), np.zeros(3), np.zeros(3))
    strokes = hatch(region.rings(regions(SQUARE, shapely.MultiPolygon(), SQUARE)), how, hands)
    assert np.diff(strokes.cell).tolist()[1:] == [0, 0]
    assert np.diff(strokes.cell)[0] > 0


def test_an_offset_square_keeps_sharp_corners():
    grown, shrunk = region.offset(regions(SQUARE, SQUARE), np.array([1.0, -1.0]))
    assert grown.area == pytest.approx(22 * 22)
    assert shrunk.area == pytest.approx(18 * 18)


def test_results_lie_on_a_grid_of_a_micrometre():
    some = regions(shapely.Point(0, 0).buffer(7), shapely.Point(3, 1).buffer(5))
    for result in (
        region.offset(some, -0.3333),
        region.intersection(some[:1], some[1:]),
        region.difference(some[:1], some[1:]),
        region.union(some[:1], some[1:]),
    ):
        xy = shapely.get_coordinates(result)
        assert np.abs(xy * 1000 - np.round(xy * 1000)).max() < 1e-6
        assert shapely.is_valid(result).all()


def test_rings_that_overlap_are_filled_by_winding():
    square = np.array([(0, 0), (10, 0), (10, 10), (0, 10)], float)
    xy = np.concatenate((square, square + (5, 5)))
    (filled,) = region.from_rings(xy, np.array([0, 4, 8]), np.array([0, 1]), np.array([0, 0]), 1)
    assert filled.area == pytest.approx(175)
    (solid,) = region.from_rings(
        np.concatenate((square, square * 0.5 + 2)), np.array([0, 4, 8]), np.array([0, 1]), np.array([0, 0]), 1
    )
    assert solid.area == pytest.approx(100)


def test_a_figure_of_eight_keeps_the_lobe_that_runs_left():
    eight = np.array([(0, 0), (10, 10), (10, 0), (0, 10)], float)
    (shape,) = region.from_rings(eight, np.array([0, 4]), np.array([0]), np.array([0]), 1)
    assert shape.area == pytest.approx(25)


def test_a_ring_that_passes_its_first_point_again_stays_one_ring():
    eight = shapely.Polygon([(0, 0), (2, -1), (2, 1), (0, 0), (-2, 1), (-2, -1)])
    with_hole = shapely.box(0, 0, 9, 9).difference(shapely.box(1, 1, 2, 2))
    rings = region.rings(np.array([with_hole, eight, shapely.MultiPolygon(), shapely.box(0, 0, 1, 1)], object))
    assert np.diff(rings.start).tolist() == [4, 4, 6, 4]
    assert rings.item.tolist() == [0, 0, 1, 3]
    assert rings.polygon.tolist() == [0, 0, 1, 2]
    plain = region.rings(np.array([with_hole, shapely.box(0, 0, 1, 1)], object))
    assert (plain.xy == np.concatenate((rings.xy[:8], rings.xy[14:]))).all()


def test_empty_regions_stand_every_operation():
    none, some = region.nothing(1), regions(SQUARE)
    assert region.intersection(none, some)[0].is_empty
    assert region.difference(some, none)[0].area == 400
    assert region.difference(none, some)[0].is_empty
    assert region.union(none, some)[0].area == 400
    assert region.offset(none, 1.0)[0].is_empty
    assert region.covers(some, none)[0]
    assert len(region.rings(none).start) == 1


def test_holes_are_filled():
    assert region.without_holes(regions(HOLED))[0].area == pytest.approx(400)


def test_thickness_is_that_of_the_largest_circle():
    assert region.thickness(regions(shapely.box(0, 0, 30, 1.5)))[0] == pytest.approx(1.5, rel=0.02)


def test_simplifying_keeps_to_the_tolerance():
    turn = np.linspace(0, 2 * math.pi, 400, endpoint=False)
    ring = np.stack((np.cos(turn), np.sin(turn)), axis=1) * 10
    keep, stack = np.zeros(400, bool), np.empty((404, 2), np.int64)
    simplify_ring(ring, 400, 0.05, keep, stack)
    kept = shapely.LinearRing(ring[keep])
    assert keep.sum() < 60
    assert max(kept.distance(shapely.Point(p)) for p in ring) <= 0.05


def test_a_ring_begins_at_its_leftmost_lowest_point():
    ring = np.array([(3, 1), (0, 5), (0, 2), (4, 4)], float)
    assert start_of_ring(ring, 0, 4) == 2


def length_of_ways(ends, order, flip, at):
    total, at = 0.0, np.array(at)
    for i, side in zip(order, flip, strict=True):
        total += float(np.hypot(*(ends[i, 2 * side : 2 * side + 2] - at)))
        at = ends[i, 2 - 2 * side : 4 - 2 * side]
    return total, at


@pytest.mark.parametrize("count", [1, 2, 3, 20, 64])
def test_no_turn_of_a_stretch_shortens_a_short_order(count):
    ends = np.random.default_rng(count).random((count, 4)) * 100
    order, flip = np.empty(count, np.int64), np.empty(count, np.int64)
    x, y = nearest_order(ends, count, 50.0, 50.0, order, flip)
    assert sorted(order) == list(range(count))
    best, at = length_of_ways(ends, order, flip, (50.0, 50.0))
    assert (x, y) == tuple(at)
    for i, j in itertools.combinations(range(count), 2):
        span = slice(i, j + 1)
        other, turned = order.copy(), flip.copy()
        other[span], turned[span] = order[span][::-1], 1 - flip[span][::-1]
        assert length_of_ways(ends, other, turned, (50.0, 50.0))[0] > best - 1e-5


@pytest.mark.parametrize("count", [65, 500])
def test_the_nearest_next_visits_each_line_once_and_takes_the_nearest(count):
    random = np.random.default_rng(count)
    ends = random.random((count, 4)) * 100
    order, flip = np.empty(count, np.int64), np.empty(count, np.int64)
    x, y = nearest_order(ends, count, 50.0, 50.0, order, flip)
    assert sorted(order) == list(range(count))
    left, at = set(range(count)), np.array([50.0, 50.0])
    for i, side in zip(order, flip, strict=True):
        far = {(j, s): np.hypot(*(ends[j, 2 * s : 2 * s + 2] - at)) for j in left for s in (0, 1)}
        assert far[int(i), int(side)] == pytest.approx(min(far.values()))
        left.remove(int(i))
        at = ends[i, 2 - 2 * side : 4 - 2 * side]
    assert (x, y) == tuple(at)


def test_triangles_fill_parts_and_a_hairline_is_no_error():
    parts = np.array(
        [
            shapely.box(0, 0, 3, 1),
            shapely.Polygon([(0, 0), (10, 3.3333), (10, 3.3334)]),
            shapely.Polygon([(0, 0), (7, 2.111), (7.0004, 2.1111), (3, 0.9052)]),
        ],
        object,
    )
    corners, owner = refined(*cut.triangles(parts), 0.25)
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    assert np.bincount(owner, areas, 3) == pytest.approx(shapely.area(parts), abs=2e-3)


def test_many_parts_move_in_as_each_does_alone():
    boxes = [shapely.box(3 * k, 0, 3 * k + 1 + 0.1 * k, 2) for k in range(12)]
    two = np.array([shapely.MultiPolygon(boxes), shapely.MultiPolygon(boxes[:2])], object)
    moved = region.offset(two, np.array([-0.25, -0.5]))
    assert region.area(moved) == pytest.approx([sum((0.5 + 0.1 * k) * 1.5 for k in range(12)), 0.1 * 1.0], abs=1e-3)


def test_what_lies_beyond_a_grown_core_is_left():
    whole, core = np.array([shapely.box(0, 0, 10, 10)]), np.array([shapely.box(0, 0, 4, 10)])
    assert region.area(region.beyond(whole, core, 1.0)) == pytest.approx([50.0])


def test_threads_may_share_regions():
    """Shapes with a counter of their own once crashed threads that read them together."""
    turn = np.linspace(0, 2 * math.pi, 60, endpoint=False)
    blobs = regions(
        *(
            shapely.Polygon(np.stack((np.cos(turn), np.sin(turn)), axis=1) * (8 + np.sin(turn * k))[:, None])
            for k in range(2, 42)
        )
    )
    shared = region.offset(blobs, -0.37)
    wanted = [shape.wkb for shape in region.difference(shared, shared[::-1])]

    def work(first, last):
        other = region.difference(shared, shared[::-1])
        mine = region.intersection(region.offset(other, 0.1), shared)
        assert len(mine) == 40
        return [shape.wkb for shape in other] == wanted

    with crew(4) as some:
        assert all(some.each(work, [(i, i + 1) for i in range(100)]))


def test_where_the_library_fails_at_mending_a_shape_it_is_built_anew():
    shell = [(-2.109, -12.304), (-2.136, -12.328), (-2.117, -12.311), (-2.122, -12.315), (-2.15, -12.341)]
    shell += [(-5.742, -16.088), (-5.947, -11.217)]
    hole = [(-2.987, -12.989), (-2.981, -12.986), (-2.954, -12.971)]
    broken = shapely.Polygon(shell, [hole])
    with pytest.raises(GEOSException):
        shapely.make_valid(broken, method="structure", keep_collapsed=False)
    whole = shapely.Polygon([(0, 0), (4, 0), (4, 4), (0, 4)])
    bow = shapely.Polygon([(0, 0), (2, 2), (2, 0), (0, 2)])
    mended = valid.cleaned(np.array([broken, whole, bow], object))
    assert shapely.is_valid(mended).all()
    assert shapely.area(mended) == pytest.approx([broken.buffer(0.002).area, 16.0, 2.0], abs=0.03)


def test_a_union_of_some_apart_is_the_union():
    discs = [shapely.Point(x, 0).buffer(2) for x in (0, 3, 10, 20, 22)]
    some = np.array([region.multi(disc) for disc in [*discs, shapely.Polygon()]], object)
    both = union_of_some_apart(some)
    assert both.area == pytest.approx(shapely.union_all(discs).area, abs=0.01)
    assert len(both.geoms) == 3
    assert both.is_valid
    assert union_of_some_apart(some[5:]).is_empty
