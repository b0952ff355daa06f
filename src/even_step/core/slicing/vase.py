"""Stage 9, vase: over its bottom layers a part is one line that rises along its outline, from layer to layer.

A line whose top is at some height has its middle half a layer below. So the turn that climbs through a layer begins on
the outline cut at the middle of the layer below, and ends on its own; between them it goes over from one to the other.
The first turn rises from the bottom with no plastic to all of it, the last runs level at the top with less and less.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import covers, vase, walls
from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width, section_area
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.ledger import Ledger
from even_step.core.slicing.ordering import Blocks, Ordered
from even_step.core.slicing.regions import Outlines
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.toolpath.roles import OUTER_WALL

LONGEST = 2.0  # mm between points, for the outline below may bend where this one is straight
STEEP = 1.5  # line widths: farther than this from the outline below a turn keeps to its own


@dataclass(frozen=True)
class VaseOutline:
    """Whether a part is a vase, and of its outer loop alone."""

    on: Annotated[bool, vase.ON]
    outer_loop: Annotated[bool, vase.OUTER_LOOP]

    def of(self, outlines: Outlines) -> Outlines:
        """Return the outlines that are meant."""
        alone = self.on and self.outer_loop
        return Outlines(outlines.which, region.without_holes(outlines.outline)) if alone else outlines


@dataclass(frozen=True)
class VaseBottom:
    """Whether a part is a vase, and how many full layers it stands on: so many, or as many as are so thick, mm."""

    on: Annotated[bool, vase.ON]
    layers: Annotated[int, covers.BOTTOM_LAYERS]
    thickness: Annotated[float, covers.BOTTOM_THICKNESS]

    def first_turn(self, thick: NDArray[np.float64]) -> int:
        """Return the first layer that the line climbs through, of layers so thick; 0 of what is no vase.

        There is a layer below it at the least, of one level line where there is no bottom.
        """
        reached = int(np.searchsorted(np.cumsum(thick), self.thickness - 1e-6)) + 1 if self.thickness > 0.0 else 0
        return max(1, self.layers, reached) if self.on else 0


@dataclass(frozen=True)
class VaseSettings:
    """How wide the line of a vase is, mm."""

    width: Annotated[float, walls.OUTER_WIDTH]


def below(outlines: Outlines, layers: int) -> Outlines:
    """Return outlines that end after some layers."""
    which = outlines.which.copy()
    which[layers:] = len(outlines.outline)
    return Outlines(which, np.concatenate((outlines.outline, region.nothing(1))))


def with_spiral(blocks: Blocks, outlines: Outlines, heights: Heights, first: int, settings: VaseSettings) -> Blocks:
    """Add the rising line to the blocks of the bottom layers; it begins where it is nearest to their last line's end.

    Parameters
    ----------
    blocks
        Of the layers below ``first``, which is above 0; what later ones hold is left out. Of no zones yet.
    outlines, heights
        Of the whole part. Where a layer has more loops than one the longest is taken; where it has none, the line ends.
    """
    moved = region.offset(outlines.outline, -settings.width / 2)
    rings = _longest_loops(moved)
    end = next((k for k in range(first, len(outlines.which)) if len(rings[outlines.which[k]]) < 3), len(outlines.which))
    taken = [rings[k] for k in outlines.which[first - 1 : end]]
    if end <= first or len(taken[0]) < 3:
        return blocks
    a, b = blocks.block[blocks.which[first - 1]], blocks.block[blocks.which[first - 1] + 1]
    near = blocks.paths.xy[blocks.paths.start[b] - 1] if b > a else taken[0][0]
    xy, climb, start = _wound(
        np.concatenate(taken),
        starts_of(np.array([len(ring) for ring in taken], np.int64)),
        heights.thick[first - 1 : end].astype(np.float64),
        settings.width,
        near,
    )
    return _joined(blocks, xy, climb, start, np.append(np.arange(first, end), end - 1), settings.width)


def level_ones(blocks: Blocks, first: int) -> Blocks:
    """Return the blocks without what is laid from a layer on."""
    which = blocks.which.copy()
    which[first:] = len(blocks.block) - 1
    return replace(blocks, which=which, block=np.append(blocks.block, blocks.block[-1]))


def with_turns(
    ledger: Ledger, blocks: Blocks, outlines: Outlines, thick: NDArray[np.float64], first: int, flow: float
) -> Ledger:
    """Put down what the turns of a rising line are to fill, and what they lay.

    Each layer is to hold a band as wide as the line fills, along its outline. A turn lies in two layers, so what is
    void, lies twice or outside cannot be told by layer.
    """
    paths, rows = blocks.paths, ledger.rows.copy()
    layers = np.arange(first, len(blocks.which))
    begin, end = blocks.block[blocks.which[layers]], blocks.block[blocks.which[layers] + 1]
    layers, begin, end = (some[end > begin] for some in (layers, begin, end))
    if len(layers) == 0:
        return ledger
    width, high = float(paths.width[begin[0]]), thick[layers]
    filled = plastic_width(width, high)
    kinds = outlines.outline[outlines.which[layers]]
    step = np.hypot(*np.diff(paths.xy, axis=0).T) * (paths.climbs()[1:, 1] + paths.climbs()[:-1, 1]) / 2
    laid = np.append(0.0, np.cumsum(step))
    each = laid[paths.start[1:] - 1] - laid[paths.start[:-1]]
    long = np.array([each[a:b].sum() for a, b in zip(begin, end, strict=True)])
    rows[layers, 0] = region.area(kinds) - region.area(region.offset(kinds, -filled))
    rows[layers, 1] = long * section_area(width, high) * flow / high
    return Ledger(rows, ledger.gap)


def _joined(
    blocks: Blocks, xy: NDArray[np.float64], climb: NDArray[np.float64], start: Index, layer: Index, width: float
) -> Blocks:
    """Put paths of the rising line, each of a layer, behind the blocks: one block a layer."""
    count = len(layer)
    rising = Ordered(
        xy,
        start,
        np.full(count, OUTER_WALL, np.uint8),
        np.full(count, width, np.float32),
        np.zeros(count, np.float32),
        np.full(count, ALL_HELD, np.uint8),
        np.append(False, np.ones(count - 1, np.bool_)),
        np.empty((0, 2)),
        np.zeros(count + 1, np.int64),
        climb,
    )
    which, content, layers = blocks.which.copy(), blocks.content.copy(), np.unique(layer)
    which[layers] = len(blocks.block) - 1 + np.arange(len(layers))
    content[layers] = content.max() + 1 + np.arange(len(layers))
    ends = blocks.block[-1] + np.searchsorted(layer, layers, side="right")
    return replace(
        blocks,
        which=which,
        content=content,
        paths=Ordered.joined([blocks.paths, rising]),
        block=np.concatenate((blocks.block, ends)).astype(np.int64),
    )


def _longest_loops(shapes: Regions) -> list[NDArray[np.float64]]:
    """Return the longest outer loop of each region, (n, 2) mm; none where there is none."""
    rings = region.rings(shapes)
    shells = np.flatnonzero(np.diff(rings.polygon, prepend=-1) > 0)
    found = [np.empty((0, 2))] * len(shapes)
    best = np.zeros(len(shapes))
    for ring in shells:
        loop, item = rings.xy[rings.start[ring] : rings.start[ring + 1]], rings.item[ring]
        long = float(np.hypot(*(np.roll(loop, -1, axis=0) - loop).T).sum())
        if long > best[item]:
            best[item], found[item] = long, loop
    return found


@kernel
def _nearest(xy, first, last, x, y):  # type: ignore[no-untyped-def]
    """Return the side of a ring that is nearest to a point, and which point of it."""
    best, side, bx, by = np.inf, first, 0.0, 0.0
    for i in range(first, last):
        j = i + 1 if i + 1 < last else first
        ux, uy = xy[j, 0] - xy[i, 0], xy[j, 1] - xy[i, 1]
        square = ux * ux + uy * uy
        along = ((x - xy[i, 0]) * ux + (y - xy[i, 1]) * uy) / square if square > 0.0 else 0.0
        along = min(max(along, 0.0), 1.0)
        px, py = xy[i, 0] + along * ux, xy[i, 1] + along * uy
        away = (x - px) ** 2 + (y - py) ** 2
        if away < best:
            best, side, bx, by = away, i, px, py
    return side, bx, by


@kernel
def _share(width, here, high):  # type: ignore[no-untyped-def]
    """Return the section of a line of some height as a share of that of the whole height."""
    rounding = np.pi / 4.0 - 1.0
    return here * (width + rounding * here) / (high * (width + rounding * high))


@kernel
def _wound(xy, start, thick, width, near):  # type: ignore[no-untyped-def]
    """Wind a line through rings, the first of which lies below it; returns points, climb and where each path begins.

    The last path runs round the last ring once more, level.
    """
    rings = start.shape[0] - 1
    room = 0
    for k in range(1, rings):
        more = xy[start[k] : start[k + 1]]
        long = 0.0
        for i in range(more.shape[0]):
            j = i + 1 if i + 1 < more.shape[0] else 0
            long += np.hypot(more[j, 0] - more[i, 0], more[j, 1] - more[i, 1])
        room += 2 * (2 * more.shape[0] + 4 + int(long / LONGEST))
    out, climb = np.empty((room, 2)), np.empty((room, 2))
    starts = np.zeros(rings + 1, np.int64)
    x, y = near[0], near[1]
    w = 0
    for turn in range(1, rings + 1):
        k = min(turn, rings - 1)
        closes = turn == rings
        a, b = start[k], start[k + 1]
        side, bx, by = _nearest(xy, a, b, x, y)
        bx, by = np.round(bx * 1000.0) / 1000.0, np.round(by * 1000.0) / 1000.0
        total = 0.0
        px, py = bx, by
        for step in range(b - a + 1):
            i = a + (side - a + 1 + step) % (b - a)
            tx, ty = (xy[i, 0], xy[i, 1]) if step < b - a else (bx, by)
            total += np.hypot(tx - px, ty - py)
            px, py = tx, ty
        gone = 0.0
        px, py = bx, by
        high, before = thick[k], thick[k - 1]
        for step in range(-1, b - a + 1):
            i = a + (side - a + 1 + step) % (b - a)
            tx, ty = (xy[i, 0], xy[i, 1]) if 0 <= step < b - a else (bx, by)
            far = np.hypot(tx - px, ty - py)
            pieces = max(1, int(np.ceil(far / LONGEST)))
            if step >= 0 and far == 0.0 and step < b - a:
                continue
            for n in range(1, pieces + 1):
                qx, qy = px + (tx - px) * n / pieces, py + (ty - py) * n / pieces
                share = min(1.0, (gone + far * n / pieces) / total)
                if closes:
                    out[w, 0], out[w, 1] = qx, qy
                    climb[w, 0], climb[w, 1] = 0.0, _share(width, high * (1.0 - share), high)
                else:
                    _, ux, uy = _nearest(xy, start[k - 1], start[k], qx, qy)
                    if (ux - qx) ** 2 + (uy - qy) ** 2 > (STEEP * width) ** 2:
                        ux, uy = qx, qy
                    out[w, 0], out[w, 1] = ux + (qx - ux) * share, uy + (qy - uy) * share
                    here = high * share if turn == 1 else before + (high - before) * share
                    climb[w, 0], climb[w, 1] = high * (1.0 - share), _share(width, here, high)
                out[w, 0] = np.round(out[w, 0] * 1000.0) / 1000.0
                out[w, 1] = np.round(out[w, 1] * 1000.0) / 1000.0
                if step < 0 and turn > 1:
                    out[w, 0], out[w, 1] = x, y
                w += 1
            gone += far
            px, py = tx, ty
        x, y = out[w - 1, 0], out[w - 1, 1]
        starts[turn] = w
    return out[:w].copy(), climb[:w].copy(), starts
