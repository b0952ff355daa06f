"""Walls over air: laid slower and cooled more by the share of their width that is held, and nothing else is."""

from __future__ import annotations

import math

import numpy as np
import pytest

from even_step.core.motion.fan import A_PERCENT, path_fans
from even_step.core.plane.segments import edges_of, grid_of
from even_step.core.slicing.hold_parts import outlines_below, parted_by_hold
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL
from tests.hung import leaning
from tests.shapes import box

BARE = {"skirt.loops": 0, "infill.density": 0, "top.layers": 0, "walls.count": 1, "motion.small_loop_up_to": 0}
OVER_AIR, FROM = 30.0, 60.0
WALLS = (OUTER_WALL, INNER_WALL, GAP_FILL)


def speeds(done):
    return done.sliced.plan.speeds.feed / 60.0


def wall_on_the_slope(done, layer=12):
    """The path along the leaning side, which looks toward +x."""
    path = done.sliced.toolpath
    some = [p for p in range(path.layer[layer], path.layer[layer + 1]) if path.role[p] == OUTER_WALL]
    lines = {p: path.xy[path.start[p] : path.start[p + 1]] for p in some}
    most = max(line[:, 0].max() for line in lines.values())
    there = [p for p, line in lines.items() if line[:, 0].max() > most - 0.1]
    return max(there, key=lambda p: lines[p][:, 0].min())


@pytest.mark.parametrize("angle", range(20, 81, 10))
def test_speed_and_fan_fall_evenly_with_the_share_that_is_held(sliced, angle):
    done = sliced(leaning(angle, 0.0), {**BARE, "bridges.speed": OVER_AIR, "cooling.fan": 40, "bridges.fan": 100})
    path, p = done.sliced.toolpath, wall_on_the_slope(done)
    width, height = float(path.width[p]), float(path.height[p])
    share = min(max(1.0 - height * math.tan(math.radians(angle)) / width, 0.0), 1.0)
    own = done.sliced.lines.records[0].outer_speed
    part = min(share / (FROM / 100.0), 1.0)
    step = 0.06 / (FROM / 100.0)  # half a tenth, and rounding
    assert speeds(done)[p] == pytest.approx(OVER_AIR + (own - OVER_AIR) * part, abs=(own - OVER_AIR) * step)
    fan = path_fans(path, done.sliced.fans)[p] / A_PERCENT
    assert fan == pytest.approx(100.0 + (40.0 - 100.0) * part, abs=60.0 * step + 0.5)


def bridge(span=30.0):
    side = span / 2 + 5
    return np.concatenate(
        (box(10, 12, 6, (-side, 0, 0)), box(10, 12, 6, (side, 0, 0)), box(span + 20, 12, 3, (0, 0, 5.99)))
    )


def test_the_walls_of_a_bridge_are_laid_like_its_strands(sliced):
    done = sliced(bridge(), {**BARE, "walls.count": 2, "infill.density": 15, "bridges.speed": OVER_AIR})
    path = done.sliced.toolpath
    layer = int(np.searchsorted(path.top, 6.1))
    paths = np.arange(path.layer[layer], path.layer[layer + 1])
    walls = paths[np.isin(path.role[paths], WALLS)]
    free = [p for p in walls if path.held[p] == 0 and path.role[p] != GAP_FILL]
    lengths = path.lengths()
    assert sum(lengths[free]) == pytest.approx(4 * 30.0, rel=0.08), "two walls on either side"
    assert speeds(done)[free] == pytest.approx(OVER_AIR)
    held = [p for p in walls if path.held[p] == ALL_HELD]
    assert speeds(done)[held].min() > OVER_AIR


def test_nothing_else_changes_its_speed(sliced):
    settings = {**BARE, "walls.count": 2, "infill.density": 15, "top.layers": 3}
    slow, even = (sliced(bridge(), {**settings, "hanging.from": share}) for share in (FROM, 0.0))
    for done in (slow, even):
        assert (done.sliced.toolpath.held[~np.isin(done.sliced.toolpath.role, WALLS)] == ALL_HELD).all()
    assert (even.sliced.toolpath.held == ALL_HELD).all()
    volumes = [done.report["volume_by_role_mm3"] for done in (slow, even)]
    assert volumes[0] == pytest.approx(volumes[1], rel=1e-4), "only how fast, not how much"
    other = [
        np.unique(speeds(done)[~np.isin(done.sliced.toolpath.role, WALLS)].round(2)).tolist() for done in (slow, even)
    ]
    assert other[0] == other[1]


def test_an_upright_part_is_laid_as_ever(sliced):
    path = sliced(box(), BARE).sliced.toolpath
    assert (path.held == ALL_HELD).all()


def test_a_line_is_parted_where_it_leaves_what_holds_it():
    xy = np.array([(0.0, 0.0), (10.0, 0.0), (10.0, 5.0)])
    below = np.array([(-1.0, -1.0), (4.0, -1.0), (4.0, 1.0), (-1.0, 1.0)])
    edges = edges_of(below, np.array([0, 4]))
    points, wide, start, tenths, origin = parted_by_hold(
        xy, np.array([0, 3]), np.full(3, 0.45), np.array([True]), (edges, *grid_of(edges, 1.0)), 0.6
    )
    assert tenths.tolist() == [10, 0]
    assert origin.tolist() == [0, 0]
    assert points[start[1] - 1] == pytest.approx((4.0, 0.0), abs=0.41)
    assert (points[start[1] - 1] == points[start[1]]).all()
    assert len(wide) == len(points)
    length = np.hypot(*np.diff(points, axis=0).T).sum()
    assert length == pytest.approx(15.0)


def test_only_a_changed_outline_below_is_looked_at():
    assert outlines_below(np.array([3, 3, 4, 4, 3])).tolist() == [-1, -1, 3, -1, 4]
