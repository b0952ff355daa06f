"""Lines of layers that lie over each other, drawn as one of all their height: for a view that moves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.toolpath.courses import Index
from even_step.core.toolpath.lines import Lines
from even_step.core.toolpath.roles import INNER_WALL, OUTER_WALL
from even_step.core.toolpath.toolpath import Toolpath

TALLEST = 4.0  # mm, of what is drawn as one
ASIDE = 1.0  # of a line's width: how far on the average walls may step aside within it
WIDER = 4.0  # times that: to either side, and where one of two outlines steps aside, it does so by twice the average
WIDEST = 2.0  # widths by which a line may be wider
TOUCHING = 1e-6  # mm between layers
LONGER = 0.2  # by which share their length may differ
WALLS = OUTER_WALL, INNER_WALL


@dataclass(frozen=True, eq=False)
class Stacks:
    """Lines that stand for those of some layers.

    Attributes
    ----------
    lines : Lines
        Those of the uppermost layer of each stack, as high as all of it, and wider by what its layers step aside.
    since : (L + 1,) int64
        The first layer that is not stood for, wholly or in part, by stacks that end before a layer.
    """

    lines: Lines
    since: Index


@dataclass(frozen=True, eq=False)
class _Rows:
    """Lines of one part and role in one layer, a row each, lowest first: (R,) all, mm and mm²."""

    of: Index
    layer: Index
    top: NDArray[np.float64]
    bottom: NDArray[np.float64]
    length: NDArray[np.float64]
    area: NDArray[np.float64]
    width: NDArray[np.float64]
    goes_round: NDArray[np.bool_]


def stacked(lines: Lines, toolpath: Toolpath) -> Stacks:
    """Stand for the lines of layers that hardly differ by those of the uppermost.

    Parameters
    ----------
    lines
        Some of the lines of ``toolpath``, as ``lines_of`` or ``coarse_lines`` gives them.
    toolpath
        What they are of.
    """
    rows, row_of_path = _rows(lines, toolpath)
    stack = _stacks(rows)
    since = np.arange(len(toolpath.top) + 1)
    count = int(stack[-1]) + 1 if len(stack) else 0
    first = np.searchsorted(stack, np.arange(count))
    last = np.searchsorted(stack, np.arange(count), side="right") - 1
    for low, high in zip(rows.layer[first], rows.layer[last], strict=True):
        since[low + 1 : high + 1] = np.minimum(since[low + 1 : high + 1], low)
    stands, high, wider = np.zeros(len(rows.of) + 1, bool), np.zeros(len(rows.of) + 1), np.zeros(len(rows.of) + 1)
    stands[last] = True
    high[last] = rows.top[last] - rows.bottom[first]
    wider[last] = _wider(rows, stack, last)
    row = row_of_path[lines.path]
    kept = stands[row]
    points = lines.points[kept]
    points[:, 4] = high[row[kept]]
    points[:, 3] += np.where(points[:, 3] > 0.0, wider[row[kept]], 0.0).astype(np.float32)
    number = np.concatenate(([0], np.cumsum(kept)))
    return Stacks(Lines(points, number[lines.layer], lines.path[kept]), since)


def _wider(rows: _Rows, stack: Index, last: Index) -> NDArray[np.float64]:
    """Return how much wider the line of each stack is drawn, to hide what steps aside in it and to the next, mm."""
    if len(last) == 0:
        return np.empty(0)
    beside = np.append(np.arange(1, len(rows.of)), len(rows.of) - 1)
    follows = (rows.of[beside] == rows.of) & (rows.bottom[beside] <= rows.top + TOUCHING)
    off = np.abs(rows.area - rows.area[last][stack])
    off[last] = np.where(follows[last], np.abs(rows.area[beside] - rows.area)[last], 0.0)
    aside = np.zeros(len(last))
    np.maximum.at(aside, stack, np.where(rows.goes_round, off / np.maximum(rows.length, 1e-9), 0.0))
    return np.asarray(np.minimum(WIDER * aside, WIDEST * rows.width[last]))


def _rows(lines: Lines, toolpath: Toolpath) -> tuple[_Rows, Index]:
    """Add up the lines of each part and role in each layer; the row of each path is the last for one without lines."""
    count = len(toolpath.role)
    there = np.unique(lines.path)
    part, role, layer = toolpath.part[there], toolpath.role[there], toolpath.layer_of_path()[there]
    order = np.lexsort((layer, role, part))
    keys = np.stack((part, role, layer)).astype(np.int64)[:, order]
    new = np.ones(len(order), bool)
    new[1:] = (np.diff(keys, axis=1) != 0).any(axis=0)
    of, first = np.cumsum(new) - 1, np.flatnonzero(new)
    row_of_path = np.full(count, len(first))
    row_of_path[there[order]] = of
    length, area = _measures(lines, toolpath.part)
    kind = np.zeros(len(first), np.int64)
    kind[1:] = np.cumsum((np.diff(keys[:2, first], axis=1) != 0).any(axis=0))
    top = toolpath.top[keys[2, first]]
    sizes = toolpath.height[there[order]], toolpath.width[there[order]]
    thick, wide = (np.maximum.reduceat(one, first) if len(first) else np.empty(0) for one in sizes)
    long, held = (_sums(row_of_path, one, len(first)) for one in (length, area))
    goes_round = np.isin(keys[1, first], WALLS)
    return _Rows(kind, keys[2, first], top, top - thick, long, held, wide.astype(np.float64), goes_round), row_of_path


def _measures(lines: Lines, part: NDArray[np.int32]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the length of each path, and the area between it and the middle of its part, (P,).

    What goes round inward and outward counts alike, or the two sides of a shell that leans would cancel.
    """
    count = len(part)
    xy = lines.points[:, :2].astype(np.float64)
    of = part[lines.path] + 1
    many = np.maximum(np.bincount(of), 1)
    xy -= np.stack([(np.bincount(of, weights=axis) / many)[of] for axis in xy.T], axis=1)
    laid = np.flatnonzero(lines.points[:-1, 3] > 0.0)
    a, b = xy[laid], xy[laid + 1]
    path = lines.path[laid]
    area = 0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    return _sums(path, np.hypot(*(b - a).T), count), _sums(path, area, count)


def _sums(of: NDArray[np.int32] | Index, values: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """Add up values by what they are of, (count,); those of what is not counted are left out."""
    return np.asarray(np.bincount(of, weights=values, minlength=count)[:count], np.float64)


def _stacks(rows: _Rows) -> Index:
    """Return which stack each row is in, counted up."""
    out = np.zeros(len(rows.of), np.int64)
    first = number = 0
    for k in range(1, len(out)):
        fits = (
            rows.of[k] == rows.of[first]
            and rows.bottom[k] <= rows.top[k - 1] + TOUCHING
            and rows.top[k] - rows.bottom[first] <= TALLEST + TOUCHING
            and abs(rows.length[k] - rows.length[first]) <= LONGER * rows.length[first]
        )
        if fits and rows.goes_round[k]:
            fits = abs(rows.area[k] - rows.area[first]) <= ASIDE * rows.width[first] * rows.length[first]
        if not fits:
            first, number = k, number + 1
        out[k] = number
    return out
