"""No layer, however bad, ends in an error of the library."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core import faults
from even_step.core.errors import GeometryError
from even_step.core.job.cascade import resolve
from even_step.core.job.model import Recipe
from even_step.core.job.shipped import find
from even_step.core.plane import region, valid
from even_step.core.plane.slits import WIDEST, equal_ones, without_slits
from even_step.core.slicing import division
from even_step.core.slicing.heights import Heights
from tests.dirty import KINDS, _broken, dirty_regions, through_every_stage
from tests.shapes import box
from tests.slicing_help import slice_it

SMALLEST = (
    "POLYGON ((-39.239 11.128, -36.243 -9.726, -83.757 48.757, -39.239 11.128), (-46.840531 15.472023, "
    "-47.041 15.083, -46.992222 15.177433, -47.038 15.088, -46.945808 15.267288, -46.840531 15.472023))"
)


@pytest.fixture(autouse=True)
def checked(monkeypatch):
    monkeypatch.setattr(valid.Checks, "on", True)


def one(shape):
    return np.array([region.multi(shape)], object)


@pytest.fixture(params=["Even", "Quick"])
def values(plain_job, request):
    return resolve(plain_job.model_copy(update={"recipe": find(Recipe, request.param)})).job.values


@pytest.mark.parametrize("seed", range(20))
def test_dirty_layers_go_through_every_stage(seed, values, hands):
    random = np.random.default_rng(seed)
    blocks, book = through_every_stage(dirty_regions(random, 10), values, hands)
    assert np.isfinite(blocks.paths.xy).all()
    assert np.isfinite(book.rows).all()
    assert (blocks.paths.width > 0).all()


@pytest.mark.parametrize("way", [valid.cleaned, lambda shapes: one(valid.rebuilt(shapes[0]))])
def test_a_shape_that_rounding_breaks_is_put_on_the_grid_and_keeps_its_area(way):
    shape = shapely.from_wkt(SMALLEST)
    made = way(np.array([shape], object))
    assert shapely.is_valid(made).all()
    assert region.area(made)[0] == pytest.approx(shape.area, abs=0.01)
    xy = shapely.get_coordinates(made)
    assert np.abs(xy - np.round(xy, 3)).max() < 1e-9


@pytest.mark.parametrize("way", [valid.rebuilt, valid._from_faces])
def test_the_last_resort_makes_crossed_rings_valid(way):
    bow = shapely.Polygon([(0, 0), (4, 4), (4, 0), (0, 4)])
    assert not bow.is_valid
    made = valid.multi(way(bow))
    assert made.is_valid
    assert made.area == pytest.approx(8, abs=0.01)


def test_an_operation_the_library_refuses_is_done_with_care(monkeypatch):
    a, b = one(shapely.box(0, 0, 4, 4)), one(shapely.box(2, 0, 6, 4))
    refused = []

    def difference(x, y, **more):
        if isinstance(x, np.ndarray) or not more:
            refused.append(1)
            raise valid.LibraryError("side location conflict")
        return shapely.difference(x, y, **more)

    made = valid.paired(difference, a, b)
    assert region.area(made)[0] == pytest.approx(8)
    assert len(refused) == 3


def test_what_fails_by_all_means_names_part_and_layer(monkeypatch, tmp_path):
    taper = np.concatenate((box(20, 20, 4), box(10, 10, 4, (0, 0, 4))))
    kept = division.Division.divide

    def divide(self, reach):
        if (region.area(self.inner) < 100).any() and (self.near < 0).any():
            raise valid.LibraryError("side location conflict")
        return kept(self, reach)

    monkeypatch.setattr(division.Division, "divide", divide)
    with pytest.raises(GeometryError, match=r"part: layer \d+, at \d+\.\d\d mm, could not be worked out") as told:
        slice_it(tmp_path, taper)
    assert told.value.exit_code == 3
    assert "\n" not in str(told.value)


@pytest.mark.parametrize("bad", [0, 7, 12, 19])
def test_the_faulty_layer_is_found_by_halves(bad):
    heights = Heights(np.round(np.arange(1, 21) * 0.2, 3), np.full(20, 0.2))

    def attempt(some):
        if heights.top[bad] in some.top:
            raise GeometryError("bad")

    assert faults.faulty_layer(heights, attempt) == bad


@pytest.mark.parametrize("gap", [0.001, 0.01, 0.03, 0.045])
def test_a_slit_between_bodies_is_closed(gap):
    bodies = one(shapely.union_all([shapely.box(0, 0, 10, 10), shapely.box(10 + gap, 0, 20, 10)]))
    closed, changed = without_slits(bodies)
    assert changed.all()
    assert len(region.pieces(closed)[0]) == 1
    assert region.size_in_points(closed)[0] == 5
    assert region.area(closed)[0] == pytest.approx(10 * (20), abs=0.3)


@pytest.mark.parametrize("gap", [0.05, 0.06, 0.2])
def test_a_real_gap_stays_open_to_the_bit(gap):
    bodies = one(shapely.union_all([shapely.box(0, 0, 10, 10), shapely.box(10 + gap, 0, 20, 10)]))
    kept, changed = without_slits(bodies)
    assert not changed.any()
    assert kept[0] is bodies[0]
    assert gap > WIDEST


def test_a_pin_in_its_hole_becomes_one_with_it_and_has_no_walls_inside(hands, values):
    whole, hole, pin = (shapely.Point(0, 0).buffer(far, quad_segs=n) for far, n in ((10, 64), (5, 64), (4.998, 37)))
    stacks = [np.array([region.multi(shape)] * 3, object) for shape in (whole.difference(hole).union(pin), whole)]
    closed, plain = (through_every_stage(stack, values, hands)[1].rows.sum(axis=0) for stack in stacks)
    assert closed == pytest.approx(plain, rel=0.01, abs=2.0)


def test_narrow_holes_go_and_wider_ones_stay():
    plate = shapely.box(0, 0, 30, 10)
    thin, long, pin = shapely.box(2, 2, 12, 2.01), shapely.box(2, 5, 12, 5.06), shapely.Point(20, 5).buffer(0.2)
    closed, changed = without_slits(one(plate.difference(shapely.union_all([thin, long, pin]))))
    assert changed.all()
    assert region.area(closed)[0] == pytest.approx(300 - long.area - pin.area, abs=0.01)
    assert len(region.holes(closed)) == 2


def test_of_many_holes_those_told_are_filled():
    plates = [shapely.box(0, 0, 30, 10).difference(shapely.box(2, 2, 4, 4)), shapely.box(0, 0, 5, 5)]
    plates.append(shapely.box(0, 0, 30, 10).difference(shapely.MultiPoint([(5, 5), (12, 5)]).buffer(1)))
    some = np.array([region.multi(plate) for plate in plates], object)
    filled = region.without(some, np.array([True, False, True]))
    assert shapely.get_num_interior_rings(shapely.get_geometry(filled, 0)).tolist() == [0, 0, 1]
    assert region.area(filled)[:2].tolist() == [300, 25]
    assert shapely.covers(filled[2], shapely.Point(12, 5)) != shapely.covers(filled[2], shapely.Point(5, 5))


def test_a_fine_curve_and_a_sharp_notch_are_no_slits():
    ring = shapely.Point(0, 0).buffer(10, quad_segs=2000).difference(shapely.Point(0, 0).buffer(0.3, quad_segs=100))
    notch = shapely.box(0, 0, 10, 10).difference(shapely.Polygon([(4, 10), (6, 10), (5, 4)]))
    _, changed = without_slits(np.concatenate((one(ring), one(notch))))
    assert not changed.any()


def test_equal_outlines_are_one_again():
    a, b = one(shapely.box(0, 0, 4, 4)), one(shapely.box(0, 0, 4, 4).reverse())
    c = one(shapely.box(0, 0, 5, 4))
    same = equal_ones(np.concatenate((a, b, c, a)), np.array([True, True, True, False]))
    assert same.tolist() == [0, 0, 2, 3]


def test_the_collection_of_dirty_shapes_is_not_clean_by_itself():
    """Else the test above would show nothing."""
    random = np.random.default_rng(1)
    raw = [shapely.Polygon(ring) for kind in KINDS if kind is not _broken for ring in kind(random) if len(ring) > 3]
    assert sum(not shape.is_valid for shape in raw) >= 1
