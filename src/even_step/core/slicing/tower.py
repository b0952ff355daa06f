"""The purge tower: a rounded square ring, filled where a change of extruder purges and open elsewhere."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import purge, skirt
from even_step.core.layout.nest import Ground, nest
from even_step.core.layout.shadow import box_shadow
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width, section_area
from even_step.core.plane.ragged import Index, Points
from even_step.core.slicing.ordering import Ordered, open_paths
from even_step.core.toolpath.courses import Courses
from even_step.core.toolpath.roles import PURGE

LEAST_SIDE = 12.0  # mm
ROUND = 2.0  # mm, of its corners
APART = 5.0  # mm, that it keeps off parts and feet
OPEN = 6  # every so many rows one is laid where nothing is purged


@dataclass(frozen=True)
class TowerSettings:
    """Whether there is one; what is purged at a change, mm³; the width and least height of its lines, mm."""

    kind: Annotated[str, purge.KIND]
    volume: Annotated[float, purge.VOLUME]
    line_width: Annotated[float, skirt.LINE_WIDTH]
    nozzle_least: float


@dataclass(frozen=True, eq=False)
class Tower:
    """Lines of the tower about its own middle.

    Attributes
    ----------
    side : float
        How wide it is, mm; 0 where there is none.
    paths : Ordered
        Layer by layer, change by change.
    layer : (P,) int64
        The layer of the bed each is in.
    turn : (P,) int64
        After which change of that layer it is laid: 0 for none.
    thick : (L,) float64
        How high its lines are in each layer of the bed, mm.
    """

    side: float
    paths: Ordered
    layer: Index
    turn: Index
    thick: NDArray[np.float64]

    def of(self, layer: int, turn: int) -> tuple[int, int]:
        """Return the first and the end of the paths that are laid in a layer after a change."""
        a, b = np.searchsorted(self.layer, (layer, layer + 1))
        first, end = np.searchsorted(self.turn[a:b], (turn, turn + 1))
        return int(a + first), int(a + end)


def build_tower(courses: Courses, volumes: list[tuple[int, float]], settings: TowerSettings) -> Tower:
    """Lay the tower.

    Parameters
    ----------
    courses
        What is laid.
    volumes
        Layer and mm³ of each change, in order.
    settings
        Its lines.

    Notes
    -----
    It is as wide as the largest layer's purge needs, and no taller than the last change.
    """
    if settings.kind == "none" or not volumes or sum(volume for _, volume in volumes) <= 0.0:
        none = np.empty(0, np.int64)
        return Tower(0.0, open_paths([], PURGE, 0.0), none, none, np.zeros(len(courses.top)))
    last = volumes[-1][0]
    thick = np.maximum(np.diff(courses.top, prepend=0.0), settings.nozzle_least)
    of_layer: list[list[float]] = [[] for _ in range(last + 1)]
    for layer, volume in volumes:
        of_layer[layer].append(volume)
    side = max(LEAST_SIDE, *(_side(sum(some), float(thick[k]), settings.line_width) for k, some in enumerate(of_layer)))
    lines: list[Points] = []
    layers: list[int] = []
    turn: list[int] = []
    for k, some in enumerate(of_layer):
        for number, laid in enumerate(_layer(side, float(thick[k]), some, settings.line_width, k)):
            for line in laid:
                lines.append(line)
                layers.append(k)
                turn.append(number + 1 if some else 0)
    return Tower(side, open_paths(lines, PURGE, settings.line_width), np.array(layers), np.array(turn), thick)


def tower_place(side: float, ground: Ground, taken: list[region.Geometry]) -> tuple[float, float]:
    """Find where the middle of a tower stands, mm: near the middle of the bed, clear of what is taken; else beside."""
    kept = tuple(region.offset_round(np.array(taken, object), APART)) if taken else ()
    room = replace(ground, keep_out=(*ground.keep_out, *kept))
    return nest([box_shadow(side, side)], room, (), 0.0)[0].at


def _side(volume: float, thick: float, width: float) -> float:
    """Return how wide a tower must be to hold a volume in one layer: its ring and full rows within."""
    return float(np.sqrt(volume / thick)) + 2 * width


def _layer(side: float, thick: float, volumes: list[float], width: float, number: int) -> list[list[Points]]:
    """Return the lines of one layer after each of its changes; without any, the open lines that carry what is above.

    Rows run along x in one layer and along y in the next.
    """
    section, step = float(section_area(width, thick)), float(plastic_width(width, thick))
    ring = _ring(side / 2 - width / 2)
    reach = side / 2 - width / 2 - step
    rows = max(1, int(2 * reach / step) + 1)
    at: NDArray[np.float64] = -reach + step * np.arange(rows, dtype=np.float64)
    left = [*volumes] if volumes else [0.0]
    spent = float(np.hypot(*np.diff(ring, axis=0).T).sum()) * section
    laid: list[list[Points]] = []
    row = 0
    for place, volume in enumerate(left):
        some = [ring] if place == 0 else []
        need = volume - (spent if place == 0 else 0.0)
        count = int(np.clip(np.ceil(need / (section * (2 * reach + step))), 0, rows - row))
        if count:
            some.append(_zigzag(at[row : row + count], reach))
        row += count
        laid.append(some)
    if number == 0:
        laid[-1] += [_zigzag(at[row:], reach)] if row < rows else []  # the first layer is full, to hold on
    elif row < rows:
        laid[-1].append(_zigzag(at[row + OPEN // 2 :: OPEN] if row + OPEN // 2 < rows else at[-1:], reach))
    return [[line[:, ::-1] if number % 2 else line for line in some if len(line) > 1] for some in laid]


def _zigzag(rows: NDArray[np.float64], reach: float) -> Points:
    """Return rows at some heights as one line, there and back."""
    ends = np.stack((np.repeat(rows, 2), np.tile((0.0, 1.0, 1.0, 0.0), len(rows))[: 2 * len(rows)]), axis=1)
    return np.stack((reach * (2 * ends[:, 1] - 1), ends[:, 0]), axis=1)


def _ring(half: float) -> Points:
    """Return a closed square with round corners."""
    inner = np.array([region.rectangle(-half + ROUND, -half + ROUND, half - ROUND, half - ROUND)], object)
    return region.rings(region.offset_round(inner, ROUND)).loops()[0]
