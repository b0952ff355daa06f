"""Where infill is denser: near the walls or below the tops; away from them cells double as often as there is room."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.patterns.pattern import LayerRooms, PatternLayout
from even_step.core.work import Crew, runs_of

LEAST_CORE = 4.0  # mm²; less room is not worth lines of its own
MOST_TIMES = 3  # that cells double: farther apart lines carry nothing


def depth_of(depth: float, times: int) -> float:
    """Return how far from the surface cells have doubled so often, mm; rings grow deeper as cells grow wider."""
    return float(depth * (2**times - 1))


def graded(
    storey: LayerRooms, to: str, depth: float, thick: NDArray[np.float64], layout: PatternLayout, crew: Crew
) -> list[tuple[LayerRooms, PatternLayout]]:
    """Part the lines of a pattern into those that lie everywhere and those that lie only near the surface.

    Parameters
    ----------
    storey
        The rooms.
    to
        ``walls`` or ``tops``.
    depth
        How deep the pattern has its full density, mm.
    thick
        Thickness of each layer, mm.
    layout
        The pattern at its full density, as it lies near the surface.

    Returns
    -------
    list of rooms and how the lines in them lie
        Together they come to the full density near the surface, and to half as much from each depth on at which cells
        double. Rooms that are nowhere that deep hold the pattern undivided: to lay it in two would only add ends.
    """
    near = [near_surface(storey, to, depth_of(depth, times), thick, crew) for times in range(1, MOST_TIMES + 1)]
    times = np.stack([_is_deeper(storey, one, crew) for one in near]).sum(axis=0)  # of each layer
    out = []
    for count in range(MOST_TIMES + 1):
        mine = times == count
        if not mine.any():
            continue
        share = layout.share / 2**count
        out.append((_only(storey, mine), replace(layout, share=share, whole=layout.share)))
        for doubled in range(count, 0, -1):
            lies = replace(layout, share=layout.share / 2**doubled, shift=0.5, whole=layout.share)
            out.append((_only(near[doubled - 1], mine), lies))
    return out


def _only(rooms: LayerRooms, some: NDArray[np.bool_]) -> LayerRooms:
    """Return the rooms of some layers alone."""
    return replace(rooms, which=np.where(some, rooms.which, -1))


def _is_deeper(storey: LayerRooms, near: LayerRooms, crew: Crew) -> NDArray[np.bool_]:
    """Tell in which layers there is room that is not near, (L,)."""
    layers = np.flatnonzero((storey.which >= 0) & (near.which >= 0))
    out = np.zeros(len(storey.which), np.bool_)
    pairs, place = np.unique(np.stack((storey.which[layers], near.which[layers]), axis=1), axis=0, return_inverse=True)

    def look(first: int, last: int) -> NDArray[np.bool_]:
        whole, part = storey.rooms[pairs[first:last, 0]], near.rooms[pairs[first:last, 1]]
        return np.asarray(region.area(whole) - region.area(part) > LEAST_CORE)

    done = crew.each(look, runs_of(np.ones(len(pairs)), least_runs=4))
    if done:
        out[layers] = np.concatenate(done)[place.ravel()]
    return out


def near_surface(storey: LayerRooms, to: str, depth: float, thick: NDArray[np.float64], crew: Crew) -> LayerRooms:
    """Return what of the rooms lies within a depth in mm of the ``walls``, or below the ``tops``."""
    if to == "walls":
        runs = runs_of(region.size_in_points(storey.rooms), most=20_000)
        rooms = storey.rooms
        done = crew.each(lambda a, b: region.difference(rooms[a:b], region.offset(rooms[a:b], -depth)), runs)
        return replace(storey, rooms=np.concatenate(done) if done else rooms)
    return _below_tops(storey, depth, thick, crew)


def _below_tops(storey: LayerRooms, depth: float, thick: NDArray[np.float64], crew: Crew) -> LayerRooms:
    """Take from each room what still is room everywhere up to a depth above it."""
    count = len(storey.which)
    own = np.flatnonzero(storey.which >= 0)
    top = np.cumsum(thick)
    kept: Regions = region.nothing(count)

    def cut(first: int, last: int) -> Regions:
        out = region.nothing(last - first)
        for at, layer in enumerate(own[first:last]):
            above = np.unique(storey.which[layer + 1 : np.searchsorted(top, top[layer] + depth, side="right")])
            mine = storey.rooms[storey.which[layer] : storey.which[layer] + 1]
            if top[-1] < top[layer] + depth or not len(above):
                out[at] = mine[0]
                continue
            open_ = mine
            for number in above[above >= 0]:
                open_ = region.intersection(open_, storey.rooms[number : number + 1])
            out[at] = region.difference(mine, open_)[0]
        return out

    done = crew.each(cut, runs_of(np.ones(len(own)), least_runs=32))
    if done:
        kept[own] = np.concatenate(done)
    return replace(storey, which=np.where(storey.which >= 0, np.arange(count), -1), rooms=kept)
