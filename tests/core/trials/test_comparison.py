"""Two trials compared."""

from __future__ import annotations

import pytest

from even_step.core.trials.comparison import Compared, compare, side_of
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again


@pytest.fixture(scope="module")
def reports(tmp_path_factory):
    folder = tmp_path_factory.mktemp("compared")
    job = job_of(write_stl(folder / "part.stl", box(12, 12, 4)))
    part = job.parts[0].model_copy(update={"settings": {"walls.count": 3}})
    other = job.with_settings({"infill.density": 40, "skirt.loops": 0}).model_copy(update={"parts": (part,)})
    return slice_again(folder, job).report, slice_again(folder, other).report


def test_a_trial_and_itself_differ_in_nothing(reports):
    for report in reports:
        told = compare(side_of(report), side_of(report))
        assert told["settings"] == []
        assert told["figures"] == {}
        assert told["findings"] == {"gained": [], "lost": []}
        assert told["same"]["time_s"] == report["time_s"]


def test_what_differs_is_told_with_its_scope_and_both_values(reports):
    told = compare(*map(side_of, reports))
    rows = {(row["scope"], row["key"]): (row["a"], row["b"]) for row in told["settings"]}
    assert rows["job", "infill.density"][1] == 40
    assert rows["part", "walls.count"] == (None, 3)
    time = told["figures"]["time_s"]
    assert time == {"a": reports[0]["time_s"], "b": reports[1]["time_s"], "difference": time["b"] - time["a"]}
    assert told["figures"]["time_s.skirt"]["b"] == 0.0, "a role that only one of them lays"
    back = compare(*map(side_of, reversed(reports)))
    assert {name: -one["difference"] for name, one in back["figures"].items()} == pytest.approx(
        {name: one["difference"] for name, one in told["figures"].items()}
    )


def test_findings_are_gained_and_lost_as_often_as_they_are_told():
    def side(*codes):
        return Compared({}, {}, [{"code": code, "part": "cap", "message": code} for code in codes])

    told = compare(side("void", "void", "floating"), side("void", "too-thin"))["findings"]
    assert [finding["code"] for finding in told["gained"]] == ["too-thin"]
    assert [finding["code"] for finding in told["lost"]] == ["void", "floating"]


def test_what_one_side_does_not_tell_is_not_compared():
    told = compare(
        Compared({}, {"time_s": 3.0, "void_mm2": 1.0}), Compared({}, {"time_s": 5.0, "volume_mm3.infill": 2.0})
    )
    assert set(told["figures"]) == {"time_s"}


def test_parts_of_one_name_are_told_apart(reports):
    twice = {**reports[1], "parts": reports[1]["parts"] * 2}
    scopes = {scope for scope, _ in side_of(twice).settings}
    assert {"part (1)", "part (2)"} <= scopes
