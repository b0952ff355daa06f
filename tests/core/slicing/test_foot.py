"""Brim and raft against closed forms: how much plastic, where, and that the part over them is what it was."""

from __future__ import annotations

import math

import numpy as np
import pytest

from even_step.core.job import edits
from even_step.core.plane import cut, region
from even_step.core.plane.bead import plastic_width, section_area
from even_step.core.slicing.foot.brim import BrimSettings, brim_loops
from even_step.core.stages import StageCache
from even_step.core.toolpath.roles import BRIM, OUTER_WALL, RAFT, SKIRT
from tests.shapes import box, holed_block, write_stl
from tests.slicing_help import job_of, laid, plain_moves, slice_again
from tests.spots import nth_part, nth_spot

BARE = {"skirt.loops": 0}
W, H, GAP = 0.45, 0.2, 0.05
STEP = float(plastic_width(W, H))


def settings(side="outer", width=6.0, gap=GAP, up_to=0.0):
    return BrimSettings("brim", side, width, gap, up_to, W)


def one(shape):
    return np.array([shape], object)


def drawn(loops):
    """Return what lines cover as they are drawn, mm²."""
    lines = [line for place in loops for line in place]
    start = np.cumsum([0, *(len(line) for line in lines)])
    return one(cut.stroked(np.concatenate(lines), start, np.full(len(lines), W)))


def lengths(loops):
    return [float(np.hypot(*np.diff(line, axis=0).T).sum()) for place in loops for line in place]


@pytest.mark.parametrize("side_mm", [5.0, 20.0, 60.0])
@pytest.mark.parametrize("width", [0.5, 3.0, 6.0, 12.0])
def test_the_brim_of_a_square_is_that_of_its_closed_form(side_mm, width):
    loops = brim_loops(one(region.rectangle(0, 0, side_mm, side_mm)), H, settings(width=width))
    count = max(1, round(width / STEP))
    centres = GAP + W / 2 + STEP * np.arange(count)
    assert sum(lengths(loops)) == pytest.approx(float((4 * side_mm + 2 * math.pi * centres).sum()), rel=0.002)
    assert lengths(loops) == sorted(lengths(loops), reverse=True), "the outermost first"


def test_the_brim_keeps_its_gap_and_covers_its_ground():
    square = one(region.rectangle(0, 0, 20, 20))
    covered = drawn(brim_loops(square, H, settings(gap=0.3)))
    assert float(region.area(region.intersection(covered, region.offset_round(square, 0.28)))[0]) < 0.05
    within = region.difference(region.offset_round(square, 6.0), region.offset_round(square, 0.32))
    assert float(region.area(region.difference(within, covered))[0]) < 0.01 * float(region.area(within)[0])


def test_an_inner_brim_lies_in_the_hole_and_both_are_the_sum():
    ring = region.difference(one(region.disc(0, 0, 20)), one(region.disc(0, 0, 10)))
    outer, inner, both = (
        sum(lengths(brim_loops(ring, H, settings(side, width=4)))) for side in ("outer", "inner", "both")
    )
    count = round(4 / STEP)
    centres = GAP + W / 2 + STEP * np.arange(count)
    assert inner == pytest.approx(float((2 * math.pi * (10 - centres)).sum()), rel=0.01)
    assert outer == pytest.approx(float((2 * math.pi * (20 + centres)).sum()), rel=0.01)
    assert both == pytest.approx(outer + inner, rel=1e-6)
    lies = drawn(brim_loops(ring, H, settings("inner", width=4)))
    assert float(region.area(region.difference(lies, one(region.disc(0, 0, 10))))[0]) == 0.0


def test_a_small_hole_is_filled_no_more_than_full():
    ring = region.difference(one(region.disc(0, 0, 20)), one(region.disc(0, 0, 2)))
    plastic = sum(lengths(brim_loops(ring, H, settings("inner", width=10)))) * float(section_area(W, H)) / H
    assert 0.6 * math.pi * 4 < plastic < math.pi * 4


def test_only_small_contacts_get_a_brim_that_spares_the_others():
    small, large = region.rectangle(0, 0, 4, 4), region.rectangle(6, -10, 40, 20)
    outline = one(region.union_all([small, large]))
    loops = brim_loops(outline, H, settings(up_to=20.0))
    covered = drawn(loops)
    assert float(region.area(region.intersection(covered, one(large)))[0]) < 0.01
    bounds = region.bounds(covered)[0]
    assert bounds[0] == pytest.approx(-6, abs=0.3)
    assert bounds[2] <= 6.0
    assert brim_loops(outline, H, settings(up_to=1.0)) == []


def volume(done, role):
    return float(done.sliced.plan.volume[done.sliced.toolpath.role == role].sum())


def test_brim_volume_of_a_sliced_part(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(20, 20, 4)), {**BARE, "foot.kind": "brim"})
    done = slice_again(tmp_path, job)
    wide = round(6 / STEP) * STEP
    ground = 80 * wide + math.pi * ((GAP + wide) ** 2 - GAP**2)
    assert volume(done, BRIM) == pytest.approx(ground * 0.2, rel=0.02)
    path = done.sliced.toolpath
    assert path.role[0] == BRIM
    assert set(path.layer_of_path()[path.role == BRIM].tolist()) == {0}
    assert done.sliced.plan.speeds.feed[path.role == BRIM].max() <= 25 * 60
    bare = slice_again(tmp_path, job.with_settings({"foot.kind": "bare"}))
    for role in (OUTER_WALL,):
        assert volume(done, role) == pytest.approx(volume(bare, role), rel=1e-6)


def test_raft_volume_gap_and_heights(tmp_path):
    job = job_of(
        write_stl(tmp_path / "part.stl", box(20, 20, 5.1)), {**BARE, "foot.kind": "raft", "foot.raft_gap": 0.24}
    )
    done = slice_again(tmp_path, job)
    path = done.sliced.toolpath
    square, margin = 20.0, 4.0
    area = (square + 2 * margin) ** 2 - (4 - math.pi) * margin**2
    perimeter = 4 * square + 2 * math.pi * margin
    ground = {k: volume_of(done, k) for k in (-4, -3, -2, -1)}
    for k in (-2, -1):
        assert ground[k] == pytest.approx(area * 0.2, rel=0.02)
    for k, high in ((-4, 0.3), (-3, 0.2)):
        wall = perimeter * float(plastic_width(W, high))
        assert ground[k] == pytest.approx((wall + 0.5 * (area - wall)) * high, rel=0.02)
    assert done.report["layers"]["z_mm"][:5] == pytest.approx([0.3, 0.5, 0.7, 0.9, 0.9 + 0.24 + 0.2])
    assert done.report["layers"]["z_mm"][-1] == pytest.approx(0.9 + 0.24 + 5.1)
    lines = laid(plain_moves(done.gcode))
    first = min(move.end[2] - move.height for move in lines if move.role == "outer-wall")
    raft = max(move.end[2] for move in lines if move.role == "raft")
    assert first - raft == pytest.approx(0.24, abs=0.005), "the gap is what lies between"
    bare = slice_again(tmp_path, job.with_settings({"foot.kind": "bare"}))
    mine = path.role != RAFT
    assert done.sliced.plan.volume[mine].sum() == pytest.approx(bare.sliced.plan.volume.sum(), rel=1e-6)
    assert done.report["findings"] == []


def test_the_report_places_a_part_on_its_raft(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(20, 20, 4)), {**BARE, "foot.kind": "raft"})
    for kind, height in (("raft", 0.9 + 0.2), ("bare", 0.0)):
        done = slice_again(tmp_path, job.with_settings({"foot.kind": kind}))
        (placement,) = done.report["parts"][0]["placements"]
        assert placement[2][3] == pytest.approx(height)


def test_a_low_part_beside_a_raft_does_not_touch_what_stands_over_it(tmp_path):
    """Their layers share ground, seen from above, but no height."""
    low = job_of(write_stl(tmp_path / "low.stl", box(20, 20, 0.6)), BARE)
    high = job_of(write_stl(tmp_path / "high.stl", box(20, 20, 4)), BARE)
    job = edits.added(low, [high.parts[0].model_copy(update={"id": ""})])
    job = edits.placed_at(job, {nth_spot(job): (60, 60), nth_spot(job, 1): (70, 60)})
    assert [f["code"] for f in slice_again(tmp_path, job).report["findings"]] == ["parts-touch"]
    raised = edits.with_setting_of_parts(job, [nth_part(job, 1)], "foot.kind", "raft")
    assert "parts-touch" not in {f["code"] for f in slice_again(tmp_path, raised).report["findings"]}


def volume_of(done, number):
    path = done.sliced.toolpath
    return float(done.sliced.plan.volume[(path.role == RAFT) & (path.own == number)].sum())


def test_the_first_layer_over_a_raft_is_slow_and_cooled_and_not_pressed(tmp_path):
    job = job_of(
        write_stl(tmp_path / "part.stl", box(20, 20, 4)),
        {**BARE, "foot.kind": "raft", "flow.first_layer": 120, "foot.over_raft_speed": 12},
    )
    done = slice_again(tmp_path, job)
    path, plan = done.sliced.toolpath, done.sliced.plan
    over = path.own == 0
    assert plan.speeds.feed[over].max() <= 12 * 60
    assert plan.speeds.feed[path.own == -4].max() <= 25 * 60
    wall = over & (path.role == OUTER_WALL)
    assert plan.speeds.area[wall][0] == pytest.approx(float(section_area(0.44, 0.2)), rel=0.03)
    base = plan.speeds.area[path.own == -4]
    assert base.min() == pytest.approx(1.2 * float(section_area(W, 0.3)), rel=0.01)
    fans = fan_by_own_layer(done)
    assert fans[-4] == {0}
    assert fans[0] == {255}
    assert done.sliced.ledgers[0].rows[0, 1] == pytest.approx(done.sliced.ledgers[0].rows[1, 1], rel=0.03)


def fan_by_own_layer(done):
    """Return how fast the fan turns in each layer, from the G-code."""
    fan, layer, seen = 0, -5, {}
    for line in done.gcode.read_text().splitlines():
        if line.startswith("M106 S"):
            fan = int(line[6:])
        elif line.startswith("M107"):
            fan = 0
        elif line.startswith(";es layer="):
            layer += 1
        elif line.startswith("G1 X") and " E" in line:
            seen.setdefault(layer, set()).add(fan)
    return seen


def test_a_foot_is_a_parts_own_and_others_stand_bare(tmp_path):
    path = write_stl(tmp_path / "part.stl", box(16, 16, 3))
    job = job_of(path, BARE)
    job = edits.added(job, [job.parts[0].model_copy(update={"id": "", "copies": ({},)}) for _ in range(2)])
    for number, kind in ((1, "brim"), (2, "raft")):
        job = edits.with_setting_of_parts(job, [nth_part(job, number)], "foot.kind", kind)
    done = slice_again(
        tmp_path,
        edits.placed_at(job, {nth_spot(job): (40, 60), nth_spot(job, 1): (90, 60), nth_spot(job, 2): (150, 60)}),
    )
    toolpath = done.sliced.toolpath
    assert set(toolpath.part[toolpath.role == BRIM].tolist()) == {1}
    assert set(toolpath.part[toolpath.role == RAFT].tolist()) == {2}
    tops = [float(solid.heights.top[-1]) for solid in done.sliced.solids]
    assert tops == pytest.approx([3.0, 3.0, 3.0 + 0.9 + 0.2])


def test_brims_of_neighbours_give_way_to_each_other_and_to_the_parts(tmp_path):
    path = write_stl(tmp_path / "part.stl", box(20, 20, 2))
    job = job_of(path, {**BARE, "foot.kind": "brim"}, copies=2)
    done = slice_again(tmp_path, edits.placed_at(job, {nth_spot(job): (60, 60), nth_spot(job, 0, 1): (88, 60)}))
    toolpath = done.sliced.toolpath
    rims = [stroke(toolpath, (toolpath.role == BRIM) & (toolpath.part == part)) for part in (0, 1)]
    walls = [
        stroke(toolpath, (toolpath.role == OUTER_WALL) & (toolpath.own == 0) & (toolpath.part == part))
        for part in (0, 1)
    ]
    assert float(region.area(region.intersection(rims[0], rims[1]))[0]) < 0.3
    for rim in rims:
        for wall in walls:
            assert float(region.area(region.intersection(rim, wall))[0]) < 0.05
    assert done.report["findings"] == []


def stroke(path, chosen):
    numbers = np.flatnonzero(chosen)
    spans = [np.arange(path.start[p], path.start[p + 1]) for p in numbers]
    starts = np.cumsum([0, *(len(span) for span in spans)])
    return one(cut.stroked(path.xy[np.concatenate(spans)], starts, path.width[numbers].astype(float)))


def test_the_skirt_goes_round_the_foot(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(20, 20, 2)), {"foot.kind": "brim", "foot.brim_width": 10})
    path = slice_again(tmp_path, job).sliced.toolpath
    skirt, brim = stroke(path, path.role == SKIRT), stroke(path, path.role == BRIM)
    assert not region.touches(skirt, brim)[0]
    inner = region.without_holes(skirt)
    assert region.covers(inner, brim)[0]


def test_a_foot_changed_makes_nothing_of_the_part_anew(tmp_path):
    cache = StageCache()
    job = job_of(write_stl(tmp_path / "part.stl", holed_block(24, 10, 6)), {**BARE, "foot.kind": "brim"})
    slice_again(tmp_path, job, cache=cache)
    again = slice_again(tmp_path, job.with_settings({"foot.brim_width": 3}), cache=cache)
    assert again.run.made == {"foot", "courses", "order", "purge", "motion"}


@pytest.mark.parametrize("kind", ["brim", "raft"])
def test_what_is_on_one_thread_is_on_two(tmp_path, kind):
    job = job_of(
        write_stl(tmp_path / "part.stl", holed_block(24, 10, 3)), {"foot.kind": kind, "foot.brim_side": "both"}
    )
    assert slice_again(tmp_path, job, 1).gcode.read_bytes() == slice_again(tmp_path, job, 2).gcode.read_bytes()
