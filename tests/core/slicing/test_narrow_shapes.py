"""Narrow places of every kind: what is void, lies twice or outside, how wide lines are, and where doors lead."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely

from even_step.core.plane import region
from even_step.core.slicing import narrow
from tests.narrow_help import laid, lines_of, most_step, roughened, shares
from tests.shapes import narrow_plans

LEAST, WIDEST = 0.24, 0.72  # mm, of a nozzle of 0.4


def star(points, inner, outer):
    turn = np.arange(2 * points) * np.pi / points
    far = np.where(np.arange(2 * points) % 2, inner, outer)
    return shapely.Polygon(np.stack((far * np.cos(turn), far * np.sin(turn)), axis=1))


def noisy(wide, seed):
    """A bar whose edges are as rough as a scan's."""
    rng = np.random.default_rng(seed)
    x = np.arange(0, 20.01, 0.2)
    low, high = rng.normal(0, 0.02, (2, len(x)))
    return shapely.Polygon([*zip(x, low, strict=True), *zip(x[::-1], wide + high, strict=True)])


def junction(arms, wide):
    bar = shapely.box(0, -wide / 2, 8, wide / 2)
    return shapely.union_all([shapely.affinity.rotate(bar, 360 * i / arms, origin=(0, 0)) for i in range(arms)])


def crossing_bars():
    """Plans of four bars that cross as they happen to."""
    rng = np.random.default_rng(5)
    for _ in range(40):
        bars = [
            shapely.affinity.rotate(shapely.box(0, 0, rng.uniform(2, 9), rng.uniform(0.3, 2.5)), rng.uniform(0, 180))
            for _ in range(4)
        ]
        yield shapely.set_precision(shapely.union_all(bars), 0.001)


def oval(sides, long, short):
    turn = np.arange(sides) * 2 * np.pi / sides
    return shapely.Polygon(np.stack((long * np.cos(turn), short * np.sin(turn)), axis=1))


def checked(plan, count=3, void=0.01, twice=0.02):
    plan = shapely.set_precision(plan, 0.001)
    made = laid(plan, count)
    empty, double, outside = shares(plan, made)
    assert empty < void
    assert double < twice
    assert outside < 0.0002
    for _, widths in lines_of(made):
        if len(widths):
            assert widths.min() >= LEAST - 1e-6
            assert widths.max() <= WIDEST + 1e-6
    assert most_step(made) < 0.25
    return made


@pytest.mark.parametrize("thick", np.arange(0.3, 3.01, 0.05).round(2))
def test_a_wall_of_any_thickness_is_full_and_nothing_lies_twice(thick):
    made = checked(shapely.box(0, 0, 20, thick))
    for xy, widths in lines_of(made):
        # Along the wall, not where a line turns at its ends.
        inside = (np.abs(xy[:-1, 0] - 10) < 8) & (np.abs(xy[1:, 0] - 10) < 8)
        if inside.any():
            assert np.ptp(widths[inside]) < 0.01


@pytest.mark.parametrize("angle", range(5, 95, 5))
@pytest.mark.parametrize("blunt", [0.0, 0.1, 0.5])
def test_a_wedge_of_any_angle_is_full_to_its_tip(angle, blunt):
    half = np.radians(angle / 2)
    near, far = blunt / 2 / np.tan(half), min(20.0, 5 / np.tan(half))
    corners = [(x, side * x * np.tan(half)) for x, side in ((near, -1), (far, -1), (far, 1), (near, 1))]
    checked(shapely.convex_hull(shapely.MultiPoint(corners)), void=0.02)


@pytest.mark.parametrize("arms", [3, 4, 5, 6])
@pytest.mark.parametrize("wide", [0.6, 0.95, 1.3])
def test_where_walls_meet_there_is_neither_gap_nor_lump(arms, wide):
    checked(junction(arms, wide))


@pytest.mark.parametrize("wide", np.arange(0.45, 1.5, 0.05).round(2))
@pytest.mark.parametrize("arms", [2, 3, 4, 5, 6])
def test_right_where_ribs_meet_next_to_nothing_lies_twice(arms, wide):
    """Within 1.5 mm of the middle; two arms are a rib that stands on another one."""
    plan = junction(arms, wide)
    if arms == 2:
        plan = shapely.union_all([plan, shapely.box(-wide / 2, 0, wide / 2, 8)])
    near = shapely.Point(0, 0).buffer(1.5)
    void, twice, _ = shares(plan, laid(shapely.set_precision(plan, 0.001)), near)
    assert void < 0.02
    assert twice < 0.075


@pytest.mark.parametrize("sides", [6, 8, 9, 16, 32])
@pytest.mark.parametrize("wide", np.arange(0.38, 0.8, 0.06).round(2))
def test_a_disc_no_wider_than_a_line_gets_one(wide, sides):
    """Its circles all lie on one spot; what a short line leaves there is at most a third."""
    plan = shapely.set_precision(oval(sides, wide / 2, wide / 2), 0.001)
    made = laid(plan)
    assert shares(plan, made)[0] < 0.35
    assert len(made.strands.item) + len(made.rings.item) >= 1


@pytest.mark.parametrize("plan", [star(5, 3, 9), star(8, 4, 8)], ids=["star", "cog"])
def test_stars_are_full(plan):
    checked(plan)


@pytest.mark.parametrize("plan", [oval(12, 6, 0.5), oval(12, 4, 0.5), oval(12, 4, 1.1)], ids=["thin", "short", "oval"])
def test_ovals_are_full_but_for_their_tips(plan):
    checked(plan)


@pytest.mark.parametrize("wide", [0.3, 0.5, 0.6, 0.75, 0.8, 1.05, 1.2, 1.55, 1.9, 2.6])
@pytest.mark.parametrize("seed", [3, 4, 7])
def test_rough_edges_make_no_gaps(wide, seed):
    """Of a single line's bar the four corners alone are 0.5 %, for its line is round there."""
    checked(noisy(wide, seed))


@pytest.mark.parametrize("plan", [star(5, 3, 9), star(8, 4, 8), oval(64, 2, 2), *narrow_plans().values()])
@pytest.mark.parametrize("off", [0.01, 0.02])
def test_rough_edges_of_any_shape_make_no_gaps(plan, off):
    for seed in range(3):
        rough = roughened(max(shapely.get_parts(plan), key=shapely.area), off, 0.2, seed)
        checked(max(shapely.get_parts(rough), key=shapely.area))


@pytest.mark.parametrize("wide", [0.58, 0.6, 0.62, 0.64, 0.66, 0.68, 0.7, 0.72])
@pytest.mark.parametrize("seed", range(3, 15))
def test_a_rough_bar_just_where_one_line_becomes_two_is_filled(wide, seed):
    """There the number of lines would change again and again, each change with ends that lie on each other."""
    checked(noisy(wide, seed))


@pytest.mark.parametrize("wide", [0.45, 0.5, 0.6, 0.7])
@pytest.mark.parametrize("seed", range(3, 11))
def test_a_line_reaches_the_ends_of_a_rough_bar(wide, seed):
    """Though none of the circles there touches both of its sides; of 0.7 mm it may be closed there."""
    made = laid(shapely.set_precision(noisy(wide, seed), 0.001))
    along = np.concatenate((made.strands.xy, made.rings.xy))[:, 0]
    assert along.min() < wide / 2 + 0.1
    assert along.max() > 20 - wide / 2 - 0.1


@pytest.mark.parametrize("wide", [1.1, 1.15, 1.2])
@pytest.mark.parametrize("seed", range(3, 11))
def test_a_line_between_others_does_not_stand_out_over_what_is_rough(wide, seed):
    checked(noisy(wide, seed), twice=0.01)


@pytest.mark.parametrize(("sides", "across"), [(3, 4), (3, 8), (3, 16), (4, 2), (4, 4), (4, 8)])
@pytest.mark.parametrize("off", [0.02, 0.03, 0.05])
def test_rough_corners_do_not_pass_for_thin_walls(sides, across, off):
    """Where both ways past a tip see it from another side, all of the shape lay once between two doors."""
    turn = np.arange(sides) * 2 * np.pi / sides
    plan = shapely.Polygon(across / np.sqrt(sides) * np.stack((np.cos(turn), np.sin(turn)), axis=1))
    for seed in range(8):
        rough = roughened(plan, off, 0.3 if off > 0.03 else 0.2, seed)
        void, twice, outside = shares(rough, laid(rough))
        assert void < 0.2 / across
        assert twice < 0.28 / across
        assert outside < 0.0002


def test_rough_walls_that_meet_are_filled_and_nothing_lies_twice_all_along():
    """Middle lines led astray by rough walls left out whole arms, or ran to and fro."""
    rng = np.random.default_rng(7)
    found = []
    for seed in range(60):
        bars = [
            shapely.affinity.rotate(shapely.box(0, -w / 2, rng.uniform(4, 12), w / 2), rng.uniform(0, 360), (0, 0))
            for w in rng.uniform(0.35, 2.6, 4)
        ]
        plan = roughened(shapely.union_all(bars), rng.choice([0.01, 0.02, 0.03]), rng.uniform(0.12, 0.5), seed)
        plan = max(shapely.get_parts(plan), key=shapely.area)
        found.append(shares(plan, laid(plan, int(rng.integers(1, 5)))))
    void, twice, outside = np.array(found).T
    assert void.mean() < 0.01
    assert twice.mean() < 0.02
    assert void.max() < 0.04
    assert twice.max() < 0.06
    assert outside.max() < 0.0002


@pytest.mark.parametrize("long", [10, 15, 20])
def test_where_one_middle_line_becomes_two_they_do_not_lie_on_each_other(long):
    checked(shapely.Polygon([(0, -0.9), (long, -1.6), (long, 1.6), (0, 0.9)]), 2, twice=0.01)


@pytest.mark.parametrize("radius", [1.0, 1.2, 1.4, 1.5])
@pytest.mark.parametrize("count", [1, 2, 3, 4])
def test_what_is_left_between_holes_is_full(radius, count):
    """Lines end where a wider spot begins, in which others turn, or at the infill; each arm of a spot gets its own."""
    holes = [shapely.Point(x, y).buffer(radius) for x in (-4, 0, 4) for y in (-4, 0, 4)]
    checked(shapely.box(-8, -8, 8, 8).difference(shapely.union_all(holes)), count)


def test_where_a_middle_line_steps_back_two_lines_beside_it_do_not_cross():
    """A square that leans on a disc: where the room is at its widest circles came in turn, not in a row."""
    disc = [(-0.439, -1.061), (-1.5, -1.5), (-2.561, -1.061), (-3, 0), (-2.768, 0.56)]
    plan = shapely.Polygon([*disc, (-3.354, 0.696), (-2.68, 3.619), (0, 3), (-0.447, 1.064), (0, 0)])
    void, twice, _ = shares(plan, laid(plan, 2))
    assert void < 0.015
    assert twice < 0.02


@pytest.mark.parametrize("gap", [0.001, 0.01, 0.05, 0.2])
def test_bodies_a_hair_apart_are_laid_each_for_itself(gap):
    pair = shapely.union_all([shapely.box(0, 0, 20, 1.25), shapely.box(0, 1.25 + gap, 20, 2.5 + gap)])
    made = checked(pair)
    for xy, _ in lines_of(made):
        assert len({bool(y > 1.25 + gap / 2) for y in xy[:, 1]}) == 1


@pytest.mark.parametrize("count", [1, 2, 3, 4])
def test_what_is_left_inside_is_what_a_circle_fits_into(count):
    """A circle as wide as two more lines and the narrowest, rolled about inside the innermost line."""
    plan = shapely.union_all([shapely.Point(0, 0).buffer(6, quad_segs=32), shapely.box(4, -1.2, 20, 1.2)])
    made = laid(shapely.set_precision(plan, 0.001), count)
    filled = 0.45 - 0.2 * (1 - np.pi / 4)
    deep = 0.1 * (1 - np.pi / 4) + count * filled
    half = (2 * filled + LEAST - 0.2 * (1 - np.pi / 4)) / 2
    opened = plan.buffer(-deep - half, quad_segs=64).buffer(half, quad_segs=64)
    assert region.area(made.inner)[0] == pytest.approx(opened.area, rel=0.03)


def test_closed_lines_are_simple():
    for plan in narrow_plans().values():
        made = laid(plan)
        for a, b in itertools.pairwise(made.rings.start):
            assert shapely.LinearRing(made.rings.xy[a:b]).is_simple


def test_a_neck_thinner_than_any_line_parts_what_it_joins():
    """No line crosses where two pieces only just touch."""
    plan = shapely.union_all([shapely.box(0, 0, 6, 6), shapely.box(5.97, 5.97, 12, 12)])
    made = checked(plan, void=0.02)
    for xy, _ in lines_of(made):
        assert len({bool(x + y > 11.97) for x, y in xy}) == 1


def test_what_is_too_thin_for_any_line_is_told():
    plan = shapely.union_all([shapely.box(0, 0, 6, 6), shapely.box(5, 2, 14, 2.15)])
    made = laid(plan)
    assert made.lost[0].area == pytest.approx(8 * 0.15, rel=0.1)
    assert laid(plan, thicken=True).strands.xy[:, 0].max() > 13


def test_the_mouth_of_a_stub_that_sees_the_room_on_one_side_alone_is_closed():
    """Two of these plans, whose stubs have such mouths, were 9 and 13 % void."""
    before = narrow.TALLY.points[-1]
    void, twice, outside = np.array([shares(plan, laid(plan)) for plan in crossing_bars()]).T
    assert void.max() < 0.045
    assert twice.max() < 0.05
    assert void.mean() < 0.014
    # Circles of a small place may have their middles beyond its doors, and no line is laid there.
    assert twice.mean() < 0.017
    assert outside.max() < 0.0002
    assert narrow.TALLY.points[-1] == before


def test_hardly_any_point_goes_another_way():
    before = list(narrow.TALLY.points)
    for plan in narrow_plans().values():
        laid(plan)
    for plan in crossing_bars():
        laid(plan)
    tried, *others = np.subtract(narrow.TALLY.points, before)
    assert tried > 500
    assert others[-1] < 0.05 * tried
