"""Texture: rough where a disc from outside gets to and nowhere else, within its depth, the same for the same job."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.foreseen_texture import texture_before
from even_step.core.slicing.touched import touched_by
from even_step.core.stages import StageCache
from even_step.core.toolpath.roles import INNER_WALL, OUTER_WALL, TOP
from even_step.core.work import crew
from tests.core.slicing.zone_help import zone, zoned
from tests.raster import STEP, Raster, layer_lines
from tests.shapes import box, extruded, write_stl
from tests.slicing_help import job_of, plain_moves, slice_again, slice_it

ROUGH = {"texture.depth": 0.4, "texture.spacing": 0.6}
OPEN, SHUT = 10, 2  # layers: through the port, and beneath it


def case():
    """A box of 40 by 30 with walls of 3, and a port 12 mm wide in the front one from 1 to 3 mm up."""
    outer, inner = shapely.box(-20, -15, 20, 15), shapely.box(-17, -12, 17, 12)
    ring = outer.difference(inner)
    ported = ring.difference(shapely.box(-6, -20, 6, -10))
    return np.concatenate((extruded(ring, 1), extruded(ported, 2) + (0, 0, 1), extruded(ring, 1) + (0, 0, 3)))


def walls_of(done, layer, roles=(OUTER_WALL,)):
    lines, _ = layer_lines(done.sliced.toolpath, layer, roles)
    return [line - done.sliced.placed[0].at for line in lines]


def strays(done, smooth, layer, where=None):
    """How far points of rough outer walls lie off the smooth ones, mm, of those within a box."""
    drawn = shapely.MultiLineString(walls_of(smooth, layer))
    points = np.concatenate(walls_of(done, layer))
    if where is not None:
        points = points[shapely.contains_xy(where, *points.T)]
    return shapely.distance(drawn, shapely.points(points))


@pytest.fixture(scope="module")
def smooth(tmp_path_factory):
    return slice_it(tmp_path_factory.mktemp("smooth"), case())


ROOM = shapely.box(-17.5, -12.5, 17.5, 12.5)
PORT = shapely.box(-6.5, -14, 6.5, -12.6)


@pytest.mark.parametrize("layer", [SHUT, OPEN])
def test_outside_is_rough_within_the_depth_and_inside_smooth(tmp_path, smooth, layer):
    done = slice_it(tmp_path, case(), {**ROUGH, "texture.opening_width": 15.0})
    inside = strays(done, smooth, layer, ROOM)
    assert len(inside) > 4
    assert inside.max() < 0.002
    outside = strays(done, smooth, layer)
    assert outside.max() <= 0.2 + 0.002, "half of the depth either way"
    assert outside.max() > 0.15
    around = strays(done, smooth, layer, shapely.box(-21, -16, 21, 16).difference(shapely.box(-19, -14, 19, 14)))
    assert np.mean(around > 0.02) > 0.7
    assert "texture-inside" not in [one["code"] for one in done.report["findings"]]


def test_in_the_raster_the_room_is_as_without_and_the_skin_is_not(tmp_path, smooth):
    done = slice_it(tmp_path, case(), {**ROUGH, "texture.opening_width": 15.0})
    grid = Raster(shapely.box(-20, -15, 20, 15), margin=0.5)
    covered = []
    for one in (smooth, done):
        lines, widths = layer_lines(one.sliced.toolpath, OPEN, (OUTER_WALL, INNER_WALL))
        covered.append(grid.covered([line - one.sliced.placed[0].at for line in lines], widths) > 0)
    room = shapely.contains_xy(shapely.box(-17, -12, 17, 12), grid.grid_x, grid.grid_y)
    skin = ~shapely.contains_xy(shapely.box(-20, -15, 20, 15), grid.grid_x, grid.grid_y)
    beyond = ~shapely.contains_xy(shapely.box(-20.23, -15.23, 20.23, 15.23), grid.grid_x, grid.grid_y)
    assert grid.area(covered[1] & room) == pytest.approx(grid.area(covered[0] & room), abs=20 * STEP)
    assert grid.area(covered[1] & skin) > 3.0
    assert grid.area(covered[1] & beyond) == 0.0
    assert grid.area(covered[0] & skin) < 0.5


def test_an_opening_too_wide_lets_it_in_and_is_told_with_the_width_that_keeps_it_out(tmp_path, smooth):
    done = slice_it(tmp_path, case(), {**ROUGH, "texture.opening_width": 8.0})
    assert strays(done, smooth, OPEN, ROOM).max() > 0.1
    assert strays(done, smooth, SHUT, ROOM).max() < 0.002
    (told,) = [one for one in done.report["findings"] if one["code"] == "texture-inside"]
    assert told["severity"] == "note"
    assert told["amount"] == pytest.approx(12.0, abs=0.1)
    assert 5 <= told["layer"] < 15
    assert told["at_mm"] == pytest.approx((110, 110 - 13.5), abs=2.0)
    enough = told["fix"]["settings"]["texture.opening_width"]
    assert 12.0 < enough <= 12.5
    mended = slice_it(tmp_path, case(), {**ROUGH, "texture.opening_width": enough})
    assert "texture-inside" not in [one["code"] for one in mended.report["findings"]]
    assert strays(mended, smooth, OPEN, ROOM).max() < 0.002


@pytest.mark.parametrize("of_part", [{}, {"texture.depth": 0.4, "texture.opening_width": 15.0}])
def test_an_opening_that_lets_in_the_texture_of_a_zone_is_told_with_what_the_zone_is_to_have(tmp_path, of_part):
    def findings(width, **more):
        front = zone((0, -12, 2), (44, 14, 6), {**ROUGH, "texture.opening_width": width}, id="z1", **more)
        done = slice_again(tmp_path, zoned(tmp_path, case(), [front], of_part))
        return [one for one in done.report["findings"] if one["code"] == "texture-inside"]

    (told,) = findings(8.0, name="grip")
    assert told["amount"] == pytest.approx(12.0, abs=0.1)
    assert told["zone"] == "grip"
    assert told["fix"]["zone"] == "z1"
    assert findings(told["fix"]["settings"]["texture.opening_width"]) == []


def test_where_a_zone_is_smooth_or_keeps_out_of_wider_openings_nothing_gets_in(tmp_path):
    rough = {**ROUGH, "texture.opening_width": 8.0}
    for own in ({"texture.depth": 0.0}, {"texture.opening_width": 15.0}):
        front = zone((0, -12, 2), (44, 14, 6), own)
        done = slice_again(tmp_path, zoned(tmp_path, case(), [front], rough))
        assert "texture-inside" not in [one["code"] for one in done.report["findings"]]


def test_width_0_makes_every_wall_rough(tmp_path, smooth):
    done = slice_it(tmp_path, case(), {**ROUGH, "texture.opening_width": 0.0})
    assert strays(done, smooth, SHUT, ROOM).max() > 0.1


def test_the_same_job_is_the_same_skin_on_two_threads_and_each_layer_its_own(tmp_path):
    one, two = (slice_it(tmp_path, box(20, 20, 4), ROUGH, threads) for threads in (1, 2))
    first = one.gcode.read_bytes()
    two = slice_it(tmp_path, box(20, 20, 4), ROUGH, 2).gcode.read_bytes()
    assert first == two
    layers = [np.concatenate(walls_of(one, layer)) for layer in (3, 4)]
    assert len(layers[0]) != len(layers[1]) or not np.allclose(layers[0], layers[1], atol=0.01)


def test_dents_are_as_far_apart_as_set(tmp_path):
    for spacing in (0.3, 1.2):
        done = slice_it(tmp_path, box(20, 20, 2), {**ROUGH, "texture.spacing": spacing})
        points = sum(len(line) for line in walls_of(done, 4))
        assert points == pytest.approx(4 * 19.55 / spacing, rel=0.1)


def test_no_texture_no_change(tmp_path):
    plain = slice_it(tmp_path, case()).gcode.read_bytes()
    other = slice_it(tmp_path, case(), {"texture.opening_width": 15.0}).gcode.read_text()
    said = {"opening_width"}
    lines = [line for line in other.splitlines() if not any(word in line for word in said)]
    assert lines == [line for line in plain.decode().splitlines() if not any(word in line for word in said)]


def test_a_zone_alone_is_rough(tmp_path):
    half = zone((15, 0, 2), (10, 60, 8), ROUGH)
    job = zoned(tmp_path, box(30, 20, 4), [half], {})
    done, bare = slice_again(tmp_path, job), slice_it(tmp_path, box(30, 20, 4))
    off = strays(done, bare, 8, shapely.box(10.5, -20, 20, 20))
    assert np.mean(off > 0.02) > 0.7
    assert strays(done, bare, 8, shapely.box(-20, -20, 9.5, 20)).max() < 0.002


def test_tops_rise_and_dip_with_as_much_plastic(tmp_path):
    plain, done = (
        slice_it(tmp_path, box(20, 20, 2), {**ROUGH, "texture.tops": tops}, cache=None) for tops in (False, True)
    )
    volumes = [one.report["volume_by_role_mm3"]["top"] for one in (plain, done)]
    assert volumes[1] == pytest.approx(volumes[0], rel=0.02)
    moves = [move for move in plain_moves(done.gcode) if move.role == "top" and move.e > 0]
    z = np.array([move.end[2] for move in moves])
    assert z.max() - 2.0 == pytest.approx(0.06, abs=0.01)
    assert 2.0 - z.min() == pytest.approx(0.06, abs=0.01)
    high = np.array([move.e / np.linalg.norm((move.end - move.start)[:2]) for move in moves])
    middle = np.array([(move.start[2] + move.end[2]) / 2 for move in moves])
    assert np.corrcoef(middle, high)[0, 1] > 0.95, "more plastic where it stands higher"
    path = done.sliced.toolpath
    assert (path.climb[np.repeat(path.role, np.diff(path.start)) != TOP, 0] == 0.0).all()


def test_a_vase_can_be_rough(tmp_path):
    settings = {**ROUGH, "vase.on": True, "bottom.layers": 2}
    done = slice_it(tmp_path, box(20, 20, 6), settings)
    moves = [move for move in plain_moves(done.gcode) if move.e > 0 and move.end[2] > 0.4 + 1e-6]
    assert (np.diff([move.end[2] for move in moves]) >= 0).all()
    away = np.abs(np.array([move.end[:2] for move in moves]) - 110).max(axis=1)
    assert away.max() > 9.85
    assert away.max() < 10.0 - 0.225 + 0.2 + 0.01


def test_the_time_it_costs_is_what_the_job_takes_less_without(tmp_path, smooth):
    done = slice_it(tmp_path, case(), ROUGH)
    assert done.report["texture_s"] == pytest.approx(done.report["time_s"] - smooth.report["time_s"], abs=0.01)
    assert done.report["texture_s"] > 10
    assert smooth.report["texture_s"] == 0.0


IN_CORNERS = 4.0 - np.sqrt(2 * 4.0 * 0.1 - 0.01)  # mm of each side that a disc of 8 does not touch, within 0.1


@pytest.mark.parametrize(
    ("width", "inside"),
    [(15.0, 0.0), (8.0, 2 * (2 * (34 + 24) - 12 - 8 * IN_CORNERS)), (0.0, 4 * 2 * (34 + 24) - 2 * 12)],
)
def test_before_slicing_the_same_faces_are_foreseen_rough(tmp_path, width, inside):
    """Outside all of the walls; inside what a disc gets to: nothing, the height of the port, all."""
    job = job_of(write_stl(tmp_path / "case.stl", case()), {**ROUGH, "texture.opening_width": width})
    with crew(1) as hands:
        (relief,) = texture_before(job, hands, StageCache())
    assert (relief.depth, relief.spacing) == (0.4, 0.6)
    corners = relief.corners.astype(np.float64) - (110.0, 110.0, 0.0)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    x, y = np.abs(corners.mean(axis=1)[:, :2]).T
    outside = area[(x > 19.9) | (y > 14.9)].sum()
    assert outside == pytest.approx(2 * (40 + 30) * 4 - 12 * 2, rel=0.01)
    room = area[(x < 17.1) & (y < 12.1)].sum()
    assert room == pytest.approx(inside, rel=0.05, abs=0.5)


def test_a_disc_touches_what_it_gets_to_round_closed_forms():
    """Round a slot 6 mm wide and 10 deep: a disc of 8 touches the rim only, one of 5 the sides too."""
    slotted = shapely.box(-20, 0, 20, 20).difference(shapely.box(-3, 10, 3, 20))
    outlines = np.array([shapely.MultiPolygon([slotted]), shapely.MultiPolygon()], object)
    points = np.array([[-20.0, 5.0], [10.0, 20.0], [-3.0, 12.0], [0.0, 10.0], [3.0, 19.97]])
    with crew(1) as hands:
        wide, slim = (touched_by(outlines, width, hands) for width in (8.0, 5.0))
    assert wide.reaches(points, 0, 0.0).tolist() == [True, True, False, False, True]
    assert slim.reaches(points, 0, 0.0).tolist() == [True] * 5
    inward = points + [(0.3, 0), (0, -0.3), (-0.3, 0), (0, -0.3), (0.3, 0)]
    assert slim.reaches(inward, 0, 0.3).all()
    assert wide.reaches(points, 1, 0.0).all()
    with crew(1) as hands:
        assert touched_by(outlines[1:], 8.0, hands).reaches(points, 0, 0.0).all()


def test_texture_of_a_zone_is_no_void(tmp_path):
    rough = zone((0, 0, 2), (60, 60, 8), {"texture.depth": 0.8, "texture.spacing": 1.0})
    done = slice_again(tmp_path, zoned(tmp_path, box(12, 12, 4), [rough], {}))
    assert "void" not in [one["code"] for one in done.report["findings"]]
