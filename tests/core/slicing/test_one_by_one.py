"""Parts laid one by one: each whole before the next, over what stands, and never through it."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.job import edits
from even_step.core.job.model import Head
from even_step.core.job.text import job_text, read_job_text
from even_step.core.motion.check import check_gcode
from even_step.core.slicing.clearance import safe_sequence, struck
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, plain_moves, slice_again
from tests.spots import nth_spot

ONE_BY_ONE = {"order.parts": "one-by-one", "skirt.loops": 0, "travel.inside": False}


def bed_of(tmp_path, *parts, **more):
    """Return a job of boxes (x, y, height)."""
    job = None
    for k, (_, _, tall) in enumerate(parts):
        one = job_of(write_stl(tmp_path / f"part{k}.stl", box(16, 16, tall)), {**ONE_BY_ONE, **more})
        job = edits.added(job, [one.parts[0].model_copy(update={"id": ""})]) if job else one
    return edits.placed_at(job, {nth_spot(job, k): (x, y) for k, (x, y, _) in enumerate(parts)})


def strikes_of(done):
    return [f for f in done.report["findings"] if f["code"] == "head-strikes"]


def test_each_part_is_finished_before_the_next_begins(tmp_path):
    done = slice_again(tmp_path, bed_of(tmp_path, (40, 40, 12), (120, 40, 6), (40, 140, 9)))
    path = done.sliced.toolpath
    part = path.part[np.flatnonzero(np.diff(path.part, prepend=-2))]
    assert part.tolist() == [1, 2, 0], "the lower first"
    assert not strikes_of(done)
    assert done.report["layers"]["count"] == 60 + 30 + 45
    assert check_gcode(done.gcode).time_s == pytest.approx(done.report["time_s"], rel=0.01)


def test_the_way_to_the_next_part_leads_over_all_that_stands(tmp_path):
    done = slice_again(tmp_path, bed_of(tmp_path, (40, 40, 12), (120, 40, 6), (40, 140, 9)))
    stands: list[tuple[float, float, float]] = []  # middle and height of the parts that are finished
    middles = {1: (120, 40), 2: (40, 140), 0: (40, 40)}
    tall = {1: 6.0, 2: 9.0, 0: 12.0}
    sequence, at, lowest = [1, 2, 0], -1, 0.0
    for move in plain_moves(done.gcode):
        new = move.e > 0 and abs(move.end[2] - 0.2) < 1e-6 and lowest > 0.3
        if new or at < 0:
            if at >= 0:
                stands.append((*middles[sequence[at]], tall[sequence[at]]))
            at += 1
        if move.e > 0:
            lowest = move.end[2]
        for x, y, high in stands:
            along = np.linspace(0, 1, 50)[:, None]
            way = move.start + along * (move.end - move.start)
            over = (np.abs(way[:, :2] - (x, y)).max(axis=1) < 8) & (way[:, 2] < high + 1.9)
            assert not over.any()
    assert at == 2


def test_parts_within_the_heads_reach_are_told_with_both_names(tmp_path):
    job = bed_of(tmp_path, (80, 100, 10), (106, 100, 10))
    found = strikes_of(slice_again(tmp_path, job))
    assert [f["severity"] for f in found] == ["stop"]
    assert "part0" in found[0]["message"]
    assert "part1" in found[0]["message"]
    together = slice_again(tmp_path, job.with_settings({"order.parts": "together"}))
    assert not strikes_of(together)


def test_the_head_passes_over_a_foot_too(tmp_path):
    """A wide brim brings the head nearer to what stands."""
    job = bed_of(tmp_path, (60, 100, 8), (120, 100, 10), **{"foot.brim_width": 12})
    assert not strikes_of(slice_again(tmp_path, job))
    assert strikes_of(slice_again(tmp_path, job.with_settings({"foot.kind": "brim"})))


def test_two_parts_taller_than_the_bar_cannot_be_laid_one_by_one(tmp_path):
    """One can, as the last."""
    bar = int(job_of(write_stl(tmp_path / "a.stl", box())).machine.head.bar)
    one = bed_of(tmp_path, (30, 30, bar + 4), (150, 30, 10))
    assert not strikes_of(slice_again(tmp_path, one))
    two = bed_of(tmp_path, (30, 30, bar + 4), (150, 30, bar + 4))
    (found,) = strikes_of(slice_again(tmp_path, two))
    assert "bar" in found["message"]


def test_a_wished_order_holds_and_is_saved(tmp_path):
    job = bed_of(tmp_path, (30, 30, 6), (150, 30, 12))
    wished = job.model_copy(update={"order": (job.parts[1].id, job.parts[0].id)})
    text = tmp_path / "job.toml"
    text.write_text(job_text(wished))
    path = slice_again(tmp_path, read_job_text(text)).sliced.toolpath
    assert path.part[0] == 1
    assert slice_again(tmp_path, job).sliced.toolpath.part[0] == 0


def test_a_lopsided_head_decides_who_comes_first():
    """It reaches far to the right only: what stands right of another must be laid after it."""
    head = Head(left=1, right=40, front=1, back=1, bar=100)
    square = np.array([(-5.0, -5.0), (5.0, -5.0), (5.0, 5.0), (-5.0, 5.0)])
    hulls = [square + (60, 0), square, square + (30, 0)]
    strikes = struck(hulls, np.array([5.0, 5.0, 5.0]), head)
    assert strikes[2, 1], "the right one stands in the way of the left one"
    assert not strikes[1, 2]
    assert safe_sequence(strikes, np.array([5.0, 5.0, 5.0]), np.arange(3)).tolist() == [1, 2, 0]


def test_layers_that_repeat_keep_clear_of_what_stands(tmp_path):
    """Equal boxes: their layers are alike, but not the way to each."""
    done = slice_again(tmp_path, bed_of(tmp_path, (40, 40, 8), (140, 40, 8)))
    high = max(move.end[2] for move in plain_moves(done.gcode) if move.e == 0)
    assert high >= 10.0
