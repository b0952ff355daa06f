from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from even_step.core.errors import Cancelled
from even_step.core.pipeline import STAGES, slice_job
from even_step.core.stages import StageCache, StageRun, size_of
from even_step.core.work import Crew, crew, runs_of
from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of, slice_again

ALL = set(STAGES) - {"write"}


def again(tmp_path, change, settings=None):
    """Slice, change, slice with the same cache; return which stages had to compute."""
    cache = StageCache()
    job = job_of(write_stl(tmp_path / "part.stl", ball(8, 3)), settings)
    slice_again(tmp_path, job, cache=cache)
    done = slice_again(tmp_path, job.with_settings(change), cache=cache)
    hits = done.report["cache"]
    return {stage for stage, word in hits.items() if word == "miss"}, done


def test_nothing_changed_computes_nothing(tmp_path):
    missed, done = again(tmp_path, {})
    assert missed == set()
    assert set(done.report["cache"]) == ALL


@pytest.mark.parametrize(
    ("change", "stale"),
    [
        ({"infill.density": 30}, {"infill", "order", "ledger", "purge", "motion"}),
        ({"motion.print_speed": 70}, {"motion"}),
        ({"travel.lift": 0.5}, {"motion"}),
        ({"skirt.distance": 7}, {"foot", "order", "motion"}),
        ({"top.layers": 2}, {"covers", "spared", "infill", "order", "ledger", "purge", "motion"}),
        ({"walls.seam": "corner"}, {"order", "ledger", "purge", "motion"}),
        ({"heat.nozzle": 205}, set()),
        ({"walls.count": 2}, {"walls", "covers", "spared", "infill", "order", "ledger", "purge", "motion"}),
        ({"layers.height": 0.15}, ALL - {"read", "hanging"}),
    ],
)
def test_a_change_makes_stale_what_depends_on_it_and_nothing_else(tmp_path, change, stale):
    assert again(tmp_path, change)[0] == stale


def test_a_reused_slice_is_the_same_as_a_fresh_one(tmp_path):
    _, reused = again(tmp_path, {"infill.density": 35})
    bytes_ = reused.gcode.read_bytes()
    fresh = slice_again(tmp_path, reused.sliced.job)
    assert fresh.gcode.read_bytes() == bytes_


def test_equal_layers_are_computed_once(tmp_path):
    done = slice_again(tmp_path, job_of(write_stl(tmp_path / "part.stl", box())))
    solid = done.sliced.solids[0]
    assert len(solid.contours.outline) == 1
    assert len(solid.walls.height) == 1


def test_copies_are_cut_and_walled_once(tmp_path):
    done = slice_again(tmp_path, job_of(write_stl(tmp_path / "part.stl", ball(8, 3)), copies=3))
    assert len(done.sliced.placed) == 3
    assert len(done.sliced.solids) == 1


def test_an_edited_file_is_read_anew(tmp_path):
    cache = StageCache()
    path = write_stl(tmp_path / "part.stl", box(10, 10, 4))
    job = job_of(path)
    first = slice_again(tmp_path, job, cache=cache)
    write_stl(path, box(12, 10, 4))
    second = slice_again(tmp_path, job, cache=cache)
    assert second.report["parts"][0]["size_mm"][0] == pytest.approx(12)
    assert first.report["parts"][0]["size_mm"][0] == pytest.approx(10)


def test_the_cache_keeps_to_its_bytes():
    cache = StageCache(limit=1000)
    for i in range(5):
        cache.put(str(i), np.zeros(50))
    assert cache.used <= 1000
    assert cache.get("4") is not None
    assert cache.get("0") is None
    cache.put("large", np.zeros(1000))
    assert cache.get("large") is None


def test_what_was_used_last_stays_longest():
    cache = StageCache(limit=1000)
    cache.put("a", np.zeros(50))
    cache.put("b", np.zeros(50))
    cache.get("a")
    cache.put("c", np.zeros(50))
    assert cache.get("a") is not None
    assert cache.get("b") is None


def test_putting_a_key_twice_counts_once():
    cache = StageCache(limit=1000)
    cache.put("a", np.zeros(50))
    cache.put("a", np.zeros(60))
    assert cache.used == 480
    assert size_of([np.zeros(2), np.zeros(3)]) == 40


def test_a_cancelled_slice_stops_and_leaves_a_usable_cache(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", ball(8, 3)))
    cache, asked = StageCache(), []

    def cancelled():
        asked.append(1)
        return len(asked) > 6

    with crew(2, cancelled=cancelled) as hands, pytest.raises(Cancelled):
        slice_job(job, hands, cache, StageRun(hands, cache))
    assert slice_again(tmp_path, job, cache=cache).gcode.exists()


def test_progress_names_every_stage(tmp_path):
    told = []
    job = job_of(write_stl(tmp_path / "part.stl", box(10, 10, 2)))
    with crew(1, lambda stage, fraction: told.append((stage, fraction))) as hands:
        slice_job(job, hands, StageCache())
    assert {stage for stage, _ in told} >= ALL
    assert all(0 <= fraction <= 1 for _, fraction in told)


def test_runs_cover_all_layers_in_order():
    for weights in (np.zeros(0), np.ones(1), np.arange(100), np.array([0, 1e9, 0, 0])):
        runs = runs_of(weights, most=50)
        assert [a for a, _ in runs] == [0, *(b for _, b in runs[:-1])][: len(runs)]
        assert sum(b - a for a, b in runs) == len(weights)


def test_an_error_in_one_thread_comes_through():
    def fail(first, last):
        raise ValueError(first)

    with crew(2) as hands, pytest.raises(ValueError, match="0"):
        hands.each(fail, [(0, 1), (1, 2), (2, 3)])
    assert Crew(1).each(lambda a, b: a + b, [(1, 2)]) == [3]


def test_a_stage_with_little_to_do_need_not_wait_for_one_with_much():
    """Both threads that work for the long one are held up until the short one is done."""
    runs, go_on = [(0, 1), (1, 2)], threading.Event()
    with crew(2) as hands, ThreadPoolExecutor(1) as other:
        long = other.submit(hands.each, lambda first, _: go_on.wait(10.0), runs)
        assert hands.each(lambda first, last: first + last, runs) == [1, 3]
        go_on.set()
        assert long.result() == [True, True]


def test_results_come_in_turn_while_others_are_made():
    runs = [(k, k + 1) for k in range(40)]
    for threads in (1, 3):
        with crew(threads) as hands:
            assert list(hands.in_turn(lambda a, b: (a, b), runs)) == runs


def test_what_fails_in_turn_is_raised_and_what_comes_after_is_left():
    made = []

    def make(first, last):
        if first == 2:
            raise ValueError(first)
        made.append(first)

    with crew(2) as hands, pytest.raises(ValueError, match="2"):
        list(hands.in_turn(make, [(k, k + 1) for k in range(100)]))
    assert len(made) < 20


def test_a_part_without_room_for_infill_is_not_ordered_again(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(2, 20, 3)), {"skirt.loops": 0})
    cache = StageCache()
    slice_again(tmp_path, job, cache=cache)
    again = slice_again(tmp_path, job.with_settings({"infill.density": 60}), cache=cache)
    assert "infill" in again.run.made
    assert not {"order", "motion", "ledger"} & again.run.made


class Elsewhere:
    """A cache of another kind: texts of what it was given, by key."""

    def __init__(self):
        self.kept = {}

    def get(self, key):
        return self.kept.get(key)

    def put(self, key, value):
        self.kept[key] = value


def test_results_may_be_kept_elsewhere(tmp_path):
    cache, job = Elsewhere(), job_of(write_stl(tmp_path / "part.stl", box(10, 10, 4)))
    first = slice_again(tmp_path, job, cache=cache).gcode.read_bytes()
    assert cache.kept
    again = slice_again(tmp_path, job, cache=cache)
    assert set(again.report["cache"].values()) == {"hit"}
    assert again.gcode.read_bytes() == first


def test_other_sources_of_kernels_are_other_keys(monkeypatch):
    keys = []
    for sources in ("one", "other", "one"):
        monkeypatch.setattr("even_step.core.stages.SOURCES", sources)
        keys.append(StageRun(Crew(1), StageCache()).stage("walls", (1,), lambda: 0)[1])
    assert keys[0] == keys[2] != keys[1]
