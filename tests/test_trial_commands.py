"""``sweep``, ``fit`` and ``compare`` as they are typed."""

from __future__ import annotations

import csv
import itertools
import json
import re

import pytest

from even_step.commands import trials
from even_step.core.trials.sweep import sweep
from tests.shapes import box, comb, write_stl

COLUMNS = {
    *("time_s", "mass_g", "cost", "void_mm2", "overlap_mm2", "unsupported_area_mm2", "contact_area_mm2"),
    *("support_contact_mm2", "retractions", "gap_fill_strokes", "findings"),
}


@pytest.fixture
def cube(tmp_path):
    return write_stl(tmp_path / "cube.stl", box(12, 12, 2))


@pytest.fixture
def sliced(run, cube, tmp_path):
    def slice_with(name, *arguments):
        files = [tmp_path / f"{name}.{ending}" for ending in ("gcode", "json", "3mf")]
        words = ("--out", files[0], "--report", files[1], "--save-job", files[2], "--quiet", *arguments)
        assert run("slice", cube, *words)[0] == 0
        return files

    return slice_with


def test_a_sweep_prints_a_row_for_each_value(run, cube):
    code, out, err = run("sweep", cube, "--over", "infill.density=10:30:10")
    assert code == 0
    rows = json.loads(out)
    assert [row["infill.density"] for row in rows] == [10, 20, 30]
    assert all(row.keys() >= COLUMNS for row in rows)
    assert "3 of 3: infill density 30 %" in err


def test_a_sweep_over_two_settings_as_csv_has_the_figures_of_its_json(run, cube, tmp_path):
    words = ("sweep", cube, "--over", "infill.density=10,30", "--over", "walls.count=1:2:1", "--quiet")
    told = {name: run(*words, "--out", tmp_path / name) for name in ("t.csv", "t.json")}
    assert set(told.values()) == {(0, "", "")}
    rows = list(csv.DictReader((tmp_path / "t.csv").read_text().splitlines()))
    records = json.loads((tmp_path / "t.json").read_text())
    assert [(row["infill.density"], row["walls.count"]) for row in rows] == [
        (f"{density}.0", str(count)) for density in (10, 30) for count in (1, 2)
    ]
    for row, record in zip(rows, records, strict=True):
        assert float(row["time_s"]) == record["time_s"]
        assert {code: int(count) for code, count in re.findall(r"(\S+)=(\d+)", row["findings"])} == record["findings"]


@pytest.mark.parametrize("asked", ["infill.density", "infill.density=5:200:5", "no.such=1:2:1", "walls.count=1:2:0"])
def test_a_wrong_range_is_one_line_and_nothing_is_written(run, cube, tmp_path, asked):
    code, out, err = run("sweep", cube, "--over", asked, "--out", tmp_path / "t.json")
    assert (code, out) == (2, "")
    assert err.count("\n") == 1
    assert asked.partition("=")[0] in err
    assert not (tmp_path / "t.json").exists()


def test_a_table_that_has_no_place_is_refused_before_anything_is_sliced(run, tmp_path):
    code, _, err = run("sweep", "no.stl", "--over", "infill.density=10:20:10", "--out", tmp_path / "gone" / "t.json")
    assert code == 3
    assert "gone" in err
    assert "folder" in err


def test_a_sweep_that_is_called_off_leaves_the_rows_that_were_done(run, cube, tmp_path, monkeypatch):
    def cut_short(jobs, hands, cache):
        yield from itertools.islice(sweep(jobs, hands, cache), 2)
        raise KeyboardInterrupt

    monkeypatch.setattr(trials, "sweep", cut_short)
    code, _, err = run("sweep", cube, "--over", "infill.density=10:50:10", "--out", tmp_path / "t.json", "--quiet")
    assert (code, err) == (3, "even-step: cancelled\n")
    assert [row["infill.density"] for row in json.loads((tmp_path / "t.json").read_text())] == [10, 20]


def test_a_fit_marks_the_width_that_leaves_least_and_says_it(run, tmp_path):
    part = write_stl(tmp_path / "comb.stl", comb(4, 1.25, 2.0, 0.6))
    code, out, err = run("fit", part, "--set", "walls.vary_width=off")
    rows = json.loads(out)
    assert code == 0
    (best,) = [row for row in rows if row["fits"]]
    assert best["void_mm2"] <= min(row["void_mm2"] for row in rows) * 1.01 + 0.01
    assert f"{best['walls.line_width']:g} mm" in err.splitlines()[-1]


def test_a_comparison_with_itself_is_empty_whatever_it_is_read_from(run, sliced):
    for file in sliced("a"):
        code, out, _ = run("compare", file, file)
        told = json.loads(out)
        assert code == 0
        assert (told["settings"], told["figures"]) == ([], {})
        assert told["findings"] == {"gained": [], "lost": []}
        assert told["same"]["time_s"] > 0


def test_reports_jobs_and_files_tell_the_same_difference(run, sliced):
    before, after = sliced("a"), sliced("b", "--set", "infill.density=45")
    told = [json.loads(run("compare", *pair)[1]) for pair in zip(before, after, strict=True)]
    of_file, of_report, of_job = told
    assert of_report == of_job
    for one in told:
        assert [(row["scope"], row["key"], str(row["b"]).removesuffix(".0")) for row in one["settings"]] == [
            ("job", "infill.density", "45")
        ]
    assert of_file["figures"]["time_s"]["b"] == pytest.approx(of_report["figures"]["time_s"]["b"], rel=1e-3)


@pytest.mark.parametrize(("name", "text"), [("a.json", "{"), ("b.json", "[1]"), ("c.json", '{"job": {}}')])
def test_what_is_no_report_is_refused_by_name(run, tmp_path, name, text):
    (tmp_path / name).write_text(text)
    code, out, err = run("compare", tmp_path / name, tmp_path / name)
    assert (code, out) == (2, "")
    assert name in err
    assert err.count("\n") == 1
