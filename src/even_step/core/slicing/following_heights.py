"""Stage 1, following the surface: layers as thick as the stair they leave on a slope may be.

A layer of height h leaves a stair of ``h·|n_z|`` on a facet (the cusp height; Dolenc and Mäkelä, "Slicing procedures
for layered manufacturing techniques", 1994).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.slicing.surface import Surface

GRID = 0.01  # mm, between places for which the thickest layer is found beforehand
GRAIN = 0.01  # mm: heights are whole multiples where no flat asks for others, so that few are in use
AHEAD = 8  # layers before a flat that share what it takes to end on it
FAR = 40  # as many do where all are the least: thinner ones cannot be, and thicker ones leave more than the stair
BISECTIONS = 24  # of the most a layer may have, to find it within a nanometre
TINY = 1e-6  # mm


def following(
    first: float,
    tall: float,
    surface: Surface,
    limits: tuple[float, float, float, float],
    spans: NDArray[np.float64],
    allowed: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Return the heights of layers from the first one's top up, (L,), mm.

    Parameters
    ----------
    first, tall
        Where they begin and end, mm.
    surface
        What they follow.
    limits
        Least and most, the largest stair, and the most a height may differ from its neighbour (0 for any), mm.
    spans : (S, 3) float64
        From where to where layers are of a height of their own, and that; the later wins.
    allowed : (A,) float64
        The only heights that may be used, rising, mm; none where all may.

    Notes
    -----
    Each layer is the thickest whose stair, on all facets that it cuts, is small enough; then heights are lowered, never
    raised, until each differs from its neighbour by no more than wished, or than the next set height does. Before a
    flat, or an end of a span, the thickest of the last few layers are lowered until one ends there; one that is nearer
    than half of the least height to where a layer ends is passed by. Of set heights the thickest that ends no more than
    half of the least beyond it is taken.
    """
    ends = np.unique(np.concatenate((surface.flats, spans[:, 0], spans[:, 1])))
    ends = np.append(ends[(ends > first + TINY) & (ends < tall - TINY)], tall)
    slopes = surface.z, surface.rise, *limits, _whole(first, tall, spans)
    return np.asarray(_marched(first, ends, _most(first, tall, *slopes), slopes, allowed))


def _whole(first: float, tall: float, spans: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return spans as high as whole layers in them come out, so that layers before them ease to what will be laid."""
    reach = np.maximum(np.minimum(spans[:, 1], tall) - np.maximum(spans[:, 0], first), TINY)
    return np.column_stack((spans[:, :2], reach / np.ceil(reach / spans[:, 2] - TINY)))


@kernel
def _at(z, zs, rise, least, most, stair):  # type: ignore[no-untyped-def]
    """Return the thickest layer that may begin at a height."""
    top = z + most
    k = max(0, np.searchsorted(zs, z + TINY, side="right") - 1)
    while k < rise.shape[0] and zs[k] < top - TINY:
        if rise[k] > 0.0 and zs[k + 1] > z + TINY:
            # Above the foot of this facet no layer may end that leaves more than the stair on it.
            top = min(top, max(z + stair / rise[k], zs[k]))
        k += 1
    return min(max(top - z, least), most)


@kernel
def _own(z, spans):  # type: ignore[no-untyped-def]
    """Return the height of the span that a layer begins in, −1 for none."""
    own = -1.0
    for s in range(spans.shape[0]):
        if spans[s, 0] <= z + TINY and z + TINY < spans[s, 1]:
            own = spans[s, 2]
    return own


@kernel
def _grain(ease):  # type: ignore[no-untyped-def]
    """Return what heights are multiples of, no more than they may differ by: else they would never rise again."""
    return min(GRAIN, ease) if ease > 0.0 else GRAIN


@kernel
def _most(first, tall, zs, rise, least, most, stair, ease, spans):  # type: ignore[no-untyped-def]
    """Return the thickest layer at each place of a grid after which the next ones need not be far thinner."""
    count = max(1, int(np.ceil((tall - first) / GRID)))
    out = np.empty(count)
    grain = _grain(ease)
    for i in range(count - 1, -1, -1):
        z = first + i * GRID
        own = _own(z, spans)
        if own > 0.0:
            out[i] = min(max(own, least), most)
            continue
        high = _at(z, zs, rise, least, most, stair)
        while ease > 0.0 and high > least:
            j = i + int(high / GRID + TINY)
            after = min(out[j] if j < count else most, out[j + 1] if j + 1 < count else most)
            if high <= after + ease + TINY:
                break
            high -= grain
        out[i] = max(high, least)
    return out


@kernel
def _thickest(z, before, grid, slopes, allowed):  # type: ignore[no-untyped-def]
    """Return the thickest layer that may begin at a height, the one below it being known."""
    first, highest = grid
    zs, rise, least, most, stair, ease, spans = slopes
    i = min(int((z - first) / GRID + TINY), highest.shape[0] - 1)
    high = min(highest[i], highest[min(i + 1, highest.shape[0] - 1)])
    if _own(z, spans) > 0.0:
        return max(high, least)
    high = min(high, _at(z, zs, rise, least, most, stair))
    if ease > 0.0:
        step = ease
        if allowed.shape[0] > 0:  # the next of set heights may be farther
            k = np.searchsorted(allowed, before + TINY, side="right")
            step = max(step, allowed[min(k, allowed.shape[0] - 1)] - before)
        high = min(high, before + step)
    grain = _grain(ease)
    return max(np.floor(high / grain + TINY) * grain, least)


@kernel
def _foreseen(z, before, end, cap, most, grid, slopes, allowed):  # type: ignore[no-untyped-def]
    """Return how many layers no thicker than a cap, and no more than so many, lead to an end, and how high that is."""
    n = 0
    while end - z > TINY and n < most:
        before = min(_thickest(z, before, grid, slopes, allowed), cap)
        z += before
        n += 1
    return n, z


@kernel
def _planned(z, before, high, end, grid, slopes, allowed):  # type: ignore[no-untyped-def]
    """Return how many layers are to end at an end that is near, 0 if it is not, and the least and the most they have.

    The thickest are lowered to one height: what was eased before stays so.
    """
    _, _, least, most, _, ease, _ = slopes
    few = AHEAD if ease <= 0.0 else max(AHEAD, 2 * int(np.ceil(high / ease)))
    if end - z > max(few * most, FAR * (least + TINY)):
        return 0, least, most
    count, reached = _foreseen(z, before, end, most, FAR, grid, slopes, allowed)
    if reached < end - TINY or (count > few and high > least + TINY):
        return 0, least, most
    if count * least > end - z:  # one fewer, each a little thicker than the least
        count = max(1, int((end - z) / least + TINY))
        return count, (end - z) / count, most
    low = least
    for _ in range(BISECTIONS):
        cap = (low + most) / 2
        if _foreseen(z, before, end, cap, count, grid, slopes, allowed)[1] < end:
            low = cap
        else:
            most = cap
    return count, least, most


@kernel
def _marched(first, ends, highest, slopes, allowed):  # type: ignore[no-untyped-def]
    """March up: the thickest layer that may begin here, and before an end what it takes to end there."""
    least, most = slopes[2], slopes[3]
    out = np.empty(64)
    n, at, left = 0, 0, 0
    low, cap = least, most
    z, before = first, most
    tall = ends[ends.shape[0] - 1]
    lowest = allowed[0] if allowed.shape[0] > 0 else least
    grid = (first, highest)
    while tall - z > lowest / 2 + TINY:
        high = _thickest(z, before, grid, slopes, allowed)
        while ends[at] - z <= max(least, lowest) / 2 and at + 1 < ends.shape[0]:
            at, left = at + 1, 0
        rest = ends[at] - z
        if allowed.shape[0] > 0:
            k = max(0, np.searchsorted(allowed, min(high, rest + lowest / 2) + TINY, side="right") - 1)
            high = allowed[k]
        else:
            if left == 0:
                left, low, cap = _planned(z, before, high, ends[at], grid, slopes, allowed)
            high = rest if left == 1 else min(max(high, low), cap)
            high = min(max(high, least), most)
            left = max(0, left - 1)
        if n == out.shape[0]:
            more = np.empty(2 * n)
            more[:n] = out
            out = more
        out[n] = high
        n += 1
        z += high
        before = high
    return out[:n].copy()
