"""Parts laid out by their shadows: apart, on the ground, denser than their boxes."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.job.arrange import QUARTERS, ground_of
from even_step.core.job.model import Bed, Layout, Machine
from even_step.core.job.shipped import DATA, shipped
from even_step.core.layout import nest as nesting
from even_step.core.layout.nest import Ground, nest
from even_step.core.layout.shadow import Shadow, box_shadow, centred, shadow_of
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.read.model import read_model
from even_step.core.mesh.turning import turn_matrix
from tests.shapes import ball, box

SQUARE = Ground((0.0, 0.0, 220.0, 220.0))


def where(shadows, laid):
    return [
        shapely.affinity.translate(one.turned(place.turn).shape, *place.at)
        for one, place in zip(shadows, laid, strict=True)
    ]


def least_gap(shapes):
    return min(a.distance(b) for a, b in itertools.combinations(shapes, 2))


def bed_taken(shadows, laid):
    low = np.min([np.array(shape.bounds[:2]) for shape in where(shadows, laid)], axis=0)
    high = np.max([np.array(shape.bounds[2:]) for shape in where(shadows, laid)], axis=0)
    return float(np.prod(high - low))


def of_polygon(polygon):
    corners = shapely.get_coordinates(polygon)
    return centred(shapely.MultiPolygon([polygon]), corners)


def bracket(long=60.0, thick=12.0):
    return of_polygon(shapely.Polygon([(0, 0), (long, 0), (long, thick), (thick, thick), (thick, long), (0, long)]))


def ring(outer=40.0, inner=30.0):
    centre = shapely.Point(0, 0)
    return of_polygon(centre.buffer(outer, 64).difference(centre.buffer(inner, 64)))


def demo_outlines():
    """The demo's parts as they may lie: as drawn, and brackets on their sides."""
    out = []
    for name in ("louvre_ring.stl", "wind_cup.stl", "mast_bracket.step", "bearing_hub.stl"):
        path = next((DATA / "demo").glob(f"**/{name}"))
        mesh = read_model(path)[0].merged()
        out.append(shadow_of(mesh))
        if name == "mast_bracket.step":
            out += [
                shadow_of(Mesh(mesh.vertices @ turn_matrix(turn).T, mesh.faces)) for turn in ((90, 0, 0), (0, 90, 0))
            ]
    return out


@pytest.mark.parametrize("name", ["Larch 220", "Rowan 240 round"])
def test_parts_keep_their_distance_and_stay_on_the_bed(name):
    bed = shipped(Machine)[name].bed
    shadows = [box_shadow(*size) for size in ((40, 30), (60, 60), (25, 50), (30, 30), (30, 30), (10, 80))]
    shadows += [bracket(), bracket(), ring()]
    laid = nest(shadows, ground_of(bed, Layout()), turns=QUARTERS)
    assert all(one.fits for one in laid)
    assert least_gap(where(shadows, laid)) >= 6.0
    x0, y0, x1, y1 = bed.bounds
    plate = shapely.box(x0, y0, x1, y1)
    if bed.shape == "round":
        plate = shapely.Point(bed.centre).buffer(bed.size[0] / 2 + 1e-6, 512)
    assert all(plate.buffer(1e-3).covers(shape) for shape in where(shadows, laid))


@settings(max_examples=20, deadline=None, derandomize=True)
@given(
    st.lists(st.tuples(st.floats(5, 60), st.floats(5, 60), st.floats(0, 90)), min_size=2, max_size=8),
    st.floats(0, 15),
    st.booleans(),
)
def test_no_two_are_closer_than_the_spacing(sizes, spacing, turning):
    shadows = [
        of_polygon(shapely.affinity.rotate(shapely.box(0, 0, width, deep), angle, origin=(0, 0)))
        for width, deep, angle in sizes
    ]
    laid = nest(shadows, SQUARE, spacing=spacing, turns=QUARTERS if turning else (0.0,))
    assert least_gap(where(shadows, laid)) >= spacing - 1e-3
    for shape, one in zip(where(shadows, laid), laid, strict=True):
        assert one.fits == shapely.box(-1e-3, -1e-3, 220.001, 220.001).covers(shape)


def test_brackets_lie_in_each_others_corners():
    brackets = [bracket()] * 6
    boxed = [box_shadow(60, 60)] * 6
    nested, apart = nest(brackets, SQUARE, turns=QUARTERS), nest(boxed, SQUARE, turns=QUARTERS)
    assert least_gap(where(brackets, nested)) >= 6.0
    assert bed_taken(brackets, nested) < 0.75 * bed_taken(boxed, apart)


def test_a_small_part_lies_within_a_ring():
    parts = [ring(), box_shadow(20, 20)]
    laid = nest(parts, SQUARE)
    outer, inner = where(parts, laid)
    assert shapely.Polygon(outer.geoms[0].exterior).contains(inner)


def test_thirty_mixed_demo_parts_take_less_bed_than_their_boxes():
    kinds = demo_outlines()
    parts = [kinds[i % len(kinds)] for i in range(30)]
    boxes = {one: box_shadow(*one.size) for one in kinds}
    ground = Ground((0.0, 0.0, 450.0, 450.0))
    nested = nest(parts, ground, turns=QUARTERS)
    boxed = nest([boxes[one] for one in parts], ground, turns=QUARTERS)
    assert all(one.fits for one in nested)
    assert least_gap(where(parts, nested)) >= 6.0
    assert bed_taken(parts, nested) < 0.97 * bed_taken(parts, boxed)


def test_the_same_parts_lie_the_same_way_each_time():
    parts = [bracket(), ring(), box_shadow(30, 20)] * 3
    assert nest(parts, SQUARE, turns=QUARTERS) == nest(list(parts), SQUARE, turns=QUARTERS)


def test_one_part_is_centred_and_a_thousand_do_not_take_long():
    assert nest([box_shadow(30, 50)], SQUARE)[0].at == (110.0, 110.0)
    laid = nest([box_shadow(20, 20)] * 1000, SQUARE)
    assert sum(one.fits for one in laid) >= 64
    assert len({one.at for one in laid}) == 1000


def test_others_stay_clear_of_what_lies_and_of_what_is_kept_free():
    taken = [(box_shadow(60, 60), (110.0, 110.0))]
    corner = shapely.box(0, 0, 220, 70)
    parts = [box_shadow(40, 40)] * 4
    laid = nest(parts, Ground(SQUARE.bounds, keep_out=(shapely.MultiPolygon([corner]),)), taken)
    shapes = where(parts, laid)
    assert least_gap([*shapes, shapely.box(80, 80, 140, 140)]) >= 6.0
    assert all(not one.fits or not shape.intersects(corner) for one, shape in zip(laid, shapes, strict=True))
    assert sum(one.fits for one in laid) == 4


def test_what_finds_no_room_is_put_beside_the_bed():
    laid = nest([box_shadow(90, 90)] * 3, ground_of(Bed(size=(100, 100)), Layout()))
    assert [one.fits for one in laid].count(True) == 1
    assert all(one.fits or one.at[0] - 45 >= 100 for one in laid)
    assert least_gap(where([box_shadow(90, 90)] * 3, laid)) >= 6.0


@pytest.mark.parametrize("facets", [box(20, 10, 5), ball(15.0)], ids=["box", "ball"])
def test_a_shadow_holds_what_is_covered_and_hardly_more(facets):
    flat = np.asarray(facets)[:, :, :2]
    polygons = shapely.polygons(flat)
    covered = shapely.union_all(polygons[shapely.area(polygons) > 1e-9])
    mesh = Mesh(np.asarray(facets).reshape(-1, 3), np.arange(3 * len(facets), dtype=np.int32).reshape(-1, 3))
    shadow = shadow_of(mesh)
    middle = (np.array(covered.bounds[:2]) + covered.bounds[2:]) / 2
    centred = shapely.affinity.translate(covered, *-middle)
    assert shadow.shape.buffer(1e-6).covers(centred)
    assert shapely.hausdorff_distance(shadow.shape, centred) < 0.4
    assert shadow.size == pytest.approx(np.ptp(flat.reshape(-1, 2), axis=0))


def test_turning_a_shadow_turns_its_bounds():
    shadow = box_shadow(30, 10)
    assert shadow.turned(90.0).size == pytest.approx((10, 30))
    assert isinstance(shadow.turned(45.0), Shadow)
    assert shadow.turned(45.0).size == pytest.approx((40 / np.sqrt(2),) * 2)


def test_what_is_absurdly_large_finds_no_room_and_costs_nothing():
    laid = nest([box_shadow(5e5, 5e5), box_shadow(20, 20)], SQUARE, [(box_shadow(9e5, 100), (0.0, 0.0))])
    assert [one.fits for one in laid] == [False, True]
    assert laid[1].at[1] >= 50 + 6 + 10 - 1e-6


def test_what_is_remembered_of_pairs_never_shows(monkeypatch):
    parts = [bracket(), ring(), box_shadow(30, 20)] * 2
    whole = nest(parts, SQUARE, turns=QUARTERS)
    monkeypatch.setattr(nesting, "REMEMBERED", 0)
    assert nest(parts, SQUARE, turns=QUARTERS) == whole
