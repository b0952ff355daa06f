"""Lines are laid island by island, contour by contour, and a layer begins near where the last one ended."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely

from even_step.core.slicing.ordering import TOGETHER
from even_step.core.toolpath.roles import INNER_WALL, OUTER_WALL
from tests.shapes import box, extruded

BARE = {"skirt.loops": 0}
HOLES = [(10 + 13 * i, 8 + 12 * j) for i in range(4) for j in range(3)]


@pytest.fixture(scope="module")
def pins():
    return np.concatenate(
        [extruded(shapely.Point(6 * i, 6 * j).buffer(1.5), 2) for i, j in itertools.product(range(4), range(4))]
    )


@pytest.fixture(scope="module")
def plate():
    holes = shapely.union_all([shapely.Point(at).buffer(3) for at in HOLES])
    return extruded(shapely.box(0, 0, 60, 40).difference(holes), 2)


def middles(path, layer):
    """The middle of each path of a layer."""
    first, last = path.layer[layer], path.layer[layer + 1]
    return [path.xy[path.start[p] : path.start[p + 1]].mean(axis=0) for p in range(first, last)]


def visits(labels):
    """How often something is come to that was left."""
    return [label for label, _ in itertools.groupby(labels)]


def test_each_pin_is_finished_before_the_next(sliced, pins):
    path = sliced(pins, BARE).sliced.toolpath
    for layer in range(path.layers):
        order = visits([tuple(np.round((at - 110) / 6 + 1.5).astype(int)) for at in middles(path, layer)])
        assert len(order) == len(set(order)) == 16


def test_a_hole_is_visited_once_a_layer_and_all_its_walls_are_laid(sliced, plate):
    path = sliced(plate, BARE).sliced.toolpath
    for layer in range(path.layers):
        first, last = path.layer[layer], path.layer[layer + 1]
        walls = np.flatnonzero(np.isin(path.role[first:last], (OUTER_WALL, INNER_WALL))) + first
        assert (np.diff(walls) == 1).all()
        near = []
        for p in walls:
            middle = path.xy[path.start[p] : path.start[p + 1] - 1].mean(axis=0) - (80, 90)
            far = np.hypot(*(np.array(HOLES) - middle).T)
            near.append(int(np.argmin(far)) if far.min() < 1.0 else -1)
        assert len(visits(near)) == len(HOLES) + 1


def test_inside_first_holds_for_each_contour(sliced, plate):
    for order, wanted in (("inner-first", (INNER_WALL, OUTER_WALL)), ("outer-first", (OUTER_WALL, INNER_WALL))):
        path = sliced(plate, {**BARE, "walls.count": 2, "walls.order": order}).sliced.toolpath
        first = path.layer[1]
        roles = path.role[first : first + 2 * (len(HOLES) + 1)]
        assert roles.tolist() == list(wanted) * (len(HOLES) + 1)


def test_a_layer_begins_near_where_the_last_one_ended(sliced, pins):
    path = sliced(np.concatenate([pins, pins + (40, 0, 0)]), BARE).sliced.toolpath
    far = [np.hypot(*(path.xy[path.start[p]] - path.xy[path.start[p] - 1])) for p in path.layer[1:-1]]
    assert max(far[: TOGETHER - 2]) < 8.0


def test_no_filament_is_drawn_back_at_a_layer_change_whose_next_start_is_near(sliced):
    path = sliced(box(6, 6, 4), {**BARE, "infill.density": 0, "top.layers": 0, "bottom.layers": 0}).sliced.toolpath
    assert path.retract[path.layer[1:-1]].sum() == 0
    assert path.retract[0]


def test_equal_layers_are_ordered_a_few_times_and_measured_once(sliced, plate):
    tall = plate * (1, 1, 20)
    path = sliced(tall, BARE).sliced.toolpath
    assert path.layers == 200
    inside = np.arange(10, 190)
    assert (path.repeats[inside] != inside).mean() > 0.8


def test_a_wall_belongs_to_the_contour_it_runs_along(sliced):
    """A dumbbell whose inner walls part in two keeps them with its one outline."""
    shape = shapely.union_all([shapely.box(0, 0, 12, 12), shapely.box(28, 0, 40, 12), shapely.box(12, 5, 28, 7.4)])
    path = sliced(extruded(shape, 1), {**BARE, "walls.count": 3}).sliced.toolpath
    roles = path.role[path.layer[1] : path.layer[2]]
    walls = [role for role in roles if role in (OUTER_WALL, INNER_WALL)]
    assert roles[: len(walls)].tolist() == walls
    assert walls[-1] == OUTER_WALL
