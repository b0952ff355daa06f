"""Covers of a solid with zones: each record's are found and laid as if it held everywhere, then cut to its cells."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.bridges import Bridges, BridgeSettings
from even_step.core.slicing.cell_lines import Share, fills_cut, same_lines
from even_step.core.slicing.covers import Covers, CoverSettings, covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.walls import Walls
from even_step.core.slicing.zones import Borders, Zones, cells_united
from even_step.core.work import Crew


def zoned_covers(
    borders: Borders,
    walls: Walls,
    heights: Heights,
    settings: Callable[[Zones], CoverSettings],
    over_air: BridgeSettings,
    crew: Crew,
) -> Covers:
    """Find and lay the covers of a solid with zones.

    Parameters
    ----------
    borders
        Of zones that say anything of covers.
    walls
        As they are laid.
    settings
        What holds of covers where some zones lie over one another.
    """
    outlines, cut = borders.outlines, borders.cells()
    by_record = cut.by(settings)
    made = [covers(outlines, walls, heights, record, over_air, crew) for record in by_record]
    shapes = list(by_record.values())
    columns = np.stack([*(one.which for one in made), walls.which, cut.which], axis=1)
    rows, which = np.unique(columns, axis=0, return_inverse=True)
    own = [shape[rows[:, -1]] for shape in shapes]
    numbers = [rows[:, i] for i in range(len(made))]

    def united(of: Callable[[Covers], Regions]) -> Regions:
        found = [of(one)[number] for one, number in zip(made, numbers, strict=True)]
        return cells_united(found, own)

    asked: tuple[Callable[[Covers], Regions], ...] = (
        *(lambda one, kind=kind: one.full[:, kind] for kind in range(3)),
        lambda one: one.room,
        lambda one: one.open,
    )
    *full, room, open_ = crew.each(lambda k, _: united(asked[k]), [(k, k + 1) for k in range(len(asked))])

    shares = [Share.of(cut, shape, outlines.outline) for shape in shapes]
    fills = _fills_cut([one.fills for one in made], shares, crew)
    tops = _fills_cut([one.tops for one in made], shares, crew)
    return Covers(
        which.ravel(),
        rows[:, -2],
        np.stack(full, axis=1),
        room,
        open_,
        _bridges(made, own, numbers),
        fills,
        tops,
    )


def _fills_cut(many: Sequence[Sequence[Fill]], shares: Sequence[Share], crew: Crew) -> tuple[Fill, ...]:
    """Cut the lines of each record to its cells, but where all lay the same; those are the first record's."""
    here = np.array([share.here for share in shares])
    first = np.argmax(here, axis=0)
    alike = [np.zeros((len(fills), here.shape[1]), np.bool_) for fills in many]
    for numbers in _matched(many):
        if len(numbers) == len(many):
            same = same_lines([many[record][k] for record, k in numbers.items()], here)
            for record, k in numbers.items():
                alike[record][k] = same
    out: list[Fill] = []
    for record, (fills, share, uncut) in enumerate(zip(many, shares, alike, strict=True)):
        own = [
            replace(fill, which=np.where(some & (first != record), -1, fill.which))
            for fill, some in zip(fills, uncut, strict=True)
        ]
        out += fills_cut(own, share, crew, uncut)
    return tuple(out)


def _matched(many: Sequence[Sequence[Fill]]) -> list[dict[int, int]]:
    """Return which lines of the records may be the same ones: of a role and width, in their order; by record."""
    found: dict[tuple[int, float, bool, int], dict[int, int]] = {}
    for record, fills in enumerate(many):
        times: Counter[tuple[int, float, bool]] = Counter()
        for k, fill in enumerate(fills):
            kind = fill.role, fill.width, fill.in_rows
            found.setdefault((*kind, times[kind]), {})[record] = k
            times[kind] += 1
    return list(found.values())


def _bridges(made: Sequence[Covers], own: Sequence[Regions], numbers: Sequence[Index]) -> Bridges:
    """Cut the bridges of all records to their cells."""
    division, shape, angle, longest = [], [], [], []
    for one, cell, number in zip(made, own, numbers, strict=True):
        found = one.bridges
        first, last = np.searchsorted(found.division, number, "left"), np.searchsorted(found.division, number, "right")
        row = np.repeat(np.arange(len(number)), last - first)
        some = np.concatenate([np.arange(a, b) for a, b in zip(first, last, strict=True)]).astype(np.int64)
        within = region.intersection(found.shape[some], cell[row])
        kept = ~region.is_empty(within)
        division.append(row[kept])
        shape.append(within[kept])
        angle.append(found.angle[some][kept])
        longest.append(found.longest[some][kept])
    order = np.argsort(np.concatenate(division), kind="stable")
    return Bridges(
        np.concatenate(division)[order],
        np.concatenate(shape)[order],
        np.concatenate(angle)[order],
        np.concatenate(longest)[order],
    )
