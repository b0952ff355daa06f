"""Patterns lie in the part's frame, on wish in the bed's, on wish fitted to the part."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.job import edits
from even_step.core.job.spots import spots_of
from even_step.core.plane.bead import plastic_width
from even_step.core.stages import StageCache
from even_step.core.toolpath.roles import INFILL, TOP
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_spot

BED = {"infill.frame": "bed"}
AT = ((60.0, 60.0), (123.4, 147.8))


def infill_of(done, part, layer=10, role=INFILL):
    """The infill lines of a copy in a layer, from its own middle."""
    path = done.sliced.toolpath
    mine = [p for p in range(path.layer[layer], path.layer[layer + 1]) if path.part[p] == part]
    at = np.array(done.sliced.placed[part].at)
    return [path.xy[path.start[p] : path.start[p + 1]] - at for p in mine if path.role[p] == role]


def way_of(lines):
    """The direction of the longest of some lines, degrees within a quarter turn."""
    steps = np.concatenate([np.diff(line, axis=0) for line in lines])
    longest = steps[np.argmax(np.hypot(*steps.T))]
    return np.degrees(np.arctan2(longest[1], longest[0])) % 90


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
        assert way_of(infill_of(done, 1, 11)) == pytest.approx(expected % 90, abs=0.1)


def test_full_lines_turn_with_the_copy_as_infill_does(tmp_path):
    done = slice_again(tmp_path, two(tmp_path, turn=20.0))
    last = len(done.sliced.toolpath.top) - 1
    assert [way_of(infill_of(done, part, last, TOP)) for part in (0, 1)] == pytest.approx([45.0, 65.0], abs=0.1)


def test_a_part_turned_on_its_side_is_not_taken_for_a_turned_copy(tmp_path):
    """One stands as it is turned about z itself, the other by its copy: their meshes lie alike, their lines do not."""
    job = two(tmp_path)
    one = job.parts[0]
    turned = one.model_copy(update={"id": "", "turn": (0.0, 0.0, 20.0), "copies": one.copies[:1]})
    job = job.model_copy(update={"parts": (turned, one.model_copy(update={"copies": one.copies[1:]}))})
    done = slice_again(tmp_path, edits.turned(job, [nth_spot(job, 1)], 2, 20.0))
    last = len(done.sliced.toolpath.top) - 1
    assert [way_of(infill_of(done, part, last, TOP)) for part in (0, 1)] == pytest.approx([45.0, 65.0], abs=0.1)


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


FITTED = {"infill.frame": "fitted", "infill.angle": 0, "infill.end_run": 0, "walls.count": 1, "infill.overlap": 0}


def fitted(tmp_path, settings, width=31.3, depth=22.7):
    path = write_stl(tmp_path / "part.stl", box(width, depth, 4))
    return slice_again(tmp_path, job_of(path, {**FITTED, **settings}))


def rows_of(lines, axis):
    """Where lines along an axis of the bed lie across it."""
    steps = [(line[0, 1 - axis], abs(np.diff(line[[0, -1], axis])[0])) for line in lines]
    return np.unique(np.round([at for at, long in steps if long > 1.0], 3))


@pytest.mark.parametrize("pattern", ["lines", "grid"])
def test_fitted_rows_part_the_room_into_equal_cells_both_ways(tmp_path, pattern):
    done = fitted(tmp_path, {"infill.pattern": pattern})
    room = np.array([31.3, 22.7]) - 2 * float(plastic_width(0.45, 0.2)) - (0.45 - float(plastic_width(0.45, 0.2)))
    for axis, layers in ((0, (10, 11)), (1, (10, 11))):
        rows = np.concatenate([rows_of(infill_of(done, 0, layer), axis) for layer in layers])
        rows = np.unique(rows)
        half = room[1 - axis] / 2
        gaps = np.diff(np.concatenate(([-half], rows, [half])))
        assert len(rows) > 3
        assert gaps == pytest.approx(np.full(len(gaps), gaps.mean()), abs=0.03)
        assert rows == pytest.approx(-rows[::-1], abs=0.002)


def test_fitted_honeycombs_are_whole_between_the_walls_and_lie_in_the_middle(tmp_path):
    done = fitted(tmp_path, {"infill.pattern": "honeycomb", "infill.density": 25})
    points = np.concatenate(infill_of(done, 0))
    sides = np.unique(np.round(points[:, 0], 2))
    assert sides == pytest.approx(-sides[::-1], abs=0.03)
    high = points[np.abs(points[:, 0]) < 8]
    assert high[:, 1].max() == pytest.approx(-high[:, 1].min(), abs=0.05)


STRAIGHT, CURVED = ("lines", "grid", "triangles", "cubic", "kagome"), ("honeycomb", "gyroid", "hilbert")


@pytest.mark.parametrize(
    ("pattern", "grading"), [*((one, "none") for one in (*STRAIGHT, *CURVED)), *((one, "walls") for one in STRAIGHT)]
)
def test_fitted_density_is_right_but_for_a_row(tmp_path, pattern, grading):
    settings = {"infill.pattern": pattern, "infill.density": 30, "infill.grading": grading}
    volumes = [
        fitted(tmp_path, {**settings, **frame}, 52.4, 47.1).report["volume_by_role_mm3"]["infill"]
        for frame in ({}, {"infill.frame": "part"})
    ]
    rows = 47.1 / (float(plastic_width(0.45, 0.2)) * (1 if pattern == "lines" else 3) / 0.3)
    assert volumes[0] == pytest.approx(volumes[1], rel=1.0 / rows)


def test_fitted_parts_keep_their_infill_wherever_they_stand(tmp_path):
    done = slice_again(tmp_path, two(tmp_path, {**FITTED, "infill.angle": 30}))
    assert same(infill_of(done, 0), infill_of(done, 1))
