"""Trials kept with a saved job: their figures come back, and what is damaged costs nothing else."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from even_step.core.job.edits import placed_at, with_setting
from even_step.core.job.file import job_file, read_job_file, read_trials
from even_step.core.job.kept_trials import MOST_FINDINGS, MOST_TRIALS, KeptTrial, summary_of, trials_from, trials_text
from even_step.core.mesh.read.archive import TRIALS_ENTRY
from even_step.core.mesh.read.model import read_model
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_spot


@pytest.fixture
def sliced(tmp_path):
    """A job, its models, and a trial of it."""
    path = write_stl(tmp_path / "block.stl", box(20, 20, 4))
    job = placed_at(job_of(path), {nth_spot(job_of(path), 0, 0): (110.0, 110.0)})
    done = slice_again(tmp_path, job)
    return job, read_model(path), done


def trial_of(job, report, number=1):
    return KeptTrial(number=number, bed=job.beds[0], changed=("first slice",), job=job, report=summary_of(report))


def opened(path):
    told = []
    job = read_job_file(path, told)
    return job, read_trials(path, job, told), told


def test_figures_and_jobs_of_trials_come_back(sliced, tmp_path):
    job, models, done = sliced
    other = with_setting(job, "infill.density", 40.0)
    saved = tmp_path / "saved.3mf"
    trials = (trial_of(job, done.report), trial_of(other, done.report, 2))
    saved.write_bytes(job_file(job, models, trials))
    back, kept, told = opened(saved)
    assert told == []
    assert [trial.number for trial in kept] == [1, 2]
    assert kept[0].job == back
    assert kept[1].job == with_setting(back, "infill.density", 40.0)
    for key in ("time_s", "heat_up_s", "time_by_role_s", "volume_by_role_mm3", "material"):
        assert kept[0].report[key] == done.report[key]
    assert kept[0].report["layers"] == {"count": 20}
    again = slice_again(tmp_path, kept[0].job)
    assert again.report["time_s"] == done.report["time_s"]
    assert job_file(job, models, trials) == saved.read_bytes()


def test_a_trial_of_a_model_that_left_the_job_is_not_kept(sliced, tmp_path):
    job, models, done = sliced
    other = job_of(write_stl(tmp_path / "other.stl", box()))
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(job, models, (trial_of(other, done.report), trial_of(job, done.report, 2))))
    _, kept, _ = opened(saved)
    assert [trial.number for trial in kept] == [2]


def test_a_job_without_trials_has_no_record_of_them(sliced, tmp_path):
    job, models, _ = sliced
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(job, models))
    assert TRIALS_ENTRY not in zipfile.ZipFile(saved).namelist()
    assert opened(saved)[1:] == ((), [])


def test_only_the_last_trials_and_the_first_findings_are_kept(sliced):
    job, _, done = sliced
    finding = {
        "code": "void",
        "severity": "note",
        "part": "block",
        "layer": 3,
        "z_mm": 0.8,
        "at_mm": [1.0, 2.0],
        "amount": 1.0,
        "unit": "mm²",
        "message": "a void",
        "remedy": "none",
    }
    report = {**done.report, "findings": [finding] * (MOST_FINDINGS + 5)}
    text = trials_text(tuple(trial_of(job, report, n + 1) for n in range(MOST_TRIALS + 3)))
    records = json.loads(text)
    assert [record["number"] for record in records] == list(range(4, MOST_TRIALS + 4))
    assert len(records[0]["report"]["findings"]) == MOST_FINDINGS


def test_what_is_said_of_a_trial_is_kept_and_starred_ones_outlast_the_others(sliced):
    job, _, done = sliced
    made = [trial_of(job, done.report, n + 1) for n in range(MOST_TRIALS + 3)]
    made[1] = made[1].model_copy(update={"name": "first good one", "note": "strong", "starred": True})
    told = []
    kept = trials_from(trials_text(tuple(made)), Path("kept.3mf"), job.beds, told)
    assert [one.number for one in kept] == [2, *range(5, MOST_TRIALS + 4)]
    assert (kept[0].name, kept[0].note, kept[0].starred) == ("first good one", "strong", True)
    assert (kept[1].name, kept[1].note, kept[1].starred) == ("", "", False)
    assert told == []


def test_what_is_no_report_is_not_kept():
    with pytest.raises(ValidationError):
        summary_of({"time_s": 1.0})


@pytest.mark.parametrize("damage", ["{", "[1]", "null", '[{"number": "x"}]', '{"a": 1}', ""])
def test_damaged_trials_are_told_and_left_out(sliced, tmp_path, damage):
    job, models, _ = sliced
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(job, models))
    with zipfile.ZipFile(saved, "a") as archive:
        archive.writestr(TRIALS_ENTRY, damage)
    back, kept, told = opened(saved)
    assert back.parts[0].name == "block"
    assert kept == ()
    assert bool(told) == bool(damage)
    assert all("left out" in line for line in told)


@given(st.text(max_size=200))
def test_no_text_breaks_the_reading_of_trials(tmp_path_factory, text):
    told = []
    assert trials_from(text, tmp_path_factory.getbasetemp() / "a.3mf", (), told) == ()


def test_one_damaged_trial_costs_only_itself(sliced, tmp_path):
    job, models, done = sliced
    records = json.loads(trials_text((trial_of(job, done.report), trial_of(job, done.report, 2))))
    records[0]["report"]["time_s"] = "long"
    for record in records:
        record["job"]["parts"][0]["file"] = ""
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(job, models))
    with zipfile.ZipFile(saved, "a") as archive:
        archive.writestr(TRIALS_ENTRY, json.dumps(records))
    _, kept, told = opened(saved)
    assert [trial.number for trial in kept] == [2]
    assert told == ["saved.3mf: 1 of the trials kept with it could not be read and were left out"]
