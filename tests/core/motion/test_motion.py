from __future__ import annotations

import dataclasses
import itertools
import math
import shlex

import numpy as np
import pytest

from even_step.core.errors import InputError, JobError
from even_step.core.job.model import Machine
from even_step.core.job.shipped import find
from even_step.core.motion.check import check_gcode
from even_step.core.motion.moves import EXTRUDE, GO, Limits, Moves, durations
from even_step.core.motion.plan import heat_up_time
from even_step.core.motion.reader import read_gcode
from even_step.core.motion.writer import gcode
from even_step.core.report import gcode_job
from even_step.core.toolpath.roles import ROLES
from even_step.core.work import crew
from tests.shapes import ball, box, comb
from tests.slicing_help import laid, plain_moves, slice_it

LIMITS = Limits(np.array([300.0, 300, 15, 60]), np.array([3000.0, 3000, 300, 5000]), 0.02)
BARE = {"skirt.loops": 0}


def moves(points, feed=60 * 60.0, gain=1000.0, e=0.0, start=(0.0, 0.0, 0.0)):
    count = len(points)
    return Moves(
        np.array(start),
        np.full(count, GO if e == 0 else EXTRUDE, np.uint8),
        np.array(points, float).reshape(-1, 3),
        np.full(count, e),
        np.full(count, feed),
        np.full(count, gain),
        np.zeros(count, np.int64),
    )


def test_a_long_move_is_a_trapezoid():
    # 60 mm/s at 1000 mm/s²: 0.06 s and 1.8 mm to gain speed, the same to lose it.
    assert durations(moves([(100, 0, 0)]), LIMITS).sum() == pytest.approx(2 * 0.06 + (100 - 3.6) / 60)


def test_a_short_move_is_a_triangle():
    assert durations(moves([(1, 0, 0)]), LIMITS).sum() == pytest.approx(2 * math.sqrt(1 / 1000))


def test_a_straight_line_in_pieces_takes_as_long_as_in_one():
    pieces = durations(moves([(x, 0, 0) for x in range(1, 101)]), LIMITS).sum()
    assert pieces == pytest.approx(durations(moves([(100, 0, 0)]), LIMITS).sum())


def test_turning_back_stops_the_head():
    there = durations(moves([(50, 0, 0)]), LIMITS).sum()
    assert durations(moves([(50, 0, 0), (0, 0, 0)]), LIMITS).sum() == pytest.approx(2 * there)


def test_a_corner_is_taken_at_the_junction_speed():
    # A right angle: sin(45°) with 1000 mm/s² and 0.02 mm.
    half = math.sin(math.radians(45))
    corner = math.sqrt(1000 * 0.02 * half / (1 - half))
    one = 0.06 + (60 - corner) / 1000
    rest = 50 - 1.8 - (60**2 - corner**2) / 2000
    assert durations(moves([(50, 0, 0), (50, 50, 0)]), LIMITS).sum() == pytest.approx(2 * (one + rest / 60))


def test_each_axis_keeps_its_limit():
    up = durations(moves([(0, 0, 30)], feed=60 * 200.0), LIMITS).sum()
    assert up == pytest.approx(2 * 15 / 300 + (30 - 15**2 / 300) / 15)
    fast = moves([(100, 0, 0)], feed=60 * 100.0, gain=1e9, e=100.0)
    assert durations(fast, LIMITS).sum() == pytest.approx(2 * 60 / 3000 + (100 - 60**2 / 3000) / 60, rel=1e-6)


def test_moves_of_no_length_take_no_time():
    assert durations(moves([(0, 0, 0), (10, 0, 0), (10, 0, 0), (20, 0, 0)]), LIMITS)[[0, 2]].tolist() == [
        0,
        0,
    ]


def test_heating_takes_as_long_as_the_slower_of_bed_and_nozzle():
    heating = find(Machine, "Larch 220").heating
    assert heat_up_time(heating, 220, 0) == pytest.approx(200 / 2.2)
    assert heat_up_time(heating, 200, 65) == pytest.approx(100)


@pytest.fixture(scope="module")
def done(tmp_path_factory):
    settings = {"travel.lift": 0.3, "layers.height": 0.15}
    return slice_it(tmp_path_factory.mktemp("motion"), comb(), settings, copies=2)


def test_check_agrees_with_the_report(done):
    checked = check_gcode(done.gcode)
    report = done.report
    assert checked.time_s == pytest.approx(report["time_s"], rel=0.01)
    assert checked.layers == report["layers"]["count"]
    assert checked.z_mm == pytest.approx(report["layers"]["z_mm"])
    for role, volume in report["volume_by_role_mm3"].items():
        assert checked.volume_by_role_mm3[role] == pytest.approx(volume, rel=1e-3)
    assert not checked.outside_volume
    assert checked.retractions == sum(move.e < 0 for move in plain_moves(done.gcode))
    assert checked.longest_travel_mm > 10


def test_check_with_a_smaller_machine_sees_what_is_outside(done):
    machine = find(Machine, "Rowan 240 round")
    assert check_gcode(done.gcode, machine).outside_volume


def test_the_file_read_back_is_the_toolpath(done):
    path = done.sliced.toolpath
    read = list(laid(plain_moves(done.gcode)))
    ends = np.array([move.end[:2] for move in read])
    starts = np.array([move.start[:2] for move in read])
    keep = np.concatenate([np.arange(path.start[p] + 1, path.start[p + 1]) for p in range(len(path.role))])
    moved = (np.abs(path.xy[keep] - path.xy[keep - 1]) > 1e-9).any(axis=1)
    assert np.abs(ends - path.xy[keep][moved]).max() < 6e-4
    assert np.abs(starts - path.xy[keep - 1][moved]).max() < 6e-4


def test_roles_and_widths_stand_in_the_file(done):
    path = done.sliced.toolpath
    seen = {(move.role, move.width, move.height) for move in laid(plain_moves(done.gcode))}
    wanted = {
        (ROLES[r], round(float(w), 3), round(float(h), 3))
        for r, w, h in zip(path.role, path.width, path.height, strict=True)
    }
    assert seen == wanted


def test_the_head_says_job_limits_and_changes(done):
    head = read_gcode(done.gcode).head
    assert head["program"] == "even-step"
    assert head["machine"] == "Larch 220"
    assert head["junction"] == "0.02"
    assert head["travel.lift"] == "0.3"
    assert int(head["layers"]) == done.report["layers"]["count"]
    assert float(head["time_s"]) == pytest.approx(done.report["time_s"], abs=0.1)


def test_the_file_is_plain_ascii_of_known_words(done):
    text = done.gcode.read_bytes()
    assert max(text) < 128
    assert b"\r" not in text
    assert not [line for line in text.split(b"\n") if line.startswith(b";") and not line.startswith(b";es ")]
    words = {line.split()[0] for line in text.decode().splitlines() if line and not line.startswith(";")}
    assert words <= {
        "G0",
        "G1",
        "G28",
        "G90",
        "G92",
        "M82",
        "M83",
        "M104",
        "M109",
        "M140",
        "M190",
        "M106",
        "M107",
        "M204",
    }


def test_comments_are_words_with_values(done):
    for line in done.gcode.read_text().splitlines():
        if line.startswith(";es ") and line not in {";es start", ";es end"}:
            assert all("=" in word for word in shlex.split(line[4:])), line


def test_settings_reach_the_file(tmp_path):
    text = slice_it(
        tmp_path,
        box(20, 20, 2),
        {
            **BARE,
            "heat.nozzle": 205,
            "heat.first_nozzle": 208,
            "heat.bed": 55,
            "cooling.fan": 50,
            "cooling.fan_from_layer": 3,
            "motion.travel_speed": 150,
            "travel.retract_length": 2.5,
        },
    ).gcode.read_text()
    assert "M109 S208" in text
    assert "M104 S205" in text
    assert "M190 S55" in text
    assert "F9000" in text
    assert "E-2.50000" in text
    fan = text.index("M106 S127")
    assert text.index(";es layer=3") < fan < text.index(";es layer=4")


def test_parts_are_named_with_their_copy(done):
    text = done.gcode.read_text()
    assert ';es part="part" copy=1\n' in text
    assert ';es part="part" copy=2\n' in text


def test_the_same_job_gives_the_same_bytes_on_one_and_two_threads(tmp_path):
    files = []
    for turn, threads in enumerate((1, 2, 2)):
        folder = tmp_path / str(turn)
        folder.mkdir()
        files.append(slice_it(folder, ball(12, 4), {"walls.seam": "scattered"}, threads=threads, copies=2).gcode)
    assert files[0].read_bytes() == files[1].read_bytes() == files[2].read_bytes()


def test_lift_raises_the_nozzle_over_travels(tmp_path):
    read = plain_moves(slice_it(tmp_path, comb(), {**BARE, "travel.lift": 0.5}, copies=2).gcode)
    for before, move in itertools.pairwise(read):
        if before.e < 0 and move.layer > 0 and move.layer == before.layer:
            assert move.end[2] - move.start[2] >= 0.5 - 1e-6 or move.end[2] > 4.5


def test_the_melt_limit_holds(tmp_path):
    done = slice_it(tmp_path, box(20, 20, 4), {**BARE, "motion.print_speed": 300, "layers.height": 0.3})
    assert check_gcode(done.gcode).largest_flow_mm3_s <= 11.0 * 1.01


def test_a_small_layer_is_slowed_to_its_least_time(tmp_path):
    slow = slice_it(tmp_path, box(5, 5, 4), {**BARE, "cooling.least_layer_time": 8, "cooling.least_speed": 2})
    assert min(slow.report["layers"]["time_s"][1:]) > 8 * 0.95
    assert check_gcode(slow.gcode).time_s == pytest.approx(slow.report["time_s"], rel=0.01)
    floor = slice_it(tmp_path, box(5, 5, 4), {**BARE, "cooling.least_layer_time": 100, "cooling.least_speed": 20})
    laying = [move.feed for move in laid(plain_moves(floor.gcode)) if move.layer > 0]
    assert min(laying) == 20 * 60


def test_flow_scales_the_plastic_and_not_the_way(tmp_path):
    plain = slice_it(tmp_path, box(10, 10, 2), BARE).report
    more = slice_it(tmp_path, box(10, 10, 2), {**BARE, "flow.amount": 110, "flow.first_layer": 150}).report
    first = 0.2 / 2.0
    assert more["material"][0]["volume_mm3"] / plain["material"][0]["volume_mm3"] == pytest.approx(
        1.1 * (1.5 * first + 1 - first), rel=0.05
    )


def test_the_machines_code_may_not_name_what_is_no_setting(done):
    source = gcode_job(done.sliced)
    machine = source.job.machine.model_copy(update={"start": "M104 S{heat.nozle}"})
    wrong = dataclasses.replace(source, job=source.job.model_copy(update={"machine": machine}))
    with crew(1) as hands, pytest.raises(JobError, match=r"heat\.nozle"):
        list(gcode(wrong, hands))


def test_names_with_quotes_and_line_ends_stay_comments(done):
    source = gcode_job(done.sliced)
    wrong = dataclasses.replace(source, part_names=(('a"b\nG28\n', 1), ("ü☂", 2)))
    with crew(1) as hands:
        text = b"".join(gcode(wrong, hands)).decode()
    assert ';es part="a\'b?G28?" copy=1\n' in text
    assert ';es part="??" copy=2\n' in text


@pytest.mark.parametrize(
    ("content", "told"),
    [
        (b"", "no moves"),
        (b"hello\n", "no moves"),
        (b"G1 X1 Y\x00", "zero bytes"),
        (b"G1 Xabc Y2\n", "line 1"),
        (b"G28\nG1 X10 Y10 E1 F600\n", "--machine"),
    ],
)
def test_what_is_no_gcode_of_ours_is_told(tmp_path, content, told):
    path = tmp_path / "a.gcode"
    path.write_bytes(content)
    with pytest.raises(InputError, match=told):
        check_gcode(path)


def test_foreign_gcode_is_measured_with_a_machine(tmp_path):
    path = tmp_path / "a.gcode"
    path.write_text(
        "G28\nM82\nG1 Z0.2 F600\nG1 X10 Y10 F6000\nG1 X60 Y10 E2 F1200\nG92 E0\nG1 X60 Y60 E2\nG1 E1\nG0 X0 Y0\n"
    )
    checked = check_gcode(path, find(Machine, "Larch 220"))
    assert checked.volume_by_role_mm3["unknown"] == pytest.approx(4 * math.pi * 1.75**2 / 4)
    assert checked.retractions == 1
    assert checked.longest_travel_mm == pytest.approx(math.hypot(60, 60))
    assert checked.bounds_mm[1] == pytest.approx([60, 60, 0.2])


def moves_of(tmp_path, text):
    (tmp_path / "a.gcode").write_text("M83\nG90\n" + text)
    read = read_gcode(tmp_path / "a.gcode")
    return read.to.tolist(), read.e.tolist()


def test_relative_moves_are_added_up(tmp_path):
    to, _ = moves_of(tmp_path, "G1 X10 Y10 Z1\nG91\nG1 X5\nG1 Z2 E-1\nG90\nG1 X3\n")
    assert to == [[10, 10, 1], [15, 10, 1], [15, 10, 3], [3, 10, 3]]


def test_a_coordinate_that_is_set_shifts_what_follows_and_leaves_e_alone(tmp_path):
    to, e = moves_of(tmp_path, "G92 E0\nM82\nG1 X10 Y10 Z1 E2\nG92 X0\nG1 X5 E3\nG92 E0\nG1 X6 E1\n")
    assert to == [[10, 10, 1], [15, 10, 1], [16, 10, 1]]
    assert e == pytest.approx([2, 1, 1])


def test_only_named_axes_go_home(tmp_path):
    to, _ = moves_of(tmp_path, "G1 X10 Y10 Z1\nG28 X\nG1 Y5\nG1 X1\n")
    assert np.isnan(to[1][0])
    assert to[1][1:] == [5, 1]
    assert to[2] == [1, 5, 1]


def test_small_letters_line_numbers_and_remarks_are_understood(tmp_path):
    to, _ = moves_of(tmp_path, "N10 g1 x10 y10 z1*71\nG1 X2 (a remark X9) Y3\n")
    assert to == [[10, 10, 1], [2, 3, 1]]


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("G2 X5 Y5 I1 J1", "arcs"),
        ("G3 X5 Y5 R3", "arcs"),
        ("G20", "inches"),
        ("G10", "drawn back"),
        ("G54", "frame"),
        ("G92 X0", "before the nozzle"),
        ("M82\nG91\nG1 X1 E1", "G91"),
    ],
)
def test_what_is_not_obeyed_is_refused_with_its_line(tmp_path, line, told):
    with pytest.raises(InputError, match=told) as caught:
        moves_of(tmp_path, line + "\n")
    assert f"line {2 + len(line.splitlines())}" in str(caught.value)
