"""Round holes laid with few sides: found in the mesh, tangent, turned, and a pin of the drawn size passes."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.rounds import rounds_of
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL
from tests.core.slicing.zone_help import zone, zoned
from tests.raster import STEP, Raster, layer_lines
from tests.shapes import extruded, indexed
from tests.slicing_help import slice_again, slice_it

SIZES = (0.8, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.5, 8.0, 12.0)


def circle(x, y, across, sides=64):
    turn = np.linspace(0, 2 * np.pi, sides, endpoint=False) + 0.1
    return shapely.Polygon(np.array([x, y]) + across / 2 * np.stack((np.cos(turn), np.sin(turn)), axis=1))


def places():
    return [(15.0 * (i % 5) - 30.0, 18.0 * (i // 5) - 9.0) for i in range(len(SIZES))]


def plate(height=1.2):
    holes = [circle(x, y, size) for (x, y), size in zip(places(), SIZES, strict=True)]
    return extruded(shapely.box(-40, -20, 40, 20).difference(shapely.union_all(holes)), height)


def found(facets):
    return rounds_of(Mesh(*indexed(facets)))


def test_round_holes_are_found_with_their_size():
    rounds = found(plate())
    assert rounds.hole.all()
    assert np.sort(rounds.across) == pytest.approx(SIZES, abs=1e-3)
    assert rounds.low == pytest.approx(0.0)
    assert rounds.high == pytest.approx(1.2)
    nearest = np.abs(rounds.middle[:, None] - np.array(places())).max(axis=2).min(axis=1)
    assert nearest.max() < 1e-3


@pytest.mark.parametrize("sides", [8, 12, 200])
def test_coarse_and_fine_circles_are_circles(sides):
    rounds = found(extruded(shapely.box(-5, -5, 5, 5).difference(circle(1, 0, 3, sides)), 2))
    assert rounds.across == pytest.approx([3.0], abs=1e-4)


@pytest.mark.parametrize(
    "opening",
    [
        circle(0, 0, 6, 6),  # a nut's pocket
        circle(0, 0, 10, 8),  # an octagon of 10 mm is meant as one
        circle(0, 0, 0.7),
        shapely.LineString([(-2, 0), (2, 0)]).buffer(2),  # a slot
        shapely.affinity.scale(circle(0, 0, 6), 1.03, 1),
        shapely.box(-2, -2, 2, 2),
    ],
)
def test_what_is_no_circle_is_left_as_it_is(opening):
    assert found(extruded(shapely.box(-9, -9, 9, 9).difference(opening), 2)).count == 0


def test_leaning_walls_are_no_hole():
    facets = extruded(shapely.box(-9, -9, 9, 9).difference(circle(0, 0, 6)), 2)
    facets[..., 0] += 0.1 * facets[..., 2]
    assert found(facets).count == 0


def outlines(done):
    solid = done.sliced.solids[0]
    return [solid.outlines.outline[which] for which in solid.outlines.which]


def holes_at(outline, middle):
    rings = [np.array(ring.coords)[:-1] for part in shapely.get_parts(outline) for ring in part.interiors]
    return [ring for ring in rings if shapely.Polygon(ring).contains(shapely.Point(middle))]


def test_sides_touch_the_circle_and_are_turned_each_layer(tmp_path):
    layers = outlines(slice_it(tmp_path, plate(), {"holes.true_size": True}))
    assert len(layers) == 6
    for middle, size in zip(places(), SIZES, strict=True):
        turns = []
        for outline in layers:
            (ring,) = holes_at(outline, middle)
            assert len(ring) == max(3, round(2 * size))
            middles = (ring + np.roll(ring, -1, axis=0)) / 2 - middle
            assert np.hypot(*middles.T) == pytest.approx(size / 2, abs=0.01)
            turns.append(np.arctan2(*middles[0][::-1]) * len(ring) / (2 * np.pi) % 1.0)
        apart = np.abs(np.diff(turns))
        assert np.minimum(apart, 1 - apart) == pytest.approx(0.5, abs=0.02), "half a side"


def test_a_pin_of_the_drawn_size_passes_and_just_so(tmp_path):
    """In the raster of what is laid, layer by layer; without the setting it does not."""
    for on in (True, False):
        done = slice_it(tmp_path, plate(), {"holes.true_size": on})
        for middle, size in zip(places(), SIZES, strict=True):
            if size < 1.5 or size > 6.5:
                continue
            around = Raster(shapely.Point(middle).buffer(size / 2 + 1), margin=0)
            away = np.hypot(around.grid_x - middle[0], around.grid_y - middle[1])
            laid = np.zeros(away.shape, bool)
            for layer in range(1, 3):
                lines, widths = layer_lines(done.sliced.toolpath, layer, (OUTER_WALL, INNER_WALL, GAP_FILL))
                at = done.sliced.placed[0].at
                laid |= around.covered([line - at for line in lines], widths) > 0
            room = away[laid].min() * 2
            assert room >= size - 2 * STEP if on else room <= size + 2 * STEP
            assert room < size + 0.15


def test_beside_a_hole_allowance_both_hold(tmp_path):
    done = slice_it(tmp_path, plate(), {"holes.true_size": True, "outline.hole_allowance": 0.1})
    told = done.report["parts"][0]["true_size"]
    assert [hole["laid_mm"] for hole in told] == pytest.approx([size + 0.2 for size in SIZES], abs=0.01)


def test_the_report_lists_them_as_drawn_and_as_laid(tmp_path):
    told = slice_it(tmp_path, plate(), {"holes.true_size": True}).report["parts"][0]["true_size"]
    assert [hole["drawn_mm"] for hole in told] == pytest.approx(SIZES, abs=1e-3)
    assert [hole["laid_mm"] for hole in told] == pytest.approx(SIZES, abs=0.01)
    assert [hole["sides"] for hole in told] == [max(3, round(2 * size)) for size in SIZES]
    assert {hole["kind"] for hole in told} == {"hole"}


def test_a_zone_says_which(tmp_path):
    """Its middle decides; of a hole that a zone holds by half of its height, half of the layers."""
    half = zone((30, 9, 0.3), (8, 8, 0.6), {"holes.true_size": True})
    done = slice_again(tmp_path, zoned(tmp_path, plate(), [half], {}))
    told = done.report["parts"][0]["true_size"]
    assert [(hole["drawn_mm"], hole["sides"]) for hole in told] == [(pytest.approx(12, abs=1e-3), 24)]
    corners = [len(holes_at(outline, (30, 9))[0]) for outline in outlines(done)]
    assert corners[:3] == [24] * 3
    assert min(corners[3:]) > 24


def test_bosses_stay_within_their_circle_and_hold_their_bore(tmp_path):
    tube = circle(0, 0, 10).difference(circle(0, 0, 4))
    facets = np.concatenate((extruded(shapely.box(-9, -9, 9, 9).difference(circle(0, 0, 4)), 1), extruded(tube, 3)))
    done = slice_it(tmp_path, facets, {"holes.true_size": True, "holes.round_bosses": True})
    told = {row["kind"]: row for row in done.report["parts"][0]["true_size"]}
    assert told["boss"]["laid_mm"] == pytest.approx(10, abs=0.01)
    assert told["hole"]["laid_mm"] == pytest.approx(4, abs=0.01)
    top = outlines(done)[-1]
    area = [sides / 2 * np.sin(2 * np.pi / sides) for sides in (20, 8)]
    bored = 8 * 4 * np.tan(np.pi / 8)
    assert top.area == pytest.approx(25 * area[0] - bored, rel=0.01)


def test_a_post_within_a_hole_stays(tmp_path):
    shape = shapely.box(-9, -9, 9, 9).difference(circle(0, 0, 10)).union(circle(0, 0, 3))
    plain, done = (slice_it(tmp_path, extruded(shape, 1), {"holes.true_size": on}) for on in (False, True))
    post = shapely.Point(0, 0).buffer(2)
    for before, after in zip(outlines(plain), outlines(done), strict=True):
        assert before.intersection(post).equals(after.intersection(post))


def test_without_it_nothing_is_looked_for(tmp_path):
    assert slice_it(tmp_path, plate()).sliced.solids[0].few_sided.rounds.count == 0


def test_asking_where_nothing_is_round_is_told(tmp_path):
    told = [
        [one["code"] for one in slice_it(tmp_path, facets, {"holes.true_size": True}).report["findings"]]
        for facets in (extruded(shapely.box(0, 0, 9, 9), 1), plate())
    ]
    assert "setting-idle" in told[0]
    assert "setting-idle" not in told[1]


def test_a_zone_may_ask_where_nothing_is_round(tmp_path):
    asking = zone((0, 0, 0), (8, 8, 8), {"holes.true_size": True})
    done = slice_again(tmp_path, zoned(tmp_path, extruded(shapely.box(-9, -9, 9, 9), 1), [asking], {}))
    assert done.report["parts"][0]["true_size"] == []
