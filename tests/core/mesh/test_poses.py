"""Poses and what they would cost, against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

from even_step.core.job.cascade import resolve
from even_step.core.mesh.measure import overhang
from even_step.core.mesh.portrait import BODY, HANGS, portrait
from even_step.core.mesh.pose import set_down
from even_step.core.mesh.poses import candidates, outermost, pose_costs
from even_step.core.mesh.turning import turn_matrix
from even_step.core.proposals import WEIGHTS, best_pose, proposals, ranked
from tests.conftest import mended
from tests.shapes import ball, box

EVEN = (45.0, 45.0, 45.0, 45.0)


def table():
    legs = [box(3, 3, 20, (x, y, 0)) for x in (-12, 12) for y in (-12, 12)]
    return mended(np.concatenate([*legs, box(30, 30, 3, (0, 0, 20))]))


def wedge(lean=60.0):
    """A block 10 mm high and wide whose face toward +x leans outward from the vertical."""
    reach = 10 * math.tan(math.radians(lean))
    mesh = mended(box(20, 10, 10))
    top = (mesh.vertices[:, 2] > 5) & (mesh.vertices[:, 0] > 0)
    vertices = mesh.vertices.copy()
    vertices[top, 0] += reach
    return type(mesh)(vertices, mesh.faces)


def test_a_table_is_carried_by_the_room_under_its_top():
    costs = pose_costs(table(), [np.eye(3), turn_matrix((180.0, 0.0, 0.0))], EVEN)
    # Each leg is a shell of its own: prisms reach down through it, and upside down its end rests on the top.
    assert costs.support == pytest.approx([30 * 30 * 20, 4 * 9 * 3])
    assert costs.contact == pytest.approx([4 * 9, 30 * 30])
    assert costs.height == pytest.approx([23, 23])


def test_a_slope_shows_a_stair_of_its_lean():
    costs = pose_costs(wedge(60.0), [np.eye(3)], EVEN)
    # The leaning face shows |n_z| = sin 60° on an area of 10 × 20; the three upright sides show none.
    leaning, upright = 10 * 20.0, 10 * 10 + 2 * (20 * 10 + 0.5 * 10 * 10 * math.tan(math.radians(60)))
    assert costs.slope[0] == pytest.approx(math.sin(math.radians(60)) * leaning / (leaning + upright), rel=1e-6)


def test_where_limits_differ_a_pose_is_turned_to_where_least_hangs():
    # Only toward +y may so much lean.
    limits = (45.0, 70.0, 45.0, 45.0)
    costs = pose_costs(wedge(60.0), [np.eye(3)], limits)
    assert costs.support[0] == 0.0
    posed, _ = set_down(wedge(60.0), costs.matrix[0])
    assert overhang(posed, limits, 0.05).sum() == 0.0
    assert overhang(wedge(60.0), limits, 0.05).sum() > 100


def test_candidates_are_turns_and_hold_the_flat_sides():
    tries = candidates(mended(box(20, 10, 5)))
    assert len(tries) == 6
    for matrix in tries:
        assert matrix @ matrix.T == pytest.approx(np.eye(3), abs=1e-9)
        assert np.linalg.det(matrix) == pytest.approx(1.0)
    leaning = candidates(wedge(30.0))
    heights = {round(float(np.ptp(wedge(30.0).vertices @ matrix[2])), 3) for matrix in leaning}
    assert len(leaning) > 6
    # On a side, on the top or the bottom, and on the leaning face, whose far corner is 22.3 mm away.
    assert heights >= {10.0, 22.321}


def test_a_large_mesh_is_judged_by_its_outermost_vertices():
    mesh = mended(ball(15.0, subdivisions=6))
    some = outermost(mesh)
    assert len(some) < len(mesh.vertices) / 2
    assert np.ptp(some, axis=0) == pytest.approx(np.ptp(mesh.vertices, axis=0), rel=5e-3)


def test_proposals_rank_by_what_is_weighed(plain_job):
    found = proposals(table(), plain_job, resolve(plain_job).job)
    best = ranked(found, WEIGHTS)
    assert found.figures["support"][best[0]] == pytest.approx(4 * 9 * 3)
    assert found.figures["contact"][best[0]] == pytest.approx(900)
    lowest = ranked(found, {"height": 1.0})[0]
    assert found.figures["height"][lowest] == found.figures["height"].min()
    widest = ranked(found, {"contact": 1.0})[0]
    assert found.figures["contact"][widest] == found.figures["contact"].max()
    assert len({tuple(round(float(f[i]), 3) for f in found.figures.values()) for i in best}) == len(best)
    assert (found.figures["time"] > 0).all()


def test_the_best_pose_of_a_table_is_upside_down(plain_job):
    posed, _ = set_down(table(), best_pose(table(), plain_job, resolve(plain_job).job))
    assert overhang(posed, EVEN, 0.2).sum() < 100
    assert overhang(table(), EVEN, 0.2).sum() > 800


def test_a_portrait_shows_the_part_and_what_hangs():
    posed, _ = set_down(table(), np.eye(3))
    light, shown = portrait(posed, EVEN, 96, 72)
    assert (shown == BODY).sum() > 500
    assert 0.0 < light[shown == BODY].min() <= light.max() <= 1.0
    assert (light[shown == 0] == 0).all()
    turned, _ = set_down(table(), turn_matrix((180.0, 0.0, 0.0)))
    _, other = portrait(turned, EVEN, 96, 72)
    assert (other == HANGS).sum() <= (shown == HANGS).sum()
