"""Where infill is denser: near the walls, or below the tops."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.patterns.pattern import LayerRooms
from even_step.core.work import Crew, runs_of


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
