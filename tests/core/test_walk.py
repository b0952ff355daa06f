"""Stages that do not need each other are made side by side, each once, with the same outcome."""

from __future__ import annotations

import threading
import time

import pytest

from even_step.core.errors import GeometryError
from even_step.core.graph import Runner, Stage, Unit
from even_step.core.pipeline import GRAPH, slice_job
from even_step.core.stages import StageCache, StageRun
from even_step.core.walk import make_all, needed_for
from even_step.core.work import crew
from tests.shapes import ball, write_stl
from tests.slicing_help import job_of


def solid():
    return Unit("solid", ({},), ({},), {"walls": 0}, {})


def stage(name, make, *needs):
    return Stage(name, "solid", make, needs)


@pytest.fixture
def runner():
    with crew(2) as hands:
        yield Runner(StageRun(hands, StageCache()))


def test_two_stages_are_at_work_at_once(runner):
    both = threading.Barrier(2, timeout=10)
    one, other = stage("one", lambda _: both.wait()), stage("other", lambda _: both.wait())
    last = stage("last", lambda it: it[one] + it[other], one, other)
    unit = solid()
    make_all(runner, [(last, unit)])
    assert runner.value(last, unit) == 1
    assert runner.run.made == {"one", "other", "last"}


def test_what_two_units_have_in_common_is_made_once(runner):
    made = []

    def make(_):
        time.sleep(0.05)
        made.append(1)
        return "it"

    one = stage("one", make)
    units = solid(), solid()
    make_all(runner, [(one, unit) for unit in units])
    assert [runner.value(one, unit) for unit in units] == ["it", "it"]
    assert len(made) == 1


def test_a_stage_that_fails_is_told_and_nothing_is_made_of_it(runner):
    def fail(_):
        raise GeometryError("a layer")

    one = stage("one", fail)
    last = stage("last", lambda it: it[one], one)
    with pytest.raises(GeometryError, match="a layer"):
        make_all(runner, [(last, solid())])
    assert not runner.run.made
    assert not runner.run._making  # nobody waits for it for ever


def test_each_comes_after_all_that_it_needs():
    unit = solid()
    needs = needed_for([(one, unit) for one in GRAPH if one.of == "solid"])
    order = list(needs)
    assert len(order) == len({one for one in GRAPH if one.of == "solid"})
    for place, before in needs.items():
        assert all(order.index(one) < order.index(place) for one in before)


def test_progress_never_goes_back(tmp_path):
    told = []
    job = job_of(write_stl(tmp_path / "part.stl", ball(8, 4)))
    with crew(2, lambda stage, share: told.append((stage, share))) as hands:
        run = StageRun(hands, StageCache())
        slice_job(job, hands, run.cache, run)
    shares = [share for _, share in told]
    assert max(b - a for a, b in zip(shares[1:], shares[:-1], strict=True)) < 1e-9
    assert all(0.0 <= share <= 1.0 for share in shares)
    assert {"walls", "covers", "order"} <= {stage for stage, _ in told}


def test_each_stage_has_its_own_processor_time(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", ball(8, 5)))
    with crew(2) as hands:
        run = StageRun(hands, StageCache())
        began = time.process_time()
        slice_job(job, hands, run.cache, run)
        took = time.process_time() - began
    assert 0.0 < sum(run.cpu.values()) <= took
    assert run.cpu["walls"] > 0.0
