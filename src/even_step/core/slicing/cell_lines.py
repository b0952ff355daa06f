"""Lines cut to the cells that zones leave of the layers they lie in."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.parting import MICROMETRE, borders_of, lines_cut
from even_step.core.plane.ragged import Index, Points, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import Grids
from even_step.core.slicing.laid import Strands, chosen, chosen_strands, strands_joined
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


@dataclass(frozen=True, eq=False)
class Share:
    """What of lines belongs to one record, layer by layer.

    Attributes
    ----------
    cell : (L,) int64
        Which row of cells a layer has.
    shape : (C,) regions
        The record's cells.
    whole : (C,) bool
        Whether its cell is all there is in that row.
    """

    cell: Index
    shape: Regions
    whole: NDArray[np.bool_]

    @classmethod
    def of(cls, cut: Cells, shape: Regions, rooms: Regions) -> Share:
        """Take one record's cells out of rooms that were cut."""
        whole = [own is room for own, room in zip(shape, rooms[cut.room], strict=True)]
        return cls(cut.which, shape, np.array(whole, np.bool_))

    @property
    def here(self) -> NDArray[np.bool_]:
        """Whether the record holds somewhere in each layer, (L,)."""
        return ~region.is_empty(self.shape)[self.cell]


def fills_cut(fills: Sequence[Fill], share: Share, crew: Crew, uncut: NDArray[np.bool_] | None = None) -> list[Fill]:
    """Cut lines to the cells of their layers; where a cell is all of its room they stay as they are.

    ``uncut`` are layers of each in which they stay as they are all the same, (n, L).
    """
    borders = borders_of(share.shape)
    if uncut is None:
        uncut = np.zeros((len(fills), len(share.cell)), np.bool_)
    return [_fill_cut(fill, share, some, borders, crew) for fill, some in zip(fills, uncut, strict=True)]


def _fill_cut(fill: Fill, share: Share, uncut: NDArray[np.bool_], borders: Grids, crew: Crew) -> Fill:
    layers = np.flatnonzero(fill.which >= 0)
    which = np.full(len(fill.which), -1, np.int64)
    cuts = ~(uncut | share.whole[share.cell])[layers]
    columns = cuts, fill.which[layers], np.where(cuts, share.cell[layers], 0)
    rows, place = np.unique(np.stack(columns, axis=1), axis=0, return_inverse=True)
    which[layers] = place.ravel()
    if len(rows) == 0:
        return replace(fill, which=which)
    lines, count = fill.lines, int((rows[:, 0] == 0).sum())  # those that stay as they are come first
    borders = replace(borders, slot=borders.slot[rows[:, 2]])
    first, last = lines.cell[rows[:, 1]], lines.cell[rows[:, 1] + 1]

    def pieces(a: int, b: int) -> tuple[Points, Index, NDArray[np.bool_], Index]:
        owner = np.repeat(np.arange(a, b), last[a:b] - first[a:b])
        taken = np.concatenate([np.arange(first[i], last[i]) for i in range(a, b)])
        start, place = chosen(lines.start, taken)
        xy = lines.xy[place]
        if b <= count:
            return xy, start, lines.linked[taken], np.bincount(owner - a, minlength=b - a)
        cut = lines_cut(xy, start, owner, borders, SHORTEST)
        line, entire = cut.line, cut.whole
        follows = np.concatenate(([False], (np.diff(line) == 1) & entire[1:] & entire[:-1]))
        linked = lines.linked[taken[line]] & follows
        return cut.xy, cut.start, linked, np.bincount(owner[line] - a, minlength=b - a)

    long = last - first + 1
    runs = runs_of(long[:count], most=2_000) + [(a + count, b + count) for a, b in runs_of(long[count:], most=2_000)]
    done = crew.each(pieces, runs)
    laid = Strokes(
        np.concatenate([one[0] for one in done]),
        joined_starts([one[1] for one in done]),
        np.concatenate([one[2] for one in done]),
        starts_of(np.concatenate([one[3] for one in done])),
    )
    along = strands_of(fill.along, rows[:, 1])
    kept, rest = (chosen_strands(along, np.flatnonzero(some)) for some in (along.item < count, along.item >= count))
    along = strands_joined([kept, _strands_cut(rest, borders)[0]])
    return replace(fill, which=which, lines=laid, height=fill.height[rows[:, 1]], along=along)


def same_lines(fills: Sequence[Fill], here: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Tell in which layers several records that hold there lay the same lines, (L,); ``here`` is where each does."""
    known: dict[tuple[bytes, ...], int] = {}
    numbers = []
    for fill in fills:
        names = [known.setdefault(name, len(known)) for name in _names(fill)]
        numbers.append(np.append(names, -1)[fill.which])
    number, holds = np.stack(numbers), here.sum(axis=0)
    first = number[np.argmax(here, axis=0), np.arange(number.shape[1])]
    return np.asarray((holds > 1) & ((number == first) | ~here).all(axis=0))


def _names(fill: Fill) -> Iterator[tuple[bytes, ...]]:
    """Return what tells each set of lines from others of that role and width."""
    lines, along = fill.lines, fill.along
    for k in range(len(fill.height)):
        a, b = lines.cell[k], lines.cell[k + 1]
        c, d = np.searchsorted(along.item, (k, k + 1))
        yield (
            *_bytes_of(lines.xy, lines.start, a, b),
            lines.linked[a:b].tobytes(),
            fill.height[k].tobytes(),
            *_bytes_of(along.xy, along.start, c, d),
            along.width[along.start[c] : along.start[d]].tobytes(),
        )


def _bytes_of(xy: Points, start: Index, first: int, last: int) -> tuple[bytes, bytes]:
    begin = start[first : last + 1]
    return xy[begin[0] : begin[-1]].tobytes(), (begin - begin[0]).tobytes()


def strands_of(strands: Strands, items: Index) -> Strands:
    """Return the lines of some items, which are numbered anew by their places."""
    first, last = np.searchsorted(strands.item, items, "left"), np.searchsorted(strands.item, items, "right")
    count = last - first
    begin = starts_of(count)
    taken = np.repeat(first - begin[:-1], count) + np.arange(int(begin[-1]))
    return replace(chosen_strands(strands, taken), item=np.repeat(np.arange(len(items)), count))
