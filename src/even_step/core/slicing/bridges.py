"""Stage 5, over air: what of the bottoms is held at both ends becomes a bridge of free strands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges as keys
from even_step.core.plane import cut, region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Geometry, Regions
from even_step.core.plane.spans import Span, best_span, longest_line, shortest_chord
from even_step.core.work import Crew, runs_of

LEAST_WIDTH = 1.0  # mm, what is narrower is the overhang of a slope
LEAST_HELD = 0.6  # of the lines' length: less is no bridge
PIECES = 12  # of a gap round a hole, each laid its own way
SHORTER = 0.7  # of the longest span laid all one way: only then it is parted


@dataclass(frozen=True)
class BridgeSettings:
    """How far the lines of a bridge lie on what holds them, mm; ``bore`` is the nozzle's."""

    LAYS: ClassVar[str] = "covers"

    anchor: Annotated[float, keys.ANCHOR]
    bore: float


@dataclass(frozen=True, eq=False)
class Bridges:
    """Bridges found in some divisions.

    Attributes
    ----------
    division : (B,) int64
        The division each lies in, not falling.
    shape : (B,) regions
        What is laid as a bridge, with what lies on its holds.
    angle : (B,) float64
        Direction of its lines, degrees.
    longest : (B,) float64
        Its longest free span, mm.
    """

    division: Index
    shape: Regions
    angle: NDArray[np.float64]
    longest: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class _Piece:
    """One entry of ``Bridges``."""

    shape: Geometry
    angle: float
    longest: float


def find_bridges(bottom: Regions, below: Regions, inner: Regions, settings: BridgeSettings, crew: Crew) -> Bridges:
    """Find bridges among bottoms.

    Parameters
    ----------
    bottom : (D,) regions
        What lies over air, mm.
    below : (D,) regions
        Outline of the layer below; empty where that is the bed.
    inner : (D,) regions
        The inside of the walls: bridges may reach there.
    """
    parts, owner = region.pieces(bottom)
    wide = region.mean_width(parts) >= LEAST_WIDTH
    wide &= ~region.is_empty(below)[owner]
    parts, owner = parts[wide], owner[wide]

    def look(first: int, last: int) -> list[tuple[int, _Piece]]:
        found: list[tuple[int, _Piece]] = []
        some, its = parts[first:last], owner[first:last]
        whole = region.intersection(region.offset(some, settings.anchor), inner[its])
        for i, division in enumerate(its.tolist()):
            pieces = _pieces(some[[i]], below[[division]], whole[[i]])
            found += [(division, piece) for piece in pieces]
        return found

    found = [one for run in crew.each(look, runs_of(region.size_in_points(parts), most=2_000)) for one in run]
    shape = region.nothing(len(found))
    for i, (_, piece) in enumerate(found):
        shape[i] = piece.shape
    return Bridges(
        np.array([division for division, _ in found], np.int64),
        shape,
        np.array([piece.angle for _, piece in found], np.float64),
        np.array([piece.longest for _, piece in found], np.float64),
    )


def _pieces(gap: Regions, hold: Regions, whole: Regions) -> list[_Piece]:
    """Say how a gap is bridged, (1,) regions each: all in one direction, round a hole piece by piece, or not at all."""
    span = best_span(gap, hold)
    wedges = cut.wedges(gap[0], PIECES)
    if len(wedges) and span.longest > 0.0:
        cells = region.intersection(np.repeat(gap, PIECES), wedges)
        chords = [] if region.is_empty(cells).any() else [_across(gap, hold, cells[[i]]) for i in range(PIECES)]
        longest = [longest_line(cells[[i]], chord.angle) for i, chord in enumerate(chords)]
        if chords and all(chord.held for chord in chords) and max(longest) < SHORTER * span.longest:
            laid = region.intersection(np.repeat(whole, PIECES), wedges)
            return [_Piece(laid[i], chord.angle, longest[i]) for i, chord in enumerate(chords)]
    return [_Piece(whole[0], span.angle, span.longest)] if span.held >= LEAST_HELD else []


def _across(gap: Regions, hold: Regions, cell: Regions) -> Span:
    """Return the shortest way over a gap through the middle of one of its cells."""
    x, y = region.centres(cell)[0].tolist()
    return shortest_chord(gap, hold, x, y)
