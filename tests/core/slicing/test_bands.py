"""Full regions that are narrow bands, and slivers between kinds of cover."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.slicing.bands import bands
from even_step.core.slicing.division import Division
from even_step.core.toolpath.roles import INFILL, SOLID, TOP
from even_step.core.work import Crew
from tests.raster import layer_lines
from tests.shapes import box, extruded
from tests.slicing_help import slice_it

FILLED = float(plastic_width(0.45, 0.2))


def multi(*shapes):
    return np.array([shapely.MultiPolygon([shape]) for shape in shapes], object)


def frame(wide, x=30.0, y=20.0):
    outer = shapely.box(0, 0, x, y)
    return outer.difference(outer.buffer(-wide, join_style="mitre"))


@pytest.mark.parametrize("wide", [0.5, 0.9, 1.3, 1.7, 2.2])
def test_lines_run_along_a_band_and_fill_it(wide):
    rest, lines = bands(multi(frame(wide)), np.array([0.2]), 0.45, 0.4, Crew(1))
    assert region.area(rest)[0] < 0.05
    drawn = [
        shapely.LineString(lines.xy[i : i + 2]).buffer(lines.width[i] / 2, quad_segs=4)
        for a, b in zip(lines.start, lines.start[1:], strict=False)
        for i in range(a, b - 1)
    ]
    assert frame(wide).difference(shapely.union_all(drawn)).area < 0.015 * frame(wide).area
    steps = np.concatenate([np.diff(lines.xy[a:b], axis=0) for a, b in zip(lines.start, lines.start[1:], strict=False)])
    along = np.abs(steps).max(axis=1) / np.maximum(np.hypot(*steps.T), 1e-9)
    long = np.hypot(*steps.T)
    assert long[along > 0.99].sum() > 0.93 * long.sum()


def test_what_is_wide_or_short_is_left_for_rows():
    rest, lines = bands(multi(shapely.box(0, 0, 20, 20), shapely.box(0, 0, 2, 2)), np.full(2, 0.2), 0.45, 0.4, Crew(1))
    assert region.area(rest) == pytest.approx([400, 4])
    assert len(lines.item) == 0


def stairs():
    """A slab with a step so narrow that its top is a band."""
    return np.concatenate((box(30, 20, 4), box(27, 17, 6)))


def test_a_narrow_top_is_laid_in_lines_along_it(tmp_path):
    done = slice_it(tmp_path, stairs(), {"skirt.loops": 0, "walls.count": 1})
    lines, _ = layer_lines(done.sliced.toolpath, 19, {TOP})
    steps = np.concatenate([np.diff(line, axis=0) for line in lines])
    long = np.hypot(*steps.T)
    along = np.abs(steps).max(axis=1) / np.maximum(long, 1e-9)
    assert long[along > 0.99].sum() > 0.9 * long.sum()
    rows = done.sliced.ledgers[0].rows
    assert (rows[:, 2] / rows[:, 0]).max() < 0.01


def division(inner, outline, near):
    open_to = np.array([[not shapely.covers(outline[k], inner[0]) for k in row] for row in near])
    return Division(inner, outline, np.array(near), open_to, 1.0, 0.45)


def test_room_too_narrow_for_infill_is_made_full():
    inner = multi(shapely.box(0, 0, 20, 20))
    above = multi(shapely.box(-5, -5, 25, 0.5))
    full, room = division(inner, above, [[0]]).divide([1])
    assert region.area(room)[0] == 0
    assert region.area(full[0]).sum() == pytest.approx(400)


def test_a_sliver_of_top_is_widened_into_the_room():
    inner = multi(shapely.box(0, 0, 20, 20))
    above = multi(shapely.box(-5, -5, 19.9, 25))
    full, room = division(inner, above, [[0]]).divide([1])
    assert region.area(full[0]).sum() == pytest.approx(20 * 0.45, rel=0.25)
    assert region.area(full[0]).sum() + region.area(room)[0] == pytest.approx(400)


def test_a_sliver_of_solid_joins_the_top_beside_it():
    inner = multi(shapely.box(0, 0, 20, 20))
    near = multi(shapely.box(-5, -5, 15, 25), shapely.box(-5, -5, 14.8, 25))
    full, room = division(inner, near, [[0, 1]]).divide([1, 2])
    bottom, solid, top = full[0]
    assert bottom.area == solid.area == 0
    assert top.area == pytest.approx(5.2 * 20)
    assert room[0].area == pytest.approx(14.8 * 20)


def test_infill_beside_a_thin_cover_keeps_its_room(tmp_path):
    plan = shapely.box(0, 0, 30, 30)
    done = slice_it(tmp_path, np.concatenate((extruded(plan, 4), extruded(shapely.box(0, 0, 30, 28), 8))), {})
    path = done.sliced.toolpath
    assert {INFILL, SOLID, TOP} <= set(np.unique(path.role).tolist())
