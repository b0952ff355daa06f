"""Each part has layers of its own; the bed is laid in the order of tops."""

from __future__ import annotations

import re

import numpy as np
import pytest

from even_step.core.job import edits
from even_step.core.motion.check import check_gcode
from even_step.core.stages import StageCache
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_part, nth_spot

BARE = {"skirt.loops": 0}


def side_by_side(tmp_path, *parts, settings=None):
    """Return a job of boxes (width, height, settings of its own) in a row."""
    job = None
    for k, (wide, tall, own) in enumerate(parts):
        one = job_of(write_stl(tmp_path / f"part{k}.stl", box(wide, wide, tall)), {**BARE, **(settings or {})})
        job = edits.added(job, [one.parts[0].model_copy(update={"id": ""})]) if job else one
        for key, value in own.items():
            job = edits.with_setting_of_parts(job, [nth_part(job, k)], key, value)
    return edits.placed_at(job, {nth_spot(job, k): (30.0 + 40.0 * k, 60.0) for k in range(len(parts))})


def read_back(path):
    """Return (part, z, height) of every line laid, and the tops of the layers, from the G-code alone."""
    part, z, height, laid, tops = "", 0.0, 0.0, [], []
    for line in path.read_text().splitlines():
        if line.startswith(";es part="):
            part = line.split('"')[1]
        elif line.startswith(";es role="):
            height = float(line.split("height=")[1])
        elif line.startswith(";es layer="):
            tops.append(float(re.search(r"top=([\d.]+)", line)[1]))
        elif (found := re.search(r"^G[01].* Z([\d.]+)", line)) is not None:
            z = float(found[1])
        elif line.startswith("G1 X") and " E" in line:
            laid.append((part, round(z, 3), height))
    return laid, tops


def test_a_box_is_as_tall_as_drawn_beside_a_taller_one(tmp_path):
    done = slice_again(tmp_path, side_by_side(tmp_path, (20, 5.1, {}), (20, 10, {})))
    laid, tops = read_back(done.gcode)
    assert max(z for part, z, _ in laid if part == "part0") == 5.1
    assert max(z for part, z, _ in laid if part == "part1") == 10.0
    assert done.report["findings"] == []
    assert done.report["layers"]["z_mm"] == pytest.approx(tops)


def test_a_taller_part_beside_it_makes_nothing_of_a_part_anew(tmp_path):
    cache = StageCache()
    job = side_by_side(tmp_path, (20, 5.1, {}))
    slice_again(tmp_path, job, cache=cache)
    other = job_of(write_stl(tmp_path / "tall.stl", box(15, 15, 9)), BARE)
    both = edits.added(job, other.parts)
    added = edits.placed_at(both, {nth_spot(both): (30.0, 60.0), nth_spot(both, 1): (80.0, 60.0)})
    alone = slice_again(tmp_path, edits.removed(added, [nth_spot(added)]), cache=cache)
    both = slice_again(tmp_path, added, cache=cache)
    assert alone.run.made >= {"contours", "walls", "infill"}
    assert both.run.made == {"foot", "supports", "courses", "order", "purge", "motion"}


def test_parts_of_three_layer_heights_on_one_bed(tmp_path):
    heights = (0.1, 0.2, 0.3)
    wanted = [(30, 6.0, {"layers.height": h, "layers.first_height": h}) for h in heights]
    job = side_by_side(tmp_path, *wanted)
    done = slice_again(tmp_path, job)
    laid, tops = read_back(done.gcode)
    assert check_gcode(done.gcode).time_s == pytest.approx(done.report["time_s"], rel=0.01)
    assert tops == sorted(tops)
    assert [z for _, z, _ in laid] == sorted(z for _, z, _ in laid)
    path = done.sliced.toolpath
    alone = [
        slice_again(tmp_path, edits.removed(job, [nth_spot(job, i) for i in range(3) if i != k])) for k in range(3)
    ]
    for k, height in enumerate(heights):
        own = {(z, high) for part, z, high in laid if part == f"part{k}"}
        assert {z for z, _ in own} == {round(height * (n + 1), 3) for n in range(round(6 / height))}
        assert {high for _, high in own} == {height}
        mine = path.part == k
        plan, single = done.sliced.plan, alone[k].sliced.plan
        assert plan.path_time[mine].sum() == pytest.approx(single.path_time.sum(), rel=0.02)
        assert plan.volume[mine].sum() == pytest.approx(single.volume.sum(), rel=1e-6)


def test_each_parts_first_layer_is_laid_as_one(tmp_path):
    """Slow, with the heat of first layers, and uncooled, however high the others' first layers are."""
    own = {"layers.height": 0.3, "layers.first_height": 0.3}
    job = side_by_side(
        tmp_path,
        (20, 3, {"layers.height": 0.1, "layers.first_height": 0.1}),
        (20, 3, own),
        settings={"heat.first_nozzle": 220, "heat.nozzle": 205},
    )
    done = slice_again(tmp_path, job)
    path, plan = done.sliced.toolpath, done.sliced.plan
    first = path.own == 0
    assert {int(path.layer_of_path()[(path.part == k) & first].max()) for k in (0, 1)} == {0, 2}
    assert plan.speeds.feed[first].max() <= 25 * 60
    assert plan.speeds.feed[~first].max() > 25 * 60
    text = done.gcode.read_text()
    before, after = text.split("M104 S205\n")
    assert before.count(";es layer=") == 4
    assert "M104 S" not in after.split(";es start")[0]


def test_a_layers_time_counts_until_the_parts_next_one(tmp_path):
    """What is laid of another part in between gives a layer time to grow firm."""
    coarse = {"layers.height": 0.3, "layers.first_height": 0.3}
    fine = {"layers.height": 0.1, "layers.first_height": 0.1, "cooling.least_layer_time": 0}
    settings = {"cooling.least_layer_time": 30, "cooling.least_speed": 1}
    alone = slice_again(tmp_path, side_by_side(tmp_path, (10, 6, coarse), settings=settings)).sliced
    done = slice_again(tmp_path, side_by_side(tmp_path, (10, 6, coarse), (20, 6, fine), settings=settings)).sliced
    layers = done.toolpath.courses.layers_of(0)
    began = np.concatenate(([0.0], np.cumsum(done.plan.layer_time)))
    assert (began[layers[1:]] - began[layers[:-1]]).min() > 30 * 0.98
    assert done.plan.layer_time[layers[:-1]].mean() < 0.8 * alone.plan.layer_time[:-1].mean()


def test_a_part_may_have_its_own_least_time(tmp_path):
    floor = {"cooling.least_speed": 1}
    plain = slice_again(tmp_path, side_by_side(tmp_path, (8, 4, {}), settings=floor))
    own = slice_again(tmp_path, side_by_side(tmp_path, (8, 4, {"cooling.least_layer_time": 15}), settings=floor))
    assert own.sliced.plan.layer_time[3:-1].min() > 14
    assert plain.sliced.plan.layer_time[3:-1].max() < 14
