from __future__ import annotations

from itertools import pairwise

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from even_step.core.mesh.chains import chained

SPOTS = st.tuples(st.integers(0, 4), st.integers(0, 4), st.integers(0, 1))
EDGES = st.lists(st.tuples(SPOTS, SPOTS).filter(lambda edge: edge[0] != edge[1]), max_size=30)


def names(lines):
    """The edges that lines are made of, whichever way they run."""
    return sorted(tuple(sorted((tuple(a), tuple(b)))) for line in lines for a, b in pairwise(line))


@given(EDGES)
def test_each_edge_is_in_one_line(edges):
    found = chained(np.array(edges, float).reshape(-1, 2, 3))
    assert names(line.tolist() for line in found) == names(edges)


def test_a_ring_with_a_tail_is_one_line_from_its_open_end():
    square = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 0, 0)]
    edges = [*pairwise(square), ((0, 0, 0), (-1, 0, 0))]
    (line,) = chained(np.array(edges[::-1], float))
    assert line[0].tolist() == [-1, 0, 0]
    assert len(line) == 6
    assert chained(np.empty((0, 2, 3))) == []
