"""Ways between lines: inside the part where the detour is small, wiped and drawn back where not."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.motion.check import check_gcode
from even_step.core.motion.moves import GO, RETRACT
from even_step.core.motion.reader import read_gcode
from even_step.core.plane import region
from even_step.core.slicing.ways import plan_ways
from even_step.core.toolpath.lines import lines_of
from tests.shapes import box, extruded, holed_block
from tests.slicing_help import laid, plain_moves

BARE = {"skirt.loops": 0}
HORSESHOE = shapely.box(0, 0, 40, 40).difference(shapely.box(10, 10, 30, 41)).difference(shapely.Point(5, 20).buffer(2))


def ways_of(path):
    """Each way as its points, and whether filament is drawn back on it."""
    out = []
    for p in range(1, len(path.role)):
        via = path.via[path.via_start[p] : path.via_start[p + 1]]
        out.append((np.vstack((path.xy[path.start[p] - 1], via, path.xy[path.start[p]])), bool(path.retract[p])))
    return out


def test_ways_without_retraction_never_leave_the_part(sliced):
    done = sliced(extruded(HORSESHOE, 3), BARE)
    shape = shapely.affinity.translate(HORSESHOE, 90, 90)
    bent = 0
    for way, back in ways_of(done.sliced.toolpath):
        if not back and np.hypot(*(way[-1] - way[0])) >= 2.0:
            assert shapely.LineString(way).difference(shape).length < 1e-6
            bent += len(way) > 2
    assert bent > 5


def test_ways_inside_save_retractions_and_can_be_turned_off(sliced):
    inside, straight = (sliced(extruded(HORSESHOE, 3), {**BARE, "travel.inside": on}) for on in (True, False))
    assert inside.sliced.toolpath.retract.sum() < 0.3 * straight.sliced.toolpath.retract.sum()
    assert len(straight.sliced.toolpath.via) == 0


def test_a_detour_is_taken_only_up_to_its_ratio():
    wall = shapely.box(0, 0, 40, 40).difference(shapely.box(19, 2, 21, 41))
    rings = region.rings(np.array([shapely.MultiPolygon([wall])], object))
    xy = np.array([(1.0, 1.0), (18.0, 30.0), (22.0, 30.0), (30.0, 30.0)])
    start = np.array([0, 2, 4])
    for ratio, passed in ((5.0, 0), (20.0, 2)):
        linked = np.zeros(2, bool)
        via, places = plan_ways(xy, start, linked, rings.xy, rings.start, 2.0, ratio, 1000.0, 0.2)
        assert linked.tolist() == [False, passed > 0]
        assert places[-1] == passed
        for x, y in via:
            assert wall.buffer(1e-6).contains(shapely.Point(x, y))
            assert y < 2.0


def test_between_islands_ways_go_straight_with_filament_drawn_back():
    isles = shapely.union_all([shapely.box(0, 0, 5, 5), shapely.box(10, 0, 15, 5)])
    rings = region.rings(np.array([isles], object))
    linked = np.zeros(2, bool)
    xy = np.array([(1.0, 1.0), (4.0, 4.0), (11.0, 4.0), (14.0, 1.0)])
    via, _ = plan_ways(xy, np.array([0, 2, 4]), linked, rings.xy, rings.start, 2.0, 50.0, 1000.0, 0.2)
    assert not linked.any()
    assert len(via) == 0


def test_the_file_holds_the_ways_and_their_time(sliced):
    done = sliced(extruded(HORSESHOE, 3), {**BARE, "travel.wipe": 3})
    checked = check_gcode(done.gcode)
    assert checked.time_s == pytest.approx(done.report["time_s"], rel=1e-9)
    assert checked.retractions == done.sliced.toolpath.retract.sum()
    assert not checked.outside_volume


def test_after_drawing_back_the_nozzle_wipes_over_the_line_just_laid(sliced):
    done = sliced(holed_block(), {**BARE, "travel.wipe": 3, "travel.inside": False, "travel.lift": 0.4})
    read = read_gcode(done.gcode)
    moves = np.flatnonzero(~read.own)
    path = done.sliced.toolpath
    lines = [shapely.LineString(path.xy[a:b]) for a, b in zip(path.start[:-1], path.start[1:], strict=True)]
    seen = 0
    for i in moves[:-3]:
        if read.kind[i] == RETRACT and read.kind[i + 1] == GO and read.layer[i] == 5:
            way = [read.to[i, :2]]
            k = i + 1
            while read.kind[k] == GO and read.to[k, 2] == read.to[i, 2]:
                way.append(read.to[k, :2])
                k += 1
            wiped = shapely.LineString(way)
            assert wiped.length == pytest.approx(3, abs=0.02)
            assert (
                min(
                    line.hausdorff_distance(wiped) if line.length < 4 else wiped.difference(line.buffer(0.01)).length
                    for line in lines
                )
                < 0.02
            )
            seen += 1
    assert seen > 3


def test_short_loops_are_laid_slowly(sliced):
    settings = {**BARE, "motion.small_loop_speed": 15, "motion.small_loop_up_to": 30, "cooling.least_layer_time": 0}
    done = sliced(holed_block(20, 6, 4), settings)
    feeds = {}
    for move in laid(plain_moves(done.gcode)):
        if move.layer == 8 and move.role == "outer-wall":
            near = np.hypot(*(move.end[:2] - 110)) < 5
            feeds.setdefault(near, set()).add(move.feed)
    assert feeds[True] == {15 * 60}
    assert 15 * 60 not in feeds[False]


def test_points_passed_on_the_way_are_drawn_as_travel(sliced):
    path = sliced(extruded(HORSESHOE, 3), BARE).sliced.toolpath
    drawn = lines_of(path)
    assert len(drawn.points) == len(path.xy) + len(path.via)
    travel = drawn.points[:, 3] < 0
    assert travel.sum() == len(path.role) + len(path.via) - 1
    assert drawn.layer[-1] == len(drawn.points)
    laid_points = drawn.points[
        np.isin(drawn.points[:, :2].round(3).tolist(), path.via.astype(np.float32).round(3)).all(axis=1)
    ]
    assert len(laid_points) >= len(path.via)


def test_a_box_alone_needs_hardly_a_retraction(sliced):
    path = sliced(box(30, 30, 4), BARE).sliced.toolpath
    assert path.retract.sum() <= 1.2 * path.layers
