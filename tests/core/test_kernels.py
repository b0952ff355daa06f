"""Each kind of kernel gives the same compiled, as plain Python, and on one thread or two."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.mesh import measure, shells, weld
from even_step.core.motion import layer_text, moves
from even_step.core.plane import hatch, region, trace
from even_step.core.slicing import chains, contours, ledger
from tests.conftest import mended
from tests.shapes import ball, box, comb, hollow_box


def both(kernel, *arguments):
    """Run a kernel compiled and as Python on copies; return both results and both sets of arguments."""
    copies = [[item.copy() if isinstance(item, np.ndarray) else item for item in arguments] for _ in range(2)]
    return kernel(*copies[0]), kernel.py_func(*copies[1]), copies


def same(a, b):
    if isinstance(a, tuple):
        for x, y in zip(a, b, strict=True):
            same(x, y)
    else:
        assert np.array_equal(np.asarray(a), np.asarray(b), equal_nan=True)


@pytest.fixture(autouse=True)
def _wrapping_is_meant():
    with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
        yield


def test_welding():
    corners = np.ascontiguousarray(box(), np.float32)
    table = np.zeros(4096, np.int32)
    fast, slow, _ = both(weld._weld, corners.view(np.uint32), corners, table, np.float32(1e6))
    same(fast, slow)
    unique, faces, table, _ = fast
    fast, slow, _ = both(weld._joined, unique, faces, table, unique[::-1] + np.uint32(1), faces)
    same(fast, slow)


def test_measuring():
    mesh = mended(ball(5, 1))
    same(*both(measure._measure, mesh.vertices, mesh.faces)[:2])
    limits = np.array([40.0, 45, 50, 45])
    same(*both(measure._overhang, mesh.vertices, mesh.faces, limits, 0.1)[:2])


def test_shells():
    mesh = mended(hollow_box())
    same(*both(shells._join, len(mesh.vertices), mesh.faces)[:2])
    root = shells._join(len(mesh.vertices), mesh.faces)
    same(*both(shells._number, root, mesh.faces)[:2])
    label, count = shells._number(root, mesh.faces)
    assert count == 2
    _, _, copies = both(shells._edge_sums, mesh.faces, label, np.zeros(2, np.uint64))
    assert copies[0][2].tolist() == copies[1][2].tolist() == [0, 0]


def test_cutting_and_tidying():
    mesh = mended(comb())
    cuts = np.array([1.0, 3.0])
    rank = contours._ranks(mesh.vertices, cuts)
    counts = both(contours._count, mesh.faces, rank, 0, len(mesh.faces), 2)
    same(*counts[:2])
    start = np.concatenate(([0], np.cumsum(counts[0])))
    facets = np.zeros(start[-1], np.int32)
    contours._fill(mesh.faces, rank, 0, len(mesh.faces), start[:-1].copy(), facets)
    fast, slow, _ = both(chains.chain_cuts, mesh.vertices, mesh.faces, rank, cuts, facets, start, 0, 2, 1.0)
    same(fast, slow)
    tidy, slow, _ = both(contours._tidy, fast[0], fast[1], fast[2], 2, 0.0125)
    same(tidy[:3], slow[:3])
    assert tidy[3].tolist() == [plain_signature(*tidy[:3], layer) for layer in (0, 1)]


def plain_signature(xy, ring, by_layer, layer):
    """The hash of a layer in Python's whole numbers."""

    def mixed(state, bits):
        state = ((state ^ (bits & (1 << 64) - 1)) * 0x9FB21C651E98DF25) & (1 << 64) - 1
        return state ^ (state >> 28)

    state = 0x243F6A8885A308D3
    for r in range(by_layer[layer], by_layer[layer + 1]):
        for x, y in xy[ring[r] : ring[r + 1]]:
            state = mixed(mixed(state, round(x * 1000)), round(y * 1000))
        state = mixed(state, int(ring[r + 1] - ring[r]))
    return state


def test_hatching_and_the_ledger():
    shape = region.rings(
        region.from_rings(
            np.array([(0.0, 0), (5, 0), (5, 4), (2, 1), (0, 4)]),
            np.array([0, 5]),
            np.array([0]),
            np.array([0]),
            1,
        )
    )
    some = shape.starts_by_item(1)
    one = np.ones(1)
    fast, slow, _ = both(
        hatch._hatch, shape.xy, shape.start, some, one * 30, one * 0.4, 0.0, 0.0, one * 0.0, one, one * 0.0, 0.1, 0, 1
    )
    same(fast, slow)
    width = np.full(len(fast[1]) - 1, 0.45)
    same(
        *both(
            ledger._measure,
            shape.xy,
            shape.start,
            shape.xy,
            np.zeros(1, np.int64),
            fast[0],
            fast[1],
            width,
            width * 0.9,
            np.ones(len(width)),
            0.3,
        )[:2]
    )


def test_timing():
    random = np.random.default_rng(5)
    to = random.random((40, 3)) * 20
    feed, gain, e = np.full(40, 3000.0), np.full(40, 1000.0), random.random(40)
    limits = np.array([200.0, 200, 10, 50]), np.array([2000.0, 2000, 200, 4000])
    _, _, copies = both(moves.take_time, np.zeros(3), to, e, feed, gain, *limits, 0.02, np.zeros(40))
    same(copies[0][-1], copies[1][-1])
    assert copies[0][-1].min() > 0


@pytest.mark.parametrize(
    ("value", "decimals", "text"),
    [
        (0, 3, "0.000"),
        (7, 3, "0.007"),
        (-1234, 3, "-1.234"),
        (123456789, 3, "123456.789"),
        (42, 0, "42"),
        (5, 5, "0.00005"),
        (-100000, 5, "-1.00000"),
        (9, 0, "9"),
        (10, 0, "10"),
    ],
)
def test_numbers_are_written_exactly(value, decimals, text):
    for kernel in (layer_text._digits, layer_text._digits.py_func):
        buffer = np.zeros(32, np.uint8)
        end = kernel(buffer, 0, np.int64(value), decimals)
        assert buffer[:end].tobytes().decode() == text


def test_ring_helpers():
    ring = np.array([(0.0, 0), (4, 0), (4, 3), (0, 3)])
    same(*both(trace.ring_area, ring, 0, 4)[:2])
    assert trace.ring_area(ring, 0, 4) == 12
    for point, inside in (((1.0, 1.0), True), ((5.0, 1.0), False), ((1.0, -1.0), False)):
        assert trace.is_inside(*point, ring, 0, 4) == inside == trace.is_inside.py_func(*point, ring, 0, 4)
