"""Cells, columns and what they say: filling against a plain point test, tracing back, slimness, the preview."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core import line_stages
from even_step.core.idle import idle
from even_step.core.job import edits
from even_step.core.job.by_hand import Post
from even_step.core.preview import preview
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.supports.growing import closed, downward, flooded, grown, lowered, opened, standing
from even_step.core.slicing.supports.tops import levels, tops_of
from even_step.core.slicing.supports.tracing import layers_alike, traced
from even_step.core.slicing.supports.volume import BITS, filled, frame_of, layer_masks
from even_step.core.stages import StageCache
from even_step.core.work import Crew
from tests.hung import HOLD, drawn, tee
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again

CREW = Crew(1)
STAR = shapely.Polygon([(0, 10), (2, 3), (9, 3), (4, -1), (6, -9), (0, -4), (-6, -9), (-4, -1), (-9, 3), (-2, 3)])


def one(*shapes):
    out = np.empty(len(shapes), object)
    out[:] = [shapely.MultiPolygon([shape]) for shape in shapes]
    return out


def frame(layers=3, cell=0.2, size=12.0):
    return frame_of(np.array([-size, -size, size, size]), layers, cell, 1.0)


def bits(made, words, layer):
    return (words[layer // BITS] >> np.uint64(layer % BITS)) & np.uint64(1) != 0


def middles(made):
    x = made.corner[0] + (np.arange(made.columns) + 0.5) * made.cell
    y = made.corner[1] + (np.arange(made.rows) + 0.5) * made.cell
    return np.meshgrid(x, y)


def test_cells_are_filled_whose_middles_lie_inside():
    ring = STAR.difference(shapely.Point(0, 0).buffer(2.0))
    made = frame(layers=70)
    which = np.array([0] * 3 + [-1] * 60 + [1] * 7)
    words = filled(made, one(ring, STAR), layer_masks(which, 2, made.words), CREW)
    for layer, shape in ((0, ring), (2, ring), (30, None), (66, STAR), (69, STAR)):
        wanted = shapely.contains_xy(shape, *middles(made)) if shape else np.zeros((made.rows, made.columns), bool)
        assert (bits(made, words, layer) == wanted).all()


def test_tracing_gives_back_what_was_filled_to_a_cell():
    made = frame()
    words = filled(made, one(STAR), layer_masks(np.zeros(3, np.int64), 1, made.words), CREW)
    assert layers_alike(words, 3).tolist() == [0, 0, 0]
    (shape,) = traced(made, words, np.array([1]), 0.1, CREW)
    assert shape.symmetric_difference(STAR).area < 0.12 * STAR.length
    assert shape.hausdorff_distance(STAR) < 0.5


def test_growing_and_closing_agree_with_distances():
    made = frame(size=6.0)
    square = shapely.box(-2, -2, 2, 2)
    words = filled(made, one(square), layer_masks(np.zeros(3, np.int64), 1, made.words), CREW)
    x, y = middles(made)
    away = shapely.distance(square, shapely.points(x, y))
    inside = bits(made, grown(made, words, 1.0, CREW), 1)
    assert inside[away < 0.7].all()
    assert not inside[away > 1.2].any()
    pair = filled(made, one(shapely.box(-4, -1, -0.4, 1), shapely.box(0.4, -1, 4, 1)), _both(made), CREW)
    assert bits(made, closed(made, pair, 0.6, CREW), 0)[np.hypot(x, y) < 0.3].all()
    assert not opened(made, pair, 1.5, CREW).any()


def _both(made):
    return np.full((2, made.words), 7, np.uint64)


def test_a_flood_does_not_pass_a_wall():
    made = frame(size=6.0)
    x, y = middles(made)
    free = np.zeros((made.words, made.rows, made.columns), np.uint64)
    free[0] = np.where(np.abs(x) > 0.3, 7, 0)
    seed = np.zeros_like(free)
    seed[0][np.hypot(x + 1, y) < 0.3] = 7
    reached = bits(made, flooded(made, seed, free, 3.0, CREW), 0)
    assert not reached[x > 0].any()
    assert reached[(x < -0.4) & (np.hypot(x + 1, y) < 2.0)].all()


def test_columns_go_down_to_what_stands_in_the_way_across_words():
    made = frame(layers=200, size=1.0)
    free = np.full((made.words, made.rows, made.columns), ~np.uint64(0))
    free[0, 0, 0] &= ~(np.uint64(1) << np.uint64(20))
    seeds = made.empty()
    seeds[180 // BITS, 0, :2] |= np.uint64(1) << np.uint64(180 % BITS)
    down = downward(made, seeds, free, CREW)
    column = [[bool(bits(made, down, layer)[0, at]) for layer in range(200)] for at in (0, 1)]
    assert column[0] == [21 <= layer <= 180 for layer in range(200)]
    assert column[1] == [layer <= 180 for layer in range(200)]
    on_bed = standing(made, down, 1, CREW, on_bed=True)
    assert not bits(made, on_bed, 100)[0, 0]
    assert bits(made, on_bed, 100)[0, 1]
    assert bits(made, lowered(down), 63)[0, 1]


def heights(*thick):
    return Heights(np.round(np.cumsum(thick), 3), np.array(thick))


def test_levels_keep_to_the_parts_layers_and_the_nozzle():
    part = heights(0.2, *[0.1] * 7)
    assert levels(part, 0.0, 1, 0.3) == pytest.approx([0.0, *part.top])
    assert levels(part, 0.0, 3, 0.32) == pytest.approx([0.0, 0.2, 0.5, 0.8, 0.9])
    assert levels(part, 0.0, 5, 0.25) == pytest.approx([0.0, 0.2, 0.4, 0.6, 0.8, 0.9])
    high = levels(heights(0.9, 0.2), 0.0, 1, 0.32)
    assert np.diff(high).max() <= 0.32 + 1e-9


def test_a_top_too_thin_to_lay_joins_the_layer_beneath():
    tops = tops_of(np.array([0.0, 0.2, 0.4, 0.6]), np.array([0.33, 0.41]), 0.05)
    made = {float(top): int(base) for top, base in zip(tops.top, tops.base, strict=True)}
    assert made == {0.2: 0, 0.33: 1, 0.4: 1, 0.41: 1, 0.6: 2}


def test_the_slimmest_column_is_measured(sliced):
    slim = sliced(tee(), {"supports.kind": "grid", "supports.outline": 1}).sliced.solids[0].slimness
    assert slim.height.max() == pytest.approx(19.8, abs=0.25)
    assert slim.width.max() > 10.0
    needle = sliced(over_needle(), {"supports.kind": "sheet", "supports.slim_width": 0.0})
    (finding,) = [one for one in needle.report["findings"] if one["code"] == "support-slim"]
    assert finding["amount"] == pytest.approx(59.8, abs=0.3)
    ((x, y, z, wide),) = finding["fix"]["posts"]
    assert (x, y, z) == pytest.approx((7.5, 0.0, 60.0), abs=1.5)
    assert 3.0 < wide < 10.0


def over_needle():
    """A mast with a short arm near its top."""
    return np.concatenate((box(10, 10, 64), box(4, 2, 3, (6.5, 0, 60))))


def test_the_preview_tells_what_slicing_tells(tmp_path):
    job = job_of(write_stl(tmp_path / "tee.stl", tee()), {"supports.kind": "sheet"})
    found = preview(job, CREW, StageCache())
    (part,) = found.parts
    assert part.hanging == pytest.approx(400.0, rel=0.01)
    assert part.unheld < 4.0
    low, high = found.corners.reshape(-1, 3).min(axis=0), found.corners.reshape(-1, 3).max(axis=0)
    assert high[2] - low[2] == pytest.approx(19.99, abs=0.3)
    nothing = preview(job.with_settings({"supports.kind": "none"}), CREW, StageCache())
    assert len(nothing.corners) == 0
    assert nothing.parts[0].unheld == pytest.approx(400.0, rel=0.01)


def test_the_preview_makes_no_walls_unless_bridges_are_spared(tmp_path, monkeypatch):
    def refuse(*_):
        raise AssertionError("walls are made")

    monkeypatch.setattr(line_stages, "walls", refuse)
    job = job_of(write_stl(tmp_path / "tee.stl", tee()), {"supports.kind": "sheet"})
    assert len(preview(job, CREW, StageCache()).corners)
    with pytest.raises(AssertionError, match="walls are made"):
        preview(job.with_settings({"supports.spare_bridges": True}), CREW, StageCache())


def slim_of(done):
    return [one for one in done.report["findings"] if one["code"] == "support-slim"]


@pytest.mark.parametrize("kind", ["sheet", "tree"])
def test_a_slim_column_is_widened_there_alone(tmp_path, kind):
    both = np.concatenate((over_needle(), box(8, 8, 16, (0, 20, 0)), box(8, 30, 4, (0, 20, 15.99))))
    thin = {"supports.branch_size": 0.8, "supports.trunk_size": 0.8}
    job = job_of(write_stl(tmp_path / "mast.stl", both), {"supports.kind": kind, "supports.slim_width": 0.0} | thin)
    before = slice_again(tmp_path, job)
    (finding,) = slim_of(before)
    mended = job
    for x, y, z, wide in finding["fix"]["posts"]:
        mended = edits.with_post(mended, job.parts[0].id, Post(at=(x, y, z), diameter=wide))
    after = slice_again(tmp_path, mended)
    assert slim_of(after) == []
    old, new = (shapely.union_all([drawn(one.sliced.toolpath, k, HOLD) for k in range(50)]) for one in (before, after))
    tallest = [int(np.argmax(one.sliced.solids[0].slimness.height)) for one in (before, after)]
    thin, wide = (one.sliced.solids[0].slimness.width[i] for one, i in zip((before, after), tallest, strict=True))
    assert wide > thin + 0.5
    if kind == "sheet":
        mast = shapely.affinity.translate(shapely.box(-5, -20, 20, -8), *before.sliced.placed[0].at)
        assert old.difference(mast).symmetric_difference(new.difference(mast)).area < 0.01


@pytest.mark.parametrize(("change", "told"), [({}, 1), ({"supports.speed": 20.0}, 0), ({"supports.lift": 0.6}, 0)])
def test_what_is_slim_goes_by_speed_and_lift_as_well(sliced, change, told):
    """A column 4 mm wide and 56 mm tall: between what a fast nozzle bends and what a slow one does."""
    facets = np.concatenate((box(10, 10, 60), box(4, 3, 3, (7, 0, 56))))
    held = {"supports.kind": "sheet", "supports.slim_width": 0.0, "supports.margin": 0.2, "supports.gap_beside": 0.4}
    assert len(slim_of(sliced(facets, held | change))) == told


def test_a_foot_that_holds_too_little_is_told(sliced):
    """A stout column on the part bends under nothing, but few lines hold its foot: a fast nozzle tears it off."""
    facets = np.concatenate((box(24, 20, 3), box(6, 20, 44, (-9, 0, 2.99)), box(14, 8, 3, (1, 0, 43.99))))
    held = {"supports.kind": "sheet", "supports.line_distance": 8.0, "supports.margin": 0.0}
    assert slim_of(sliced(facets, held)) == []
    (finding,) = slim_of(sliced(facets, held | {"supports.speed": 240.0}))
    assert "laid with 240 mm/s" in finding["message"]
    assert slim_of(sliced(facets, held | {"supports.speed": 240.0, "supports.outline": 1})) == []


def test_settings_of_supports_say_when_they_are_idle():
    values = {"supports.kind": "none", "layers.height": 0.2}
    found = idle("supports.margin", values, 0.4)
    assert found is not None
    assert "no supports" in found.because
