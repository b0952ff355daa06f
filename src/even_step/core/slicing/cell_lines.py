"""Lines cut to the cells that zones leave of the layers they lie in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane.hatch import Strokes
from even_step.core.plane.parting import MICROMETRE, borders_of, lines_cut
from even_step.core.plane.ragged import Index, Points, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import Grids
from even_step.core.slicing.laid import Strands, chosen, chosen_strands
from even_step.core.slicing.patterns.pattern import SHORTEST, Fill
from even_step.core.slicing.zones import Cells
from even_step.core.work import Crew, runs_of


def strands_cut(lines: Strands, cells: Regions) -> tuple[Strands, NDArray[np.bool_]]:
    """Cut lines of changing width to the cells they are of, by their items.

    Returns
    -------
    pieces
        What lies within, in the order of the lines; the two that meet where a closed line begins are one.
    whole : (P,) bool
        Whether each is all of its line.
    """
    return _strands_cut(lines, borders_of(cells))


def _strands_cut(lines: Strands, borders: Grids) -> tuple[Strands, NDArray[np.bool_]]:
    cut = lines_cut(lines.xy, lines.start, lines.item, borders, MICROMETRE)
    line, whole = cut.line, cut.whole
    order, place, start = _met(cut.xy, cut.start, line, whole, lines)
    line = line[order]
    width = lines.width[cut.step[place]]
    pieces = Strands(cut.xy[place], width, start, lines.item[line], lines.level[line], lines.height[line])
    return pieces, whole[order]


def _met(xy: Points, start: Index, line: Index, whole: NDArray[np.bool_], lines: Strands) -> tuple[Index, Index, Index]:
    """Join the two pieces of a closed line that meet where it begins.

    Returns which pieces are left, the points of all of them, and where each begins.
    """
    first, last = xy[start[:-1]], xy[start[1:] - 1]
    begin, end = lines.xy[lines.start[:-1]][line], lines.xy[lines.start[1:] - 1][line]
    may = ~whole & (begin == end).all(axis=1)
    heads, tails = (np.flatnonzero(may & (at == begin).all(axis=1)) for at in (first, last))
    head_of = dict(zip(line[heads].tolist(), heads.tolist(), strict=True))
    goes_on = {
        tail: head_of[one]
        for tail, one in zip(tails.tolist(), line[tails].tolist(), strict=True)
        if head_of.get(one, tail) != tail
    }
    gone = set(goes_on.values())
    order = np.array([i for i in range(len(line)) if i not in gone], np.int64)
    spans = [np.arange(start[i], start[i + 1]) for i in order.tolist()]
    for n, i in enumerate(order.tolist()):
        if i in goes_on:
            after = goes_on[i]
            spans[n] = np.concatenate((spans[n][:-1], np.arange(start[after], start[after + 1])))
    place = np.concatenate(spans) if spans else np.empty(0, np.int64)
    return order, place, starts_of(np.array([len(span) for span in spans], np.int64))


def fills_cut(fills: Sequence[Fill], cut: Cells, shape: Regions, rooms: Regions, crew: Crew) -> tuple[Fill, ...]:
    """Cut lines to the cells of their layers; where a cell is all of its room they stay as they are.

    Parameters
    ----------
    cut, shape
        Cells, and those of them to which these lines belong.
    rooms
        What the cells were cut from.
    """
    whole = np.array([own is room for own, room in zip(shape, rooms[cut.room], strict=True)], np.bool_)
    borders = borders_of(shape)
    return tuple(_fill_cut(fill, cut.which, whole, borders, crew) for fill in fills)


def _fill_cut(fill: Fill, cell: Index, whole: NDArray[np.bool_], borders: Grids, crew: Crew) -> Fill:
    layers = np.flatnonzero(fill.which >= 0)
    which = np.full(len(fill.which), -1, np.int64)
    pairs, place = np.unique(np.stack((fill.which[layers], cell[layers]), axis=1), axis=0, return_inverse=True)
    which[layers] = place.ravel()
    if len(pairs) == 0:
        return replace(fill, which=which)
    lines, own = fill.lines, pairs[:, 1]
    borders = replace(borders, slot=borders.slot[own])
    first, last = lines.cell[pairs[:, 0]], lines.cell[pairs[:, 0] + 1]

    def pieces(a: int, b: int) -> tuple[Points, Index, NDArray[np.bool_], Index]:
        owner = np.repeat(np.arange(a, b), last[a:b] - first[a:b])
        taken = np.concatenate([np.arange(first[i], last[i]) for i in range(a, b)])
        start, place = chosen(lines.start, taken)
        xy = lines.xy[place]
        if whole[own[a:b]].all():
            return xy, start, lines.linked[taken], np.bincount(owner - a, minlength=b - a)
        cut = lines_cut(xy, start, owner, borders, SHORTEST)
        line, uncut = cut.line, cut.whole
        follows = np.concatenate(([False], (np.diff(line) == 1) & uncut[1:] & uncut[:-1]))
        linked = lines.linked[taken[line]] & follows
        return cut.xy, cut.start, linked, np.bincount(owner[line] - a, minlength=b - a)

    done = crew.each(pieces, runs_of(last - first + 1, most=2_000))
    laid = Strokes(
        np.concatenate([one[0] for one in done]),
        joined_starts([one[1] for one in done]),
        np.concatenate([one[2] for one in done]),
        starts_of(np.concatenate([one[3] for one in done])),
    )
    along = _strands_cut(strands_of(fill.along, pairs[:, 0]), borders)[0]
    return replace(fill, which=which, lines=laid, height=fill.height[pairs[:, 0]], along=along)


def strands_of(strands: Strands, items: Index) -> Strands:
    """Return the lines of some items, which are numbered anew by their places."""
    first, last = np.searchsorted(strands.item, items, "left"), np.searchsorted(strands.item, items, "right")
    count = last - first
    begin = starts_of(count)
    taken = np.repeat(first - begin[:-1], count) + np.arange(int(begin[-1]))
    return replace(chosen_strands(strands, taken), item=np.repeat(np.arange(len(items)), count))
