from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
import shapely

from even_step.core.figures import pose_figures
from even_step.core.mesh.pose import set_down
from even_step.core.section import layer_voids
from even_step.core.slicing.footprint import footprint, share_ground
from even_step.core.toolpath import lines as lines_module
from even_step.core.toolpath.lines import STRAY, coarse_lines, lines_of, parted
from even_step.core.toolpath.roles import BOTTOM, HIDDEN, OUTER_WALL, SUPPORT, TOP
from tests.conftest import mended
from tests.shapes import ball, box, extruded, narrow_plans


def laid_length(points):
    step = np.hypot(*np.diff(points[:, :2].astype(float), axis=0).T)
    return step[points[:-1, 3] > 0].sum()


def test_lines_hold_every_segment_of_the_toolpath(sliced):
    path = sliced(box(20, 20, 4)).sliced.toolpath
    lines = lines_of(path)
    assert laid_length(lines.points) == pytest.approx(path.lengths().sum(), rel=1e-5)
    assert lines.layer[-1] == len(lines.points)
    tops = lines.points[lines.layer[:-1], 2]
    assert tops == pytest.approx(path.top)


def test_between_paths_leads_a_travel_and_after_the_last_nothing(sliced):
    path = sliced(box(20, 20, 4)).sliced.toolpath
    lines = lines_of(path)
    ends = lines.points[path.start[1:] - 1, 3]
    assert (ends[:-1] < 0).all()
    assert ends[-1] == 0


def test_coarse_lines_stray_no_further_than_said(sliced):
    path = sliced(ball(12.0, 4)).sliced.toolpath
    whole = lines_of(path)
    few = coarse_lines(whole)
    assert len(few.points) < 0.6 * len(whole.points)
    assert (few.points[:, 3] <= 0).sum() == len(path.role)
    kept = lines_module._kept(whole.points, STRAY)
    assert np.array_equal(kept, lines_module._kept.py_func(whole.points, STRAY))
    number = np.flatnonzero(kept)
    for a, b in pairwise(number):
        if whole.points[a, 3] > 0 and b - a > 1:
            start, end = whole.points[a, :2].astype(float), whole.points[b, :2].astype(float)
            way = (end - start) / max(np.linalg.norm(end - start), 1e-9)
            off = whole.points[a + 1 : b, :2] - start
            assert np.abs(off[:, 0] * way[1] - off[:, 1] * way[0]).max() <= STRAY * 1.01


def test_parted_lines_are_all_lines_and_hold_no_travel(sliced):
    whole = coarse_lines(lines_of(sliced(box(20, 20, 4)).sliced.toolpath))
    inside, walls, faces = parted(whole, HIDDEN, (OUTER_WALL,))
    assert len(inside.points) + len(walls.points) + len(faces.points) == len(whole.points)
    assert set(np.unique(walls.points[:, 5])) == {OUTER_WALL}
    assert {TOP, BOTTOM} <= set(np.unique(faces.points[:, 5]))
    assert faces.layer[-1] == len(faces.points)
    assert set(np.unique(inside.points[:, 5])) <= set(HIDDEN)
    assert (inside.points[:, 3] >= 0).all()


def test_voids_of_a_layer_add_up_to_the_ledgers(sliced):
    done = sliced(box(20, 0.2, 2), {"skirt.loops": 0})
    rings = layer_voids(done.sliced, 4)
    area = 0.0
    for a, b in zip(rings.start[:-1], rings.start[1:], strict=True):
        x, y = rings.xy[a:b].T
        area += 0.5 * float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    ledger = done.report["ledger"]["layers"][4]["void_mm2"]
    assert ledger > 1.0
    assert area == pytest.approx(ledger, rel=0.1)


def test_a_hair_along_an_edge_is_no_void(sliced):
    """Of an S with strokes of 0.75 mm 2 µm were bare along 15 mm, and all of it was marked."""
    rings = layer_voids(sliced(extruded(narrow_plans()["letters"], 2.0)).sliced, 4)
    assert len(rings.start) > 1
    for a, b in pairwise(rings.start):
        piece = shapely.Polygon(rings.xy[a:b])
        assert piece.area > 0.018
        assert not piece.buffer(-0.009).is_empty
        assert np.ptp(rings.xy[a:b], axis=0).max() < 2.0


def test_voids_beside_supports_are_counted_once(sliced):
    thin = box(20, 0.2, 2)
    gate = np.concatenate((thin, box(10, 10, 10, (0, 20, 0)), box(30, 10, 2, (10, 20, 10))))
    done = sliced(gate, {"skirt.loops": 0, "supports.kind": "grid"})
    assert (done.sliced.toolpath.role == SUPPORT).any()
    rings = layer_voids(done.sliced, 4)
    thin_ones = [
        rings.xy[a:b]
        for a, b in pairwise(rings.start)
        if np.ptp(rings.xy[a:b, 1]) < 0.5 and np.ptp(rings.xy[a:b, 0]) > 15
    ]
    assert len(thin_ones) == 1


def test_a_full_layer_has_hardly_a_void(sliced):
    done = sliced(box(20, 20, 2), {"infill.density": 100.0})
    rings = layer_voids(done.sliced, 4)
    assert len(rings.xy) == 0 or np.ptp(rings.xy, axis=0).max() < 20


def test_footprints_tell_parts_that_overlap_from_those_that_pass_under():
    low, _ = set_down(mended(box(20, 20, 4)), np.eye(3))
    gate = mended(np.concatenate((box(4, 20, 20, (-13, 0, 0)), box(4, 20, 20, (13, 0, 0)), box(30, 20, 4, (0, 0, 20)))))
    gate, _ = set_down(gate, np.eye(3))
    cuts = np.arange(0.5, 30, 1.0)
    a, b = footprint(low, cuts), footprint(gate, cuts)
    assert not share_ground(a, (0.0, 0.0), b, (0.0, 0.0))
    assert share_ground(a, (0.0, 0.0), b, (3.0, 0.0))
    assert not share_ground(a, (0.0, 0.0), a, (20.0, 0.0))
    assert share_ground(a, (0.0, 0.0), a, (19.5, 0.0))


def test_the_figures_of_a_pose_equal_the_reports(sliced):
    facets = np.concatenate((box(10, 10, 10), box(30, 10, 3, (0, 0, 10))))
    done = sliced(facets)
    mesh = done.sliced.solids[0].mesh
    found = pose_figures(mesh, done.sliced.scopes.job, done.sliced.job.machine)
    assert found.hanging == pytest.approx(done.report["unsupported_area_mm2"])
    assert found.contact == pytest.approx(done.report["contact_area_mm2"])
    assert found.height == pytest.approx(13.0)


def test_what_texture_leaves_beside_walls_is_no_void(sliced):
    """But what is void within is told beside it."""
    rough = {"skirt.loops": 0, "texture.depth": 0.3, "walls.vary_width": False, "walls.count": 2, "infill.density": 100}
    full = sliced(box(20, 20, 2), rough)
    assert len(layer_voids(full.sliced, 4).xy) == 0
    beside = np.concatenate((box(20, 20, 2), box(20, 1.25, 2, (0, 30, 0))))
    rings = layer_voids(sliced(beside, rough).sliced, 4)
    assert len(rings.start) > 1
    assert np.ptp(rings.xy[:, 1]) < 1.0
