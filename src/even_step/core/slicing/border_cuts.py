"""Laid lines cut at the borders of zones within which they are laid otherwise: quicker, cooler, of other plastic.

The order stays, and a line that is cut goes on where it was left, so that a wall is still one run.
"""

from __future__ import annotations

import numpy as np

from even_step.core.plane.parting import between, parted_lines
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.slicing.ordering import Blocks, Ordered
from even_step.core.slicing.zones import Borders, Cells
from even_step.core.work import Crew, runs_of

SHORTEST = 0.3  # mm: a shorter piece goes with its neighbour


def cut_at_borders(blocks: Blocks, borders: Borders, crew: Crew) -> Blocks:
    """Cut the lines of each layer to cells and number what holds of them."""
    cut = borders.cells()
    pairs, which = np.unique(np.stack((blocks.which, cut.which), axis=1), axis=0, return_inverse=True)
    content = np.unique(np.stack((blocks.content, cut.which), axis=1), axis=0, return_inverse=True)[1].ravel()
    first, last = blocks.block[pairs[:, 0]], blocks.block[pairs[:, 0] + 1]
    runs = runs_of(last - first + 1, most=2_000)

    def part(a: int, b: int) -> list[tuple[Ordered, Index]]:
        return [_parted(some_paths(blocks.paths, first[i], last[i]), cut, int(pairs[i, 1])) for i in range(a, b)]

    done = [one for some in crew.each(part, runs) for one in some]
    block = np.cumsum([0, *(len(one.role) for one, _ in done)]).astype(np.int64)
    record = np.concatenate([numbers for _, numbers in done]).astype(np.uint16)
    return Blocks(which.ravel(), content, Ordered.joined([one for one, _ in done]), block, cut.zones, record)


def some_paths(paths: Ordered, first: int, last: int) -> Ordered:
    """Return paths in a row."""
    a, z = paths.start[first], paths.start[last]
    c, d = paths.via_start[first], paths.via_start[last]
    own = slice(first, last)
    return Ordered(
        paths.xy[a:z],
        paths.start[first : last + 1] - a,
        paths.role[own],
        paths.width[own],
        paths.height[own],
        paths.held[own],
        paths.linked[own],
        paths.via[c:d],
        paths.via_start[first : last + 1] - c,
        None if paths.climb is None else paths.climb[a:z],
    )


def _parted(paths: Ordered, cut: Cells, row: int) -> tuple[Ordered, Index]:
    """Cut the paths of one layer; returns them with the number of what holds of each."""
    cells = np.array([shape[row] for shape in cut.shape], object)
    numbers = np.array([k for k, cell in enumerate(cells) if not cell.is_empty], np.int64)
    count = len(paths.role)
    if len(numbers) < 2 or count == 0:
        return paths, np.full(count, numbers[0] if len(numbers) else 0, np.int64)
    cut_up = parted_lines(paths.xy, paths.start, cells[numbers], SHORTEST)
    path, number = cut_up.line, cut_up.cell
    if len(path) == count:
        return paths, numbers[number]
    head = np.append(True, np.diff(path) > 0)
    passed = np.where(head, np.diff(paths.via_start)[path], 0)
    return (
        Ordered(
            cut_up.xy,
            cut_up.start,
            paths.role[path],
            paths.width[path],
            paths.height[path],
            paths.held[path],
            np.where(head, paths.linked[path], True),
            paths.via,
            starts_of(passed),
            None if paths.climb is None else between(paths.climb, cut_up),
        ),
        numbers[number],
    )
