"""Bridges: where they are found, which way they lie, what holds them, how they are laid."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely

from even_step.core.plane.spans import best_span, shortest_chord
from even_step.core.toolpath.roles import BRIDGE
from tests.raster import layer_lines
from tests.shapes import ball, box, extruded
from tests.slicing_help import laid, plain_moves

BARE = {"skirt.loops": 0}
GAP = 12.0


def gate(gap=GAP, turn=0.0):
    """Two pillars and a slab that lies on both; the gap runs along y."""
    facets = np.concatenate(
        (
            box(8, 20, 6, (-(gap + 8) / 2, 0, 0)),
            box(8, 20, 6, ((gap + 8) / 2, 0, 0)),
            box(gap + 16, 20, 2, (0, 0, 6)),
        )
    )
    cos, sin = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    return facets @ np.array([[cos, sin, 0], [-sin, cos, 0], [0, 0, 1]])


def multi(shape):
    return np.array([shapely.MultiPolygon([shape]) if shape.geom_type == "Polygon" else shape], object)


@pytest.mark.parametrize("turn", [0, 25, 90, 137])
def test_a_gap_between_two_holds_is_spanned_the_short_way(turn):
    gap, hold = (
        shapely.box(-6, -10, 6, 10),
        shapely.union_all([shapely.box(-14, -10, -6, 10), shapely.box(6, -10, 14, 10)]),
    )
    gap, hold = (shapely.affinity.rotate(shape, turn, origin=(0, 0)) for shape in (gap, hold))
    span = best_span(multi(gap), multi(hold))
    assert span.held == pytest.approx(1.0)
    assert (span.angle - turn + 90) % 180 - 90 == pytest.approx(0, abs=0.5)
    assert span.longest == pytest.approx(12, abs=0.1)


def test_a_gap_held_on_one_side_is_no_bridge():
    span = best_span(multi(shapely.box(0, 0, 6, 20)), multi(shapely.box(-10, 0, 0, 20)))
    assert span.held < 0.2


def test_a_frame_is_spanned_across_its_narrow_side():
    outer = shapely.box(-20, -10, 20, 10)
    gap = shapely.box(-15, -4, 15, 4)
    span = best_span(multi(gap), multi(outer.difference(gap)))
    assert span.held == pytest.approx(1.0)
    assert span.angle == pytest.approx(90, abs=0.5)


@pytest.mark.parametrize("turn", [0, 30])
def test_strands_cross_the_gap_and_lie_on_both_holds(sliced, turn):
    done = sliced(gate(turn=turn), {**BARE, "bridges.anchor": 1.5})
    lines, widths = layer_lines(done.sliced.toolpath, 30, {BRIDGE})
    assert widths == pytest.approx([0.4] * len(widths))
    back = np.radians(-turn)
    long = 0
    for line in lines:
        points = (line - (110, 110)) @ np.array([[np.cos(back), np.sin(back)], [-np.sin(back), np.cos(back)]])
        for (x0, y0), (x1, y1) in itertools.pairwise(points):
            if abs(x1 - x0) > 5:
                long += 1
                assert abs(y1 - y0) < 0.02
                assert min(x0, x1) <= -GAP / 2 - 1.2
                assert max(x0, x1) >= GAP / 2 + 1.2
    assert long == pytest.approx((20 - 2.5) / 0.4, abs=3)
    assert not (done.sliced.toolpath.role[done.sliced.toolpath.layer_of_path() != 30] == BRIDGE).any()


def test_a_strand_is_as_round_as_the_nozzle_and_has_its_speed_and_fan(sliced):
    settings = {**BARE, "bridges.speed": 22, "bridges.flow": 90, "bridges.fan": 80, "cooling.fan": 40}
    done = sliced(gate(), settings)
    moves = [move for move in laid(plain_moves(done.gcode)) if move.role == "bridge"]
    area = sum(move.e for move in moves) * np.pi * 1.75**2 / 4 / sum(np.hypot(*(m.end - m.start)[:2]) for m in moves)
    assert area == pytest.approx(0.9 * np.pi * 0.4**2 / 4, rel=0.01)
    assert {move.feed for move in moves} == {22 * 60}
    text = done.gcode.read_text().splitlines()
    bridge = next(i for i, line in enumerate(text) if line.startswith(";es role=bridge"))
    assert text[bridge + 1] == "M106 S204"
    after = next(i for i in range(bridge + 2, len(text)) if text[i].startswith("M106"))
    assert text[after] == "M106 S102"
    assert text[after - 1].startswith(";es role=")


def test_the_slope_of_a_ball_and_the_bed_need_no_bridge(sliced):
    path = sliced(ball(12, 4), BARE).sliced.toolpath
    assert not (path.role == BRIDGE).any()


def test_a_bridge_longer_than_they_hold_is_told(sliced):
    def told(longest):
        findings = sliced(gate(), {**BARE, "bridges.longest": longest}).report["findings"]
        return [one for one in findings if one["code"] == "bridge-long"]

    assert [one["amount"] for one in told(9)] == pytest.approx([GAP], abs=0.2)
    assert told(9)[0]["layer"] == 30
    assert told(15) == []


def ring(inner, outer):
    return shapely.Point(0, 0).buffer(outer, 64).difference(shapely.Point(0, 0).buffer(inner, 64))


@pytest.mark.parametrize("x", [10.0, 7.0])
def test_the_shortest_chord_of_a_ring_runs_outward(x):
    gap = multi(ring(6, 12))
    hold = multi(shapely.union_all([shapely.Point(0, 0).buffer(6, 64), ring(12, 15)]))
    turn = np.radians(35)
    chord = shortest_chord(gap, hold, x * np.cos(turn), x * np.sin(turn))
    assert chord.held == 1.0
    assert chord.longest == pytest.approx(6, abs=0.05)
    assert chord.angle == pytest.approx(35, abs=2.6)


def test_a_chord_that_ends_in_the_air_is_none():
    gap, hold = multi(shapely.box(0, 0, 6, 20)), multi(shapely.box(-10, 0, 0, 20))
    assert shortest_chord(gap, hold, 3, 10).held == 0.0


def test_a_gap_round_a_hole_is_laid_piece_by_piece_outward(sliced):
    """A roof on a post and a round wall: laid in one direction its strands would run along the ring."""
    post, wall = shapely.Point(0, 0).buffer(5, 48), ring(11, 14)
    facets = np.concatenate(
        (extruded(post, 4), extruded(wall, 4), extruded(shapely.Point(0, 0).buffer(14, 48), 2) + [0, 0, 4])
    )
    done = sliced(facets, {**BARE, "bridges.anchor": 1.0})
    layer = 20
    lines, _ = layer_lines(done.sliced.toolpath, layer, {BRIDGE})
    strands = np.concatenate([np.stack((line[:-1], line[1:]), axis=1) for line in lines]) - (110, 110)
    long = np.hypot(*(strands[:, 1] - strands[:, 0]).T)
    strands, long = strands[long > 3], long[long > 3]
    middle, along = strands.mean(axis=1), (strands[:, 1] - strands[:, 0]) / long[:, None]
    outward = np.abs((middle * along).sum(axis=1)) / np.hypot(*middle.T)
    assert outward.min() > np.cos(np.radians(20))
    assert long.max() < 10
    laid = shapely.union_all([shapely.LineString(line - (110, 110)).buffer(0.2) for line in lines])
    assert ring(5, 11).difference(laid).area < 0.03 * ring(5, 11).area
