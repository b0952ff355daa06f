"""Zones: speed, flow, fan and extruder that differ within shapes over a part."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.job.model import Material
from even_step.core.job.shipped import find
from even_step.core.plane.parting import parted_lines
from even_step.core.stages import StageCache
from tests import shapes
from tests.core.slicing.zone_help import block, zone, zoned
from tests.slicing_help import job_of, laid, plain_moves, slice_again

SIZE = (60.0, 50.0, 4.0)
CLOSED = {"top.layers": 2, "bottom.layers": 2, "cooling.least_layer_time": 0.0, "motion.small_loop_up_to": 0.0}


def right_half(settings):
    return zone((45, 25, 2), (30, 80, 9), settings)


def by_half(done):
    """Moves that lay something left and right of the middle, the crossing ones left out."""
    moves = [move for move in laid(plain_moves(done.gcode)) if move.role != "skirt"]
    sides = [[], []]
    for move in moves:
        if max(move.start[0], move.end[0]) < 109.98:
            sides[0].append(move)
        elif min(move.start[0], move.end[0]) > 110.02:
            sides[1].append(move)
    return sides


def way(moves):
    return sum(float(np.hypot(*(move.end - move.start)[:2])) for move in moves)


def test_speed_holds_in_the_zone_and_a_wall_is_still_one_run(tmp_path):
    plain = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [], CLOSED))
    travels = sum(1 for move in plain_moves(plain.gcode) if move.e == 0)
    lengths = [way(side) for side in by_half(plain)]
    fast = {"motion.print_speed": 41.0, "motion.outer_wall_speed": 23.0}
    done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half(fast)], CLOSED))
    sides = by_half(done)
    assert [way(side) for side in sides] == pytest.approx(lengths, rel=1e-4)
    above = [[move for move in side if move.layer > 0] for side in sides]
    assert {m.feed for m in above[1] if m.role == "outer-wall"} == {23 * 60}
    assert {m.feed for m in above[1] if m.role in ("inner-wall", "infill", "solid")} == {41 * 60}
    assert not {23 * 60, 41 * 60} & {move.feed for move in above[0]}
    assert sum(1 for move in plain_moves(done.gcode) if move.e == 0) == travels


def test_flow_and_fan_hold_in_the_zone(tmp_path):
    done = slice_again(
        tmp_path, zoned(tmp_path, block(*SIZE), [right_half({"flow.amount": 110.0, "cooling.fan": 30.0})], CLOSED)
    )
    left, right = (
        [
            m.e / np.hypot(*(m.end - m.start)[:2])
            for m in side
            if m.role == "infill" and np.hypot(*(m.end - m.start)[:2]) > 5
        ]
        for side in by_half(done)
    )
    assert np.median(right) == pytest.approx(1.1 * np.median(left), rel=1e-3)
    plastic = done.sliced.ledgers[0].rows[:, 1].sum() * 0.2
    assert plastic == pytest.approx(done.sliced.plan.volume[done.sliced.toolpath.part >= 0].sum(), rel=1e-4)
    fans = {line for line in done.gcode.read_text().splitlines() if line.startswith("M106")}
    assert {"M106 S76", "M106 S255"} <= fans


def test_the_second_extruder_lays_what_lies_in_the_zone(tmp_path):
    path = shapes.write_stl(tmp_path / "part.stl", block(40, 30, 2))
    job = job_of(path, CLOSED, machine="Alder 300 twin")
    job = job.model_copy(update={"materials": (find(Material, "PLA"), find(Material, "PETG"))})
    second = {f"extruder.{tool}": 2 for tool in ("walls", "infill", "covers")}
    (part,) = job.parts
    job = job.model_copy(
        update={"parts": (part.model_copy(update={"zones": (zone((30, 15, 1), (20, 60, 9), second),)}),)}
    )
    done = slice_again(tmp_path, job)
    path = done.sliced.toolpath
    own = path.part == 0
    x = path.xy[path.start[:-1], 0] + path.xy[path.start[1:] - 1, 0]
    middle = 2 * done.sliced.placed[0].at[0]
    assert set(path.extruder[own & (x > middle + 1)].tolist()) == {1}
    assert set(path.extruder[own & (x < middle - 1)].tolist()) == {0}
    grams = [done.sliced.plan.volume[own & (path.extruder == one)].sum() for one in (0, 1)]
    assert grams[0] == pytest.approx(grams[1], rel=0.05)


def test_a_speed_in_a_zone_is_planned_anew_and_nothing_laid(tmp_path):
    cache = StageCache()
    slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half({"motion.print_speed": 50})], CLOSED), cache=cache)
    job = zoned(tmp_path, block(*SIZE), [right_half({"motion.print_speed": 60})], CLOSED)
    assert slice_again(tmp_path, job, cache=cache).run.made <= {"read", "motion"}


def test_copies_stand_in_their_zones_and_two_threads_lay_the_same(tmp_path):
    zones = [zone((30, 25, 2), (20, 20, 9), {"motion.print_speed": 50}, "ball"), right_half({"flow.amount": 90.0})]
    job = zoned(tmp_path, block(*SIZE), zones, CLOSED, copies=2)
    one, two = (slice_again(tmp_path, job, threads=n).gcode.read_bytes() for n in (1, 2))
    assert one == two


@settings(max_examples=60, deadline=None, derandomize=True)
@given(st.lists(st.tuples(st.integers(-60, 60), st.integers(-60, 60)), min_size=2, max_size=9), st.booleans())
def test_a_parted_line_is_all_there_and_goes_on_where_it_was_left(points, close):
    xy = np.array(points, float) / 10.0
    xy = np.concatenate((xy, xy[:1])) if close else xy
    if np.hypot(*np.diff(xy, axis=0).T).min() < 0.1:
        return
    cells = np.array(
        [shapely.box(-9, -9, 0.25, 9), shapely.box(0.25, -9, 9, 1.5), shapely.box(0.25, 1.5, 9, 9)], object
    )
    cut = parted_lines(xy, np.array([0, len(xy)]), cells, 0.3)
    got, start, line, cell = cut.xy, cut.start, cut.line, cut.cell
    pieces = [got[a:b] for a, b in pairwise(start)]
    assert (line == 0).all()
    np.testing.assert_array_equal(pieces[0][0], xy[0])
    np.testing.assert_array_equal(pieces[-1][-1], xy[-1])
    for before, after in pairwise(pieces):
        np.testing.assert_array_equal(before[-1], after[0])
    long = [np.hypot(*np.diff(piece, axis=0).T).sum() for piece in pieces]
    assert sum(long) == pytest.approx(np.hypot(*np.diff(xy, axis=0).T).sum(), abs=0.01 * len(pieces))
    inside = sum(
        shapely.LineString(step).intersection(cells[k].buffer(0.002)).length
        for piece, k in zip(pieces, cell, strict=True)
        for step in pairwise(piece)
    )
    assert inside == pytest.approx(sum(long), abs=0.7 * len(pieces) + 0.7)
    assert (np.diff(cell) != 0).all()


def heats_told(done):
    """How hot the nozzle is told to be before each layer, as the file says."""
    told, hot, layer = {}, None, -1
    for line in done.gcode.read_text().splitlines():
        if line.startswith(";es layer="):
            layer = int(line.split()[1].removeprefix("layer="))
            told[layer] = hot
        elif line == ";es start" and layer >= 0:
            break  # the machine's own end
        if line.startswith("M104 S"):
            hot = float(line.removeprefix("M104 S"))
            told[layer] = hot
    return told


def test_a_tower_of_zones_changes_heat_from_layer_to_layer(tmp_path):
    steps = [
        zone((10, 10, 2.5 + 5 * k), (40, 40, 5), {"heat.nozzle": 190.0 + 5 * k}, name=f"step {k}") for k in range(1, 4)
    ]
    done = slice_again(tmp_path, zoned(tmp_path, block(20, 20, 20), steps, CLOSED))
    told = heats_told(done)
    base = float(done.sliced.scopes.whole[0].values["heat.nozzle"])
    assert {told[layer] for layer in range(1, 25)} == {base}
    for k in range(1, 4):
        assert {told[layer] for layer in range(25 * k, 25 * k + 25)} == {190.0 + 5 * k}
    assert not [one for one in done.sliced.findings if one.code == "setting-idle"]


def test_heat_that_takes_no_whole_layer_is_told_and_changes_nothing(tmp_path):
    spot = zone((10, 10, 5), (8, 8, 30), {"heat.nozzle": 230.0}, name="bolt")
    done = slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), [spot], CLOSED))
    assert 230.0 not in heats_told(done).values()
    (told,) = [one.message for one in done.sliced.findings if one.code == "setting-idle"]
    assert told == "Nozzle temperature has no effect in zone bolt of part: no layer lies wholly in it"
