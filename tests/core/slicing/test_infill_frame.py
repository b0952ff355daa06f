"""Patterns lie in the part's frame, or in the bed's on wish."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.job import edits
from even_step.core.job.spots import spots_of
from even_step.core.plane.bead import plastic_width
from even_step.core.stages import StageCache
from even_step.core.toolpath.roles import INFILL
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_spot

BED = {"infill.frame": "bed"}
AT = ((60.0, 60.0), (123.4, 147.8))


def infill_of(done, part, layer=10):
    """The infill lines of a copy in a layer, from its own middle."""
    path = done.sliced.toolpath
    mine = [p for p in range(path.layer[layer], path.layer[layer + 1]) if path.part[p] == part]
    at = np.array(done.sliced.placed[part].at)
    return [path.xy[path.start[p] : path.start[p + 1]] - at for p in mine if path.role[p] == INFILL]


def two(tmp_path, settings=None, turn=0.0, pattern="lines"):
    path = write_stl(tmp_path / "part.stl", box(30, 30, 4))
    job = job_of(path, {"infill.pattern": pattern, **(settings or {})}, copies=2)
    job = edits.placed_at(job, dict(zip(spots_of(job), AT, strict=True)))
    return edits.turned(job, [nth_spot(job, 0, 1)], 2, turn)


def same(ones, others):
    """Whether lines are the same to a micrometre's rounding, in any order and direction."""

    def key(line):
        ends = sorted(np.round(line[[0, -1]], 2).tolist())
        return ends, len(line)

    a, b = sorted(map(key, ones)), sorted(map(key, others))
    return len(a) == len(b) and all(
        x[1] == y[1] and np.allclose(x[0], y[0], atol=0.011) for x, y in zip(a, b, strict=True)
    )


@pytest.mark.parametrize("pattern", ["lines", "gyroid", "honeycomb", "cubic"])
def test_copies_look_alike_wherever_they_stand(tmp_path, pattern):
    done = slice_again(tmp_path, two(tmp_path, pattern=pattern))
    assert same(infill_of(done, 0), infill_of(done, 1))


def test_in_the_beds_frame_the_pattern_goes_on_from_part_to_part(tmp_path):
    done = slice_again(tmp_path, two(tmp_path, {**BED, "infill.angle": 0}))
    spacing = float(plastic_width(0.45, 0.2)) / 0.15
    for part, at in enumerate(AT):
        rows = np.concatenate(infill_of(done, part))[:, 1] + at[1]
        assert np.abs((rows / spacing + 0.5) % 1 - 0.5).max() * spacing < 0.002
    assert not same(infill_of(done, 0), infill_of(done, 1))


def test_lines_turn_with_the_copy_in_the_parts_frame_and_not_in_the_beds(tmp_path):
    for settings, expected in (({}, 65.0), (BED, 45.0)):
        done = slice_again(tmp_path, two(tmp_path, {**settings, "infill.end_run": 0}, turn=20.0))
        steps = np.concatenate([np.diff(line, axis=0) for line in infill_of(done, 1, 11)])
        longest = steps[np.argmax(np.hypot(*steps.T))]
        assert np.degrees(np.arctan2(longest[1], longest[0])) % 90 == pytest.approx(expected % 90, abs=0.1)


def test_a_moved_part_is_filled_and_ordered_no_more(tmp_path):
    cache = StageCache()
    job = two(tmp_path)
    slice_again(tmp_path, job, cache=cache)
    moved = slice_again(tmp_path, edits.moved(job, [nth_spot(job, 0, 1)], (3.21, -7.9)), cache=cache)
    hits = moved.run.hits()
    assert hits["infill"] == "hit"
    again = slice_again(tmp_path, edits.moved(job.with_settings(BED), [nth_spot(job, 0, 1)], (3.21, -7.9)), cache=cache)
    assert again.run.hits()["infill"] == "miss"
    assert moved.run.wall.get("infill") is None
    assert moved.run.wall.get("ledger") is None


def test_density_is_the_same_in_both_frames(tmp_path):
    volumes = [
        slice_again(tmp_path, two(tmp_path, settings)).report["volume_by_role_mm3"]["infill"] for settings in ({}, BED)
    ]
    assert volumes[0] == pytest.approx(volumes[1], rel=0.03)
