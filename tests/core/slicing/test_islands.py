"""What begins in the air, against the same question asked piece by piece."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.plane import region
from even_step.core.slicing.islands import islands
from even_step.core.slicing.regions import Outlines


def outlines_of(*shapes):
    return Outlines(np.arange(len(shapes)), np.array([region.multi(shape) for shape in shapes], object))


def scattered(random, count):
    """Discs and rings that lie anywhere, joined where they meet."""
    some = []
    for x, y, size in np.column_stack((random.uniform(0, 20, (count, 2)), random.uniform(0.3, 4, count))):
        disc = shapely.Point(x, y).buffer(size)
        some.append(disc.difference(shapely.Point(x, y).buffer(size * 0.7)) if random.random() < 0.5 else disc)
    return shapely.union_all(some)


@pytest.mark.parametrize("seed", range(12))
def test_islands_are_the_pieces_that_touch_nothing_below(seed):
    random = np.random.default_rng(seed)
    shapes = [scattered(random, int(random.integers(1, 9))) for _ in range(8)]
    found = islands(outlines_of(*shapes))
    wanted = [
        (layer, round(piece.area, 9))
        for layer in range(1, len(shapes))
        for piece in shapely.get_parts(shapes[layer])
        if not piece.intersects(shapes[layer - 1])
    ]
    assert sorted(zip(found.layer.tolist(), np.round(shapely.area(found.shape), 9).tolist(), strict=True)) == sorted(
        wanted
    )


def test_what_only_touches_or_lies_in_a_hole():
    ring = shapely.box(0, 0, 10, 10).difference(shapely.box(2, 2, 8, 8))
    assert (
        islands(outlines_of(ring, shapely.box(10, 0, 12, 2))).layer.tolist() == []
    )  # side by side, one edge in common
    assert islands(outlines_of(ring, shapely.box(3, 3, 7, 7))).layer.tolist() == [1]
    assert islands(outlines_of(shapely.MultiPolygon(), ring)).layer.tolist() == [1]
    # Crosses what is below without a corner of either within the other.
    assert islands(outlines_of(shapely.box(0, 4, 10, 6), shapely.box(4, 0, 6, 10))).layer.tolist() == []


def test_an_island_is_told_for_each_layer_that_is_alike():
    low, high = (region.multi(shapely.box(x, 0, x + 1, 1)) for x in (0, 5))
    found = islands(Outlines(np.array([0, 1, 0, 1]), np.array([low, high], object)))
    assert sorted(found.layer.tolist()) == [1, 2, 3]
