from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path

import pytest

from even_step.core.catalogue import CATALOGUE
from even_step.core.job.shipped import DATA
from tests.shapes import ball, box, write_stl

ROOT = Path(__file__).parents[1]
DEMO = DATA / "demo"
MODELS = sorted(path for path in DEMO.iterdir() if path.suffix != ".toml")


@pytest.fixture
def cube(tmp_path):
    return write_stl(tmp_path / "cube.stl", box(20, 20, 4))


def slicing(run, *arguments):
    code, out, err = run("slice", *arguments)
    assert out == ""
    return code, err


def test_slicing_writes_gcode_and_report(run, cube, tmp_path):
    out, report = tmp_path / "a.gcode", tmp_path / "a.json"
    code, err = slicing(run, cube, "--out", out, "--report", report, "--set", "infill.density=20", "--threads", 1)
    assert code == 0
    record = json.loads(report.read_text())
    assert set(record) == {
        "version",
        "program",
        "job",
        "parts",
        "layers",
        "time_s",
        "time_by_role_s",
        "heat_up_s",
        "texture_s",
        "material",
        "mass_by_role_g",
        "changes_of_extruder",
        "gap_fill_strokes",
        "retractions",
        "volume_by_role_mm3",
        "ledger",
        "unsupported_area_mm2",
        "contact_area_mm2",
        "support_contact_mm2",
        "findings",
        "stages_s",
        "peak_rss_mb",
        "cache",
        "trials",
    }
    assert record["job"] == {
        "machine": "Larch 220",
        "materials": ["PLA"],
        "recipe": "Even",
        "changed": {"infill.density": 20.0},
    }
    assert record["parts"][0]["placements"][0][3] == [0, 0, 0, 1]
    assert [row[3] for row in record["parts"][0]["placements"][0]][:3] == pytest.approx([110, 110, 0])
    assert record["material"][0]["mass_g"] == pytest.approx(record["material"][0]["volume_mm3"] * 1.24e-3)
    assert set(record["ledger"]) == {"region_mm2", "plastic_mm2", "void_mm2", "overlap_mm2", "outside_mm2"}
    assert set(record["stages_s"]) >= {
        "read",
        "heights",
        "contours",
        "regions",
        "walls",
        "covers",
        "infill",
        "foot",
        "order",
        "motion",
        "write",
    }
    assert record["cache"]["contours"] == "miss"
    assert "20 layers" in err
    assert out.read_bytes().startswith(b";es program=even-step version=")


def test_then_slices_again_and_cuts_nothing(run, cube, tmp_path):
    report = tmp_path / "a.json"
    code, _ = slicing(
        run,
        cube,
        "--out",
        tmp_path / "a.gcode",
        "--report",
        report,
        "--quiet",
        "--set",
        "infill.end_run=0",
        "--then",
        "infill.density=30",
        "--then",
        "walls.count=2",
    )
    record = json.loads(report.read_text())
    assert code == 0
    first, second = record["trials"]
    assert first["job"]["changed"] == {"infill.end_run": 0.0, "infill.density": 30.0}
    assert second["job"]["changed"] == {"infill.end_run": 0.0, "infill.density": 30.0, "walls.count": 2}
    assert {stage for stage, word in first["cache"].items() if word == "hit"} >= {
        "read",
        "heights",
        "contours",
        "regions",
        "walls",
        "covers",
    }
    assert first["cache"]["infill"] == "miss"
    assert second["cache"]["walls"] == "miss"
    assert second["cache"]["contours"] == "hit"
    assert first["volume_by_role_mm3"]["infill"] > 1.8 * record["volume_by_role_mm3"]["infill"]


def test_check_reads_back_what_slice_wrote(run, cube, tmp_path):
    out, report = tmp_path / "a.gcode", tmp_path / "a.json"
    slicing(run, cube, "--out", out, "--report", report, "--quiet")
    code, text, _ = run("check", out)
    checked, record = json.loads(text), json.loads(report.read_text())
    assert code == 0
    assert set(checked) == {
        "layers",
        "z_mm",
        "time_s",
        "volume_by_extruder_mm3",
        "changes_of_extruder",
        "volume_by_role_mm3",
        "bounds_mm",
        "longest_travel_mm",
        "largest_flow_mm3_s",
        "retractions",
        "outside_volume",
    }
    assert checked["time_s"] == pytest.approx(record["time_s"], rel=0.01)
    assert sum(checked["volume_by_role_mm3"].values()) == pytest.approx(
        sum(record["volume_by_role_mm3"].values()), rel=1e-3
    )


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["--set", "infill.density=200"], "0 to 100 %"),
        (["--set", "infill.densty=20"], "no such setting"),
        (["--set", "infill.density"], "KEY=VALUE"),
        (["--set", "layers.height=0.9"], "0.05 to 0.32 mm"),
        (["--set", "infill.pattern=tartan"], "lines, grid"),
        (["--then", "walls.count=many"], "whole number"),
        (["--machine", "Willow"], "Larch 220"),
        (["--machine", "willow.toml"], "willow.toml"),
        (["--material", "Cheese"], "PLA"),
        (["--material", "PLA", "--material", "ASA"], "extruder"),
        (["--recipe", "Soup"], "Even"),
        (["--copies", "0"], "1 to 1000"),
        (["--copies", "x"], "copies"),
        (["--scale", "-1"], "above 0"),
        (["--scale", "nan"], "above 0"),
        (["--threads", "0"], "1 to 64"),
        (["--unit", "ell"], "unit"),
        (["--pose", "upside-down"], "pose"),
        (["--nonsense"], "nonsense"),
    ],
)
def test_bad_usage_is_one_line_and_2(run, cube, tmp_path, arguments, told):
    code, err = slicing(run, cube, "--out", tmp_path / "a.gcode", "--quiet", *arguments)
    assert code == 2
    assert told in err
    assert len(err.strip().splitlines()) == 1
    assert not (tmp_path / "a.gcode").exists()


def test_unreadable_input_is_one_line_and_2(run, tmp_path):
    bad = tmp_path / "bad.stl"
    bad.write_bytes(b"nothing of the kind")
    for path in (bad, tmp_path / "missing.stl"):
        code, err = slicing(run, path, "--out", tmp_path / "a.gcode", "--quiet")
        assert code == 2
        assert path.name in err
        assert len(err.strip().splitlines()) == 1


def test_an_output_that_cannot_be_written_is_3(run, cube, tmp_path):
    code, err = slicing(run, cube, "--out", tmp_path / "no" / "a.gcode", "--quiet")
    assert code == 3
    assert "a.gcode" in err
    code, err = slicing(run, cube, "--out", tmp_path / "a.gcode", "--report", tmp_path / "a.gcode", "--quiet")
    assert code == 2
    assert "same name" in err


def test_a_stop_finding_is_1_and_writes_gcode_only_by_force(run, tmp_path):
    big = write_stl(tmp_path / "big.stl", box(300, 20, 2))
    out, report = tmp_path / "a.gcode", tmp_path / "a.json"
    code, err = slicing(run, big, "--out", out, "--report", report)
    assert code == 1
    assert not out.exists()
    assert json.loads(report.read_text())["findings"][0]["code"] == "off-bed"
    assert "was not written" in err
    assert slicing(run, big, "--out", out, "--quiet", "--force")[0] == 1
    assert out.exists()


def test_an_absurd_size_is_refused_before_it_costs_anything(run, tmp_path):
    huge = write_stl(tmp_path / "huge.stl", box(5e5, 5e5, 5e5))
    code, err = slicing(run, huge, "--out", tmp_path / "a.gcode", "--quiet")
    assert code == 2
    assert "500 m" in err
    assert len(err.strip().splitlines()) == 1


def test_units_are_proposed_and_never_applied_unasked(run, tmp_path):
    small = write_stl(tmp_path / "small.stl", box(2, 1, 1))
    report = tmp_path / "a.json"
    code, err = slicing(run, small, "--out", tmp_path / "a.gcode", "--report", report)
    assert code == 0
    assert "--unit inch" in err
    assert json.loads(report.read_text())["parts"][0]["size_mm"] == pytest.approx([2, 1, 1])
    slicing(run, small, "--out", tmp_path / "a.gcode", "--report", report, "--unit", "inch", "--quiet")
    assert json.loads(report.read_text())["parts"][0]["size_mm"] == pytest.approx([50.8, 25.4, 25.4])


def sizes(report):
    return json.loads(report.read_text())["parts"][0]["size_mm"]


def test_pose_scale_copies_and_place(run, tmp_path):
    tall = write_stl(tmp_path / "tall.stl", box(6, 12, 30, (70, 80, 0)))
    out, report = tmp_path / "a.gcode", tmp_path / "a.json"
    common = (tall, "--out", out, "--report", report, "--quiet")
    slicing(run, *common, "--pose", "flat", "--scale", "2")
    assert sorted(sizes(report)) == pytest.approx([12, 24, 60])
    assert sizes(report)[2] == pytest.approx(12)
    slicing(run, *common, "--pose", "best")
    assert sizes(report)[2] == pytest.approx(6)
    slicing(run, *common, "--place", "keep")
    (placement,) = json.loads(report.read_text())["parts"][0]["placements"]
    assert [row[3] for row in placement] == pytest.approx([0, 0, 0, 1], abs=1e-3)
    slicing(run, *common, "--copies", "3")
    placements = json.loads(report.read_text())["parts"][0]["placements"]
    assert len({(p[0][3], p[1][3]) for p in placements}) == 3
    slicing(run, *common, "--place", "centre")
    (placement,) = json.loads(report.read_text())["parts"][0]["placements"]
    assert placement[0][3] + 70 == pytest.approx(110)


def test_a_saved_job_gives_the_same_gcode(run, cube, tmp_path):
    first, second, saved = (tmp_path / name for name in ("a.gcode", "b.gcode", "job.3mf"))
    slicing(
        run,
        cube,
        "--out",
        first,
        "--save-job",
        saved,
        "--set",
        "infill.density=40",
        "--copies",
        2,
        "--quiet",
        "--recipe",
        "Quick",
    )
    code, _ = slicing(run, saved, "--out", second, "--quiet")
    assert code == 0
    strip = lambda path: [line for line in path.read_text().splitlines() if not line.startswith(";es job=")]  # noqa: E731
    assert strip(first) == strip(second)


def test_several_models_go_on_one_bed(run, cube, tmp_path):
    other = write_stl(tmp_path / "ball.stl", ball(8, 3))
    report = tmp_path / "a.json"
    code, _ = slicing(run, cube, other, "--out", tmp_path / "a.gcode", "--report", report, "--quiet")
    record = json.loads(report.read_text())
    assert code == 0
    assert [part["name"] for part in record["parts"]] == ["cube", "ball"]


def test_what_does_not_fit_on_one_bed_is_sliced_bed_by_bed(run, tmp_path):
    slab = write_stl(tmp_path / "slab.stl", box(150, 150, 1))
    out, saved, report = tmp_path / "a.gcode", tmp_path / "a.3mf", tmp_path / "a.json"
    code, err = slicing(run, slab, "--copies", 2, "--out", out)
    assert (code, out.exists()) == (1, False)
    args = ("--out", out, "--save-job", saved, "--report", report)
    code, _ = slicing(run, slab, "--copies", 2, "--bed", 2, *args)
    assert code == 0
    assert len(json.loads(report.read_text())["parts"][0]["placements"]) == 1
    code, err = slicing(run, saved, "--out", out)
    assert code == 2
    assert "has 2 beds (say which: --bed 1 to 2)" in err
    assert slicing(run, saved, "--bed", 1, "--out", tmp_path / "one.gcode")[0] == 0
    assert (tmp_path / "one.gcode").read_bytes() == out.read_bytes()
    code, err = slicing(run, saved, "--bed", 3, "--out", out)
    assert code == 2
    assert "has no bed 3 (--bed 1 to 2)" in err


def test_jobs_in_text_are_sliced(run, cube, tmp_path):
    job = tmp_path / "job.toml"
    job.write_text(
        "machine = 'Alder 300 twin'\nmaterials = ['PETG']\n[settings]\ninfill.density = 5\n"
        "[[parts]]\nname = 'one'\nfile = 'cube.stl'\n"
        "copies = [{at = [50, 60]}, {at = [100, 60], turn = 45}]\n"
    )
    report = tmp_path / "a.json"
    code, _ = slicing(
        run, job, "--out", tmp_path / "a.gcode", "--report", report, "--quiet", "--set", "infill.density=8"
    )
    record = json.loads(report.read_text())
    assert code == 0
    assert record["job"]["machine"] == "Alder 300 twin"
    assert record["job"]["changed"] == {"infill.density": 8.0}
    assert "T0" in (tmp_path / "a.gcode").read_text().splitlines()
    code, err = slicing(run, job, cube, "--out", tmp_path / "b.gcode", "--quiet")
    assert (code, "alone" in err) == (2, True)
    code, err = slicing(run, job, "--out", tmp_path / "b.gcode", "--quiet", "--copies", 3)
    assert (code, "--copies is for models" in err) == (2, True)
    empty = tmp_path / "empty.toml"
    empty.write_text("name = 'nothing'")
    code, err = slicing(run, empty, "--out", tmp_path / "b.gcode", "--quiet")
    assert (code, "without parts" in err) == (2, True)


def test_info_tells_what_is_in_a_file(run, tmp_path):
    code, out, _ = run(
        "info",
        DEMO / "wind_arrow.3mf",
        DEMO / "torn_knob.stl",
        DEMO / "ridge_cap_inches.stl",
        DEMO / "mast_bracket.step",
    )
    arrow, knob, cap, bracket = json.loads(out)
    assert code == 0
    assert set(arrow["parts"][0]) == {
        "name",
        "bodies",
        "triangles",
        "volume_mm3",
        "area_mm2",
        "size_mm",
        "bounds_mm",
        "unit",
        "unit_proposed",
        "closed",
        "repairs",
        "warnings",
    }
    assert [body["name"] for body in arrow["parts"][0]["bodies"]] == ["shaft", "point", "tail", "hub"]
    assert not knob["parts"][0]["closed"]
    assert any("flipped" in line for line in knob["parts"][0]["repairs"])
    assert any("open" in line for line in knob["parts"][0]["warnings"])
    assert cap["parts"][0]["unit_proposed"] == "inch"
    assert bracket["parts"][0]["size_mm"] == pytest.approx([60, 42, 46], abs=0.01)
    assert bracket["parts"][0]["closed"]
    assert run("info", tmp_path / "nothing.stl")[0] == 2


@pytest.mark.parametrize("path", MODELS, ids=lambda path: path.name)
def test_every_demo_part_but_the_torn_one_is_closed(run, path):
    (file,) = json.loads(run("info", path)[1])
    for part in file["parts"]:
        assert part["closed"] == (path.stem != "torn_knob")
        assert max(part["size_mm"]) <= 130
        assert part["volume_mm3"] > 0


def test_settings_and_lists_are_json(run):
    listed = json.loads(run("settings")[1])
    assert [one["key"] for one in listed] == list(CATALOGUE)
    assert set(listed[0]) == {
        "key",
        "label",
        "group",
        "type",
        "unit",
        "range",
        "choices",
        "default",
        "scopes",
        "level",
        "stage",
        "explanation",
    }
    assert "Larch 220" in json.loads(run("list", "machines")[1])
    assert "PLA" in json.loads(run("list", "materials")[1])
    assert "Even" in json.loads(run("list", "recipes")[1])
    assert run("list", "spoons")[0] == 2


def test_help_names_every_command(run):
    code, out, _ = run("--help")
    assert code == 0
    for word in ("slice", "info", "check", "settings", "list", "demo", "test", "bench"):
        assert f"./even-step {word}" in out


@pytest.mark.parametrize("arguments", [(), ("part.stl",)])
def test_without_a_display_it_says_what_works_without_one(run, monkeypatch, arguments):
    monkeypatch.delenv("DISPLAY", raising=False)
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    code, _, err = run(*arguments)
    assert code == 2
    assert "./even-step slice" in err


def test_a_picture_is_drawn_on_wish(run, cube, tmp_path):
    picture = tmp_path / "a.png"
    slicing(run, cube, "--out", tmp_path / "a.gcode", "--picture", picture, "--quiet")
    assert picture.read_bytes()[:8] == b"\x89PNG\r\n\x1a\n"


def test_the_demo_without_a_display_writes_pictures_and_gcode(tmp_path):
    bare = {name: value for name, value in os.environ.items() if name not in {"DISPLAY", "WAYLAND_DISPLAY"}}
    done = subprocess.run(
        [ROOT / "even-step", "demo"], cwd=tmp_path, env=bare, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert "Tarn Hollow weather post: 11 parts" in done.stdout
    assert "stop:" not in done.stdout
    assert (tmp_path / "out" / "weather_post.gcode").stat().st_size > 1_000_000
    pictures = sorted(path.name for path in (tmp_path / "out").glob("*.png"))
    assert pictures == sorted(path.name for path in (ROOT / "docs" / "screenshots").glob("*.png"))


def test_the_launcher_runs_from_anywhere(cube, tmp_path):
    done = subprocess.run(
        [ROOT / "even-step", "slice", "cube.stl", "--out", "a.gcode", "--quiet"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert (tmp_path / "a.gcode").exists()
