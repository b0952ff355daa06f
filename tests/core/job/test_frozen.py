"""A value cannot be written to, and no copy of it holds what it may not."""

from __future__ import annotations

import copy
import math
import pickle

import pytest
from pydantic import ValidationError

from even_step.core.job.edits import on_machine
from even_step.core.job.kept_trials import KeptTrial
from even_step.core.job.locks import disturbed
from even_step.core.job.model import Copy, Job, Machine, Part, Recipe
from even_step.core.job.shipped import find, shipped


def test_the_settings_of_a_machine_cannot_be_written_to(plain_job):
    before = dict(find(Machine, "Larch 220").settings)
    for holder in (plain_job.machine, plain_job, plain_job.recipe):
        with pytest.raises(TypeError, match="cannot be written"):
            holder.settings["layers.height"] = 0.1
        for change in ("clear", "popitem"):
            with pytest.raises(TypeError):
                getattr(holder.settings, change)()
        with pytest.raises(TypeError):
            holder.settings.update({"layers.height": 0.1})
    assert dict(find(Machine, "Larch 220").settings) == before


def test_frozen_settings_pickle_and_copy(plain_job):
    job = plain_job.with_settings({"infill.density": 20})
    assert pickle.loads(pickle.dumps(job)) == job  # noqa: S301 - our own bytes
    assert copy.deepcopy(job) == job
    assert Job.model_validate(job.model_dump()) == job


@pytest.mark.parametrize("wrong", [math.nan, math.inf, "far"])
def test_a_copy_of_a_value_is_checked_like_a_new_one(wrong):
    with pytest.raises(ValidationError):
        Copy().model_copy(update={"turn": wrong})
    with pytest.raises(ValidationError):
        Part(name="a").model_copy(update={"scale": (1.0, wrong, 1.0)})
    with pytest.raises(ValidationError):
        Part(name="a").model_copy(update={"colour": "red"})


def test_a_copy_shares_what_did_not_change(plain_job):
    job = plain_job.model_copy(update={"parts": (Part(name="a"), Part(name="b"))})
    later = job.model_copy(update={"name": "another"})
    assert later.parts is job.parts
    assert later.machine is job.machine


def test_names_as_long_as_they_may_be_can_be_kept_with_a_trial(plain_job):
    recipe = Recipe(name="r" * 200)
    words = f"recipe {'q' * 200} → {recipe.name}"
    trial = KeptTrial(number=1, bed="b1", changed=(words,), job=plain_job, report={})
    assert trial.changed == (words,)


def locked_job(job):
    part = Part(name="a", file="a.stl", copies=(Copy(at=(100.0, 120.0), locked=True), Copy(at=(50.0, 50.0))))
    return job.model_copy(update={"parts": (part,)})


def test_what_is_locked_may_be_renamed_and_goes_with_a_change_of_machine(plain_job):
    job = locked_job(plain_job)
    renamed = job.model_copy(update={"parts": (job.parts[0].model_copy(update={"name": "b"}),)})
    assert disturbed(job, renamed) == ""
    for machine in shipped(Machine).values():
        assert disturbed(job, on_machine(job, machine)) == ""


def test_what_is_locked_may_not_be_moved_turned_or_taken_away(plain_job):
    job = locked_job(plain_job)
    part = job.parts[0]
    for changed in (
        part.model_copy(update={"turn": (0.0, 0.0, 90.0)}),
        part.model_copy(update={"copies": (part.copies[0].model_copy(update={"at": (90.0, 120.0)}), part.copies[1])}),
        part.model_copy(update={"copies": part.copies[1:]}),
    ):
        assert disturbed(job, job.model_copy(update={"parts": (changed,)})) == "a"
