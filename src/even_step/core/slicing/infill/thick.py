"""Infill laid once for several layers: where all of them have room for it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.patterns.pattern import LayerRooms
from even_step.core.slicing.storeys import storeys
from even_step.core.work import Crew, runs_of


def in_storeys(rooms: LayerRooms, wanted: int, highest: float, crew: Crew) -> tuple[LayerRooms, ...]:
    """Part the rooms into what is laid with each layer and what is laid at once with the topmost of several.

    Parameters
    ----------
    rooms
        The rooms of each layer.
    wanted, highest
        How many layers at once, and how high a line may be, mm; see ``storeys``.
    """
    thick = rooms.height
    layers = storeys(thick, wanted, highest)
    if len(layers) == 0:
        return (rooms,)
    at_once = layers.shape[1]
    sets, group_set = np.unique(rooms.which[layers], axis=0, return_inverse=True)

    def shared(first: int, last: int) -> Regions:
        common = rooms.rooms[sets[first:last, 0]]
        for column in range(1, at_once):
            common = region.intersection(common, rooms.rooms[sets[first:last, column]])
        return common

    weights = region.size_in_points(rooms.rooms)[sets].sum(axis=1)
    common = np.concatenate(crew.each(shared, runs_of(weights, most=20_000)))
    pairs, place = np.unique(
        np.stack((rooms.which[layers].ravel(), np.repeat(group_set.ravel(), at_once)), axis=1),
        axis=0,
        return_inverse=True,
    )
    rest = np.concatenate(
        crew.each(
            lambda a, b: region.difference(rooms.rooms[pairs[a:b, 0]], common[pairs[a:b, 1]]),
            runs_of(region.size_in_points(rooms.rooms[pairs[:, 0]]), most=20_000),
        )
    )
    which = rooms.which.copy()
    which[layers.ravel()] = len(rooms.rooms) + place.ravel()
    tops, high = np.full(len(thick), -1, np.int64), thick.copy()
    tops[layers[:, -1]] = group_set.ravel()
    high[layers[:, -1]] = thick[layers].sum(axis=1)
    turn = np.maximum(np.arange(len(thick)) - 1, 0) // at_once  # or with an even number lines would never cross
    return (
        replace(rooms, which=which, rooms=np.concatenate((rooms.rooms, rest))),
        LayerRooms(tops, common, high, rooms.z, is_thick=True, turn=turn),
    )
