"""Stage 3, round holes: few straight sides that touch the circle as drawn, turned by half a side each layer.

A line that is drawn round a hole is pulled inward as it cools, and a mesh's circle is a polygon within it; both make
holes small. Sides that touch the circle at their middles leave room for all of it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import holes
from even_step.core.mesh.rounds import FLAT, Rounds
from even_step.core.plane import region
from even_step.core.plane.nest import nested_rings
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.zones import Footprints
from even_step.core.work import Crew, runs_of

ON_CIRCLE = 0.03  # mm that an outline may lie off a circle, simplified as it is
SIDES_PER_MM = 2.0
LEAST_SIDES = 3
FLUSH = 1e-6  # mm
Asked = NDArray[np.bool_]


@dataclass(frozen=True)
class HoleSettings:
    """Which of the round holes and bosses are laid with few sides."""

    true_size: Annotated[bool, holes.TRUE_SIZE]
    round_bosses: Annotated[bool, holes.ROUND_BOSSES]

    @property
    def asked(self) -> bool:
        """Whether any are."""
        return self.true_size or self.round_bosses

    def picks(self, hole: NDArray[np.bool_]) -> Asked:
        """Return which are wanted, of holes and bosses."""
        return np.where(hole, self.true_size, self.round_bosses)


@dataclass(frozen=True, eq=False)
class FewSided:
    """Outlines in which some of what is round is laid with few sides.

    Attributes
    ----------
    outlines
        With it.
    rounds
        What is round.
    laid : (L, n) bool
        Which of it is laid with few sides in a layer.
    """

    outlines: Outlines
    rounds: Rounds
    laid: Asked


def sides_of(across: float) -> int:
    """Return how many sides a circle of a diameter, mm, gets."""
    return max(LEAST_SIDES, round(SIDES_PER_MM * across))


def polygon(rounds: Rounds, one: int, *, turned: bool) -> NDArray[np.float64]:
    """Return the corners of what is laid for one, (n, 2) mm: sides touch a hole's circle, corners a boss's."""
    count, radius = sides_of(float(rounds.across[one])), float(rounds.across[one]) / 2
    if rounds.hole[one]:
        radius /= np.cos(np.pi / count)
    turn = (np.arange(count) + (1.0 if turned else 0.5)) * (2 * np.pi / count)
    corners = rounds.middle[one] + radius * np.stack((np.cos(turn), np.sin(turn)), axis=1)
    return np.asarray(np.round(corners, 3) + 0.0)


def with_few_sides(
    outlines: Outlines, cuts: NDArray[np.float64], rounds: Rounds, wanted: Asked, crew: Crew
) -> FewSided:
    """Lay round holes and bosses with few sides, where an outline runs along their whole circle.

    Parameters
    ----------
    outlines
        Of one solid.
    cuts : (L,) float64
        At which height each layer was cut, mm.
    rounds
        What is round in it.
    wanted : (L, n) bool
        Which of these are wanted in each layer.
    crew
        Who does the work.
    """
    ring, outline, one = _along(outlines, rounds)
    within = (rounds.low - FLUSH <= cuts[:, None]) & (cuts[:, None] <= rounds.high + FLUSH) & wanted
    there = np.zeros((len(outlines.outline), rounds.count), np.bool_)
    there[outline, one] = True
    laid = within & there[outlines.which]
    some = np.flatnonzero(laid.any(axis=1))
    if len(some) == 0:
        return FewSided(outlines, rounds, laid)
    keys = np.column_stack((outlines.which[some], some % 2, laid[some])).astype(np.int64)
    kinds, which = np.unique(keys, axis=0, return_inverse=True)
    ring_at = np.full(there.shape, -1, np.int64)
    ring_at[outline, one] = ring

    def lay(first: int, last: int) -> Regions:
        return _laid(outlines, rounds, ring_at, kinds[first:last])

    made = crew.each(lay, runs_of(region.size_in_points(outlines.outline[kinds[:, 0]]), most=20_000))
    all_of = outlines.which.copy()
    all_of[some] = len(outlines.outline) + which.ravel()
    kept, place = np.unique(all_of, return_inverse=True)
    done = Outlines(place.ravel().astype(np.int64), np.concatenate((outlines.outline, *made))[kept])
    return FewSided(done, rounds, laid)


def _along(outlines: Outlines, rounds: Rounds) -> tuple[Index, Index, Index]:
    """Return the rings that run along the whole circle of a hole or boss, their outlines, and which it is."""
    rings = outlines.rings
    shell = np.diff(rings.polygon, prepend=-1) > 0
    count = np.diff(rings.start)
    low, high = (reach.reduceat(rings.xy, rings.start[:-1], axis=0) for reach in (np.minimum, np.maximum))
    found: list[tuple[int, int, int]] = []
    for one in range(rounds.count):
        radius, middle = rounds.across[one] / 2, rounds.middle[one]
        off = np.maximum(np.abs(low - middle + radius), np.abs(high - middle - radius)).max(axis=1)
        near = np.flatnonzero((shell != rounds.hole[one]) & (off < FLAT + ON_CIRCLE) & (count >= LEAST_SIDES))
        for ring in near:
            away = np.hypot(*(rings.xy[rings.start[ring] : rings.start[ring + 1]] - middle).T)
            if away.max() <= radius + ON_CIRCLE and away.min() >= radius - FLAT - ON_CIRCLE:
                found.append((int(ring), int(rings.item[ring]), one))
    table = np.array(found, np.int64).reshape(-1, 3)
    return table[:, 0], table[:, 1], table[:, 2]


def _laid(outlines: Outlines, rounds: Rounds, ring_at: Index, kinds: Index) -> Regions:
    """Return outlines with what is round in them laid with few sides.

    ``kinds`` (K, 2 + n) says which outline, whether sides are turned, and which holes and bosses are meant.
    """
    done, rings = outlines.outline[kinds[:, 0]], outlines.rings
    for hole in (True, False):
        row, one = np.nonzero(kinds[:, 2:] * (rounds.hole == hole))
        if len(row) == 0:
            continue
        ring = ring_at[kinds[row, 0], one]
        drawn = [rings.xy[rings.start[k] : rings.start[k + 1]] for k in ring]
        meant = [polygon(rounds, int(k), turned=bool(turned)) for k, turned in zip(one, kinds[row, 1], strict=True)]
        old, new = (_filled(each, row, len(kinds)) for each in (drawn, meant))
        # By whole rings: what lies between the two is so thin that the grid would take bites out of it.
        if hole:
            within = region.intersection(done, old)
            done = region.union(region.difference(region.union(done, old), new), within)
        else:
            within = region.difference(old, done)
            done = region.union(region.difference(done, old), region.difference(new, within))
    return done


def _filled(loops: list[NDArray[np.float64]], row: Index, count: int) -> Regions:
    """Return the region within some rings of each of ``count`` rows."""
    start = starts_of(np.array([len(loop) for loop in loops], np.int64))
    ends = np.searchsorted(row, np.arange(count + 1))
    left = [loop if _runs_left(loop) else loop[::-1] for loop in loops]
    return nested_rings(np.concatenate(left), start, np.stack((ends[:-1], ends[1:]), axis=1).astype(np.int64))


def _runs_left(loop: NDArray[np.float64]) -> bool:
    x, y = loop.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) > 0.0


def picked_by_zone(
    rounds: Rounds, prints: Footprints, about: tuple[int, ...], of: Callable[[tuple[int, ...]], HoleSettings]
) -> Asked:
    """Return which are wanted in each layer, (L, n): each as the zones say in which its middle lies there.

    ``about`` are the zones that say anything, ``of`` tells what holds where some lie over one another.
    """
    holds = np.array([region.inside(outline, rounds.middle) for outline in prints.outline]).reshape(-1, rounds.count)
    over = holds[prints.which[list(about)]].reshape(len(about), -1)
    kinds, which = np.unique(over, axis=1, return_inverse=True)
    zones = [tuple(zone for zone, lies in zip(about, kind, strict=True) if lies) for kind in kinds.T]
    picks = np.array([of(some).picks(rounds.hole) for some in zones])
    return np.asarray(picks[which.reshape(-1, rounds.count), np.arange(rounds.count)])
