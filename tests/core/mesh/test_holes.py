"""Holes are closed over the loops that bound them, and a repair can be taken back."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.job.shipped import DATA
from even_step.core.mesh import holes
from even_step.core.mesh.holes import hole_loops, with_holes_closed
from even_step.core.mesh.measure import measure
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.read.model import read_model
from even_step.core.mesh.shells import mend
from even_step.core.mesh.weld import weld
from tests.shapes import ball, box, extruded, flipped, without, write_stl

BALL = weld(np.ascontiguousarray(ball(10, 3), np.float32)).mesh
KNOB = DATA / "demo" / "torn_knob.stl"


def sides_of(facets, axis, at):
    """Which facets of a block lie at a coordinate."""
    return (np.abs(facets[:, :, axis] - at) < 1e-6).all(axis=1)


def test_a_block_without_lid_gets_a_flat_one():
    facets = box(20, 20, 20)
    open_box = weld(np.ascontiguousarray(facets[~sides_of(facets, 2, 20.0)], np.float32)).mesh
    closed, count = with_holes_closed(open_box)
    assert count == 1
    assert len(closed.faces) == 12
    assert measure(closed).volume == pytest.approx(8000)
    assert mend(closed).closed


def test_two_holes_that_meet_in_a_corner_are_two():
    facets = box(20, 20, 20)
    gone = np.zeros(len(facets), bool)
    gone[np.flatnonzero(sides_of(facets, 2, 20.0))[0]] = True
    gone[np.flatnonzero(sides_of(facets, 0, 10.0))[0]] = True
    mesh = weld(np.ascontiguousarray(facets[~gone], np.float32)).mesh
    closed, _ = with_holes_closed(mesh)
    assert mend(closed).closed
    assert measure(closed).volume == pytest.approx(8000)


def test_a_hole_of_very_many_corners_is_closed_in_no_time(monkeypatch):
    monkeypatch.setattr(holes, "MOST_CLIPPED", 10)
    rim = extruded(shapely.Point(0, 0).buffer(10, 16), 5.0)
    cup = weld(np.ascontiguousarray(rim[~sides_of(rim, 2, 5.0)], np.float32)).mesh
    closed, count = with_holes_closed(cup)
    assert count == 1
    assert mend(closed).closed
    assert measure(closed).volume == pytest.approx(5.0 * shapely.Point(0, 0).buffer(10, 16).area, rel=1e-5)


def test_a_sound_mesh_has_no_holes():
    assert hole_loops(BALL.faces) == []
    assert with_holes_closed(BALL)[0] is BALL


@settings(max_examples=60, deadline=None)
@given(st.sets(st.integers(0, len(BALL.faces) - 1), max_size=len(BALL.faces) // 2))
def test_whatever_facets_are_missing_the_loops_close_the_surface(gone):
    kept = np.ones(len(BALL.faces), bool)
    kept[list(gone)] = False
    torn = Mesh(BALL.vertices, BALL.faces[kept])
    closed, _ = with_holes_closed(torn)
    assert hole_loops(closed.faces) == []
    assert len(closed.faces) <= len(BALL.faces)


def test_the_torn_knob_is_mended_in_three_ways():
    raw, wound, whole = (read_model(KNOB, repair=repair)[0] for repair in ("none", "winding", "all"))
    assert not raw.closed
    assert not wound.closed
    assert whole.closed
    assert raw.repairs == ()
    assert any("could be turned" in line for line in raw.warnings)
    assert any("holes were closed" in line for line in whole.repairs)
    assert whole.warnings == ()
    assert raw.triangles > wound.triangles  # doubled facets
    assert measure(whole.merged()).volume > 0


def test_a_flipped_facet_stays_as_read_when_nothing_is_mended(tmp_path):
    facets = box()
    facets[3] = facets[3, ::-1]
    path = write_stl(tmp_path / "flipped.stl", facets)
    (raw,) = read_model(path, repair="none")
    (wound,) = read_model(path)
    assert not raw.closed
    assert wound.closed
    assert (raw.merged().faces != wound.merged().faces).any(axis=1).sum() == 1


@pytest.mark.parametrize("seed", range(4))
def test_a_torn_ball_with_flipped_facets_is_a_ball_again(tmp_path, seed):
    torn = flipped(without(ball(10, 4), 0.03, seed), 0.1, seed + 10)
    path = write_stl(tmp_path / "ball.stl", torn)
    (model,) = read_model(path, repair="all")
    assert model.closed
    assert measure(model.merged()).volume == pytest.approx(measure(BALL).volume, rel=0.03)
    assert any("holes were closed" in line for line in model.repairs)
