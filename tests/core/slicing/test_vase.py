"""Vase mode: one line that rises without a stop, as much of it as the shape asks for; or why not."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.job import edits
from even_step.core.job.bring_in import parts_of
from even_step.core.mesh.read.model import read_model
from even_step.core.plane.bead import section_area
from tests.core.slicing.zone_help import zone, zoned
from tests.shapes import box, extruded, hollow_box, turned, without, write_stl
from tests.slicing_help import job_of, laid, plain_moves, slice_again, slice_it

VASE = {"vase.on": True, "bottom.layers": 3, "layers.height": 0.3, "layers.first_height": 0.3, "skirt.loops": 0}
ABOVE = 0.9  # mm: three layers of 0.3


def tulip(tall=120.0):
    """A solid bell, 60 to 80 mm wide."""
    z = np.linspace(0.0, tall, 61)
    return turned(list(zip(30 + 10 * np.sin(2.2 * np.pi * z / tall), z, strict=True)))


def rising(done):
    """The moves above the bottom, up to where the print ends."""
    moves = plain_moves(done.gcode)
    last = max(i for i, move in enumerate(moves) if move.e > 0)
    first = next(i for i, move in enumerate(moves) if move.e > 0 and move.end[2] > ABOVE + 1e-6)
    return moves[first : last + 1]


def codes(done):
    return [finding["code"] for finding in done.report["findings"]]


@pytest.fixture(scope="module")
def wide_tulip(tmp_path_factory):
    return slice_it(tmp_path_factory.mktemp("tulip"), tulip(), {**VASE, "walls.outer_line_width": 1.2})


def test_a_line_of_three_bores_is_warned_of_and_sliced(wide_tulip):
    assert codes(wide_tulip) == ["line-wide"]
    assert {finding["severity"] for finding in wide_tulip.report["findings"]} == {"warn"}


def test_above_the_bottom_it_never_falls_stops_or_travels(wide_tulip):
    moves = rising(wide_tulip)
    assert len(moves) > 20_000
    assert all(move.e > 0 for move in moves), "no travel, no retraction, no lift"
    z = np.array([moves[0].start[2], *(move.end[2] for move in moves)])
    assert (np.diff(z) >= 0).all()
    assert z[0] == pytest.approx(ABOVE, abs=0.001)
    assert z[-1] == pytest.approx(120.0, abs=0.001)
    steps = [np.linalg.norm(move.end - move.start) for move in moves]
    assert max(steps) < 2.1
    assert {move.role for move in moves} == {"outer-wall"}


def test_it_holds_what_the_closed_form_says(wide_tulip):
    """Round the bell at every height, half a line within it, with the section of its line."""
    filament = np.pi * 1.75**2 / 4
    volume = sum(move.e for move in rising(wide_tulip)) * filament
    middle = np.arange(ABOVE + 0.15, 120.0, 0.3) - 0.15
    radius = 30 + 10 * np.sin(2.2 * np.pi * middle / 120) - 0.6
    assert volume == pytest.approx((2 * np.pi * radius * section_area(1.2, 0.3)).sum(), rel=0.02)
    assert wide_tulip.report["volume_by_role_mm3"]["outer-wall"] == pytest.approx(volume, rel=0.02)


def test_its_edge_lies_on_the_shape_all_the_way(wide_tulip):
    """Where the line's middle is half a layer below its top, its outer edge is on the bell."""
    moves = rising(wide_tulip)[300:-300]
    ends = np.array([move.end for move in moves])
    away = np.hypot(*(ends[:, :2] - 110.0).T) + 0.6
    assert away == pytest.approx(30 + 10 * np.sin(2.2 * np.pi * (ends[:, 2] - 0.15) / 120), abs=0.06)


def test_it_ramps_in_on_the_bottom_and_out_at_the_top(tmp_path):
    done = slice_it(tmp_path, box(20, 20, 6), VASE)
    moves = rising(done)
    flow = np.array([move.e / np.linalg.norm((move.end - move.start)[:2]) for move in moves])
    steady = np.median(flow)
    turn = round(4 * (20 - 0.45) / 2) + 3
    assert (np.diff(flow[:turn]) > -1e-3 * steady).all()
    assert flow[0] < 0.2 * steady
    assert (np.diff(flow[-turn:]) < 1e-3 * steady).all()
    assert flow[-1] < 0.1 * steady
    assert flow[2 * turn : -2 * turn] == pytest.approx(steady, rel=0.01)
    top = [move for move in moves if move.start[2] > 6 - 1e-6]
    assert sum(np.linalg.norm(move.end - move.start) for move in top) == pytest.approx(4 * (20 - 0.45), rel=0.03)


def test_without_a_bottom_it_is_open_there(tmp_path):
    done = slice_it(tmp_path, box(20, 20, 6), {**VASE, "bottom.layers": 0, "walls.count": 1})
    assert set(done.report["time_by_role_s"]) == {"outer-wall", "travel"}


def test_following_heights_rise_as_steadily(tmp_path):
    done = slice_it(tmp_path, tulip(40.0), {**VASE, "layers.follow_surface": True, "bottom.layers": 1})
    heights = np.round(done.sliced.solids[0].heights.thick, 3)
    assert len(set(heights)) > 3
    moves = [move for move in plain_moves(done.gcode) if move.e > 0 and move.end[2] > heights[0] + 1e-6]
    assert (np.diff([move.end[2] for move in moves]) >= 0).all()


def test_the_same_job_gives_the_same_bytes_on_two_threads(tmp_path):
    one, two = (slice_it(tmp_path, tulip(20.0), VASE, threads).gcode.read_bytes() for threads in (1, 2))
    assert one == two


def test_two_loops_are_told_with_their_layer_and_the_outer_one_alone_is_offered(tmp_path):
    cup = np.concatenate(
        (
            extruded(shapely.Point(0, 0).buffer(15), 3),
            extruded(shapely.Point(0, 0).buffer(15).difference(shapely.Point(0, 0).buffer(12)), 10) + (0, 0, 3),
        )
    )
    done = slice_it(tmp_path, cup, VASE)
    (told,) = [finding for finding in done.report["findings"] if finding["code"] == "vase-broken"]
    assert told["severity"] == "stop"
    assert told["layer"] == 10
    assert "layer 11 has 2 loops" in told["message"]
    assert told["fix"]["settings"] == {"vase.outer_loop": True}
    mended = slice_it(tmp_path, cup, {**VASE, "vase.outer_loop": True})
    assert "vase-broken" not in codes(mended)
    assert all(move.e > 0 for move in rising(mended))


def test_loops_side_by_side_are_told(tmp_path):
    horned = np.concatenate((box(30, 10, 3), box(8, 8, 6, (-10, 0, 3)), box(6, 6, 6, (10, 0, 3))))
    (told,) = [one for one in slice_it(tmp_path, horned, VASE).report["findings"] if one["code"] == "vase-broken"]
    assert "layer 11 has 2 loops, side by side" in told["message"]
    assert told["at_mm"] == pytest.approx((120, 110), abs=0.5)
    assert "fix" not in told or told["fix"] is None


def test_an_open_mesh_is_told(tmp_path):
    done = slice_it(tmp_path, without(tulip(30.0), 0.02), VASE)
    assert [one for one in done.report["findings"] if one["code"] == "vase-broken" and "mesh is open" in one["message"]]


def test_a_cavity_is_a_second_loop(tmp_path):
    assert "vase-broken" in codes(slice_it(tmp_path, hollow_box(), VASE))


def two_boxes(tmp_path, settings):
    path = write_stl(tmp_path / "box.stl", box(15, 15, 8))
    job = job_of(path, {**VASE, **settings})
    return job.model_copy(update={"parts": (*job.parts, *parts_of(path, read_model(path), 1))})


def test_several_are_laid_one_by_one_or_told(tmp_path):
    together = slice_again(tmp_path, two_boxes(tmp_path, {}))
    assert codes(together).count("vase-broken") == 1
    done = slice_again(tmp_path, two_boxes(tmp_path, {"order.parts": "one-by-one"}))
    assert "vase-broken" not in codes(done)
    parts = [move for move in plain_moves(done.gcode) if move.end[2] > ABOVE + 1e-6 and move.end[2] <= 8.0]
    lifted = sum(move.e <= 0 for move in parts)
    assert lifted < 10, "only on the way from one to the other"


def test_supports_between_its_turns_are_told(tmp_path):
    tee = np.concatenate((box(10, 10, 10), box(30, 30, 3, (0, 0, 10))))
    assert "vase-broken" in codes(slice_it(tmp_path, tee, {**VASE, "supports.kind": "sheet"}))


def test_what_it_costs_by_the_report_is_what_is_laid(wide_tulip):
    part = wide_tulip.report["material"][0]
    e = sum(move.e for move in plain_moves(wide_tulip.gcode) if move.e > 0)
    assert part["length_mm"] == pytest.approx(e, rel=0.002)


def test_a_part_of_its_own_can_be_one(tmp_path):
    job = job_of(write_stl(tmp_path / "box.stl", box(15, 15, 8)), {**VASE, "vase.on": False})
    job = edits.with_setting_of_parts(job, [job.parts[0].id], "vase.on", True)
    done = slice_again(tmp_path, job)
    assert len(laid(rising(done))) > 500


def test_a_hole_in_the_bottom_alone_breaks_nothing(tmp_path):
    """A pot with a drain: the line begins above it."""
    floor = shapely.Point(0, 0).buffer(15).difference(shapely.Point(0, 0).buffer(3))
    pot = np.concatenate((extruded(floor, 0.9), extruded(shapely.Point(0, 0).buffer(15), 8) + (0, 0, 0.9)))
    done = slice_it(tmp_path, pot, VASE)
    assert "vase-broken" not in codes(done)
    assert all(move.e > 0 for move in rising(done))


def test_a_zone_that_slows_it_does_not_level_it(tmp_path):
    """Its line is cut at the zone's border, and rises on."""
    slow = zone((0, 0, 6), (20, 40, 4), {"motion.outer_wall_speed": 5})
    job = zoned(tmp_path, turned([(12, 0), (12, 12)]), (slow,), VASE)
    moves = rising(slice_again(tmp_path, job))
    z = np.array([moves[0].start[2], *(move.end[2] for move in moves)])
    assert (np.diff(z) >= 0).all()
    assert np.diff(z).max() < 0.02
    assert z[-1] == pytest.approx(12.0, abs=0.001)
    assert all(move.e > 0 for move in moves)
    slowed = [move for move in moves if move.feed == 5 * 60]
    assert slowed
    assert all(abs(move.end[0] - 110) < 10.01 and 3.6 < move.end[2] < 8.4 for move in slowed)
