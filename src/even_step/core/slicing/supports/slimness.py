"""How slim the columns of supports are: each one's height, and its width where it is slimmest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points
from even_step.core.slicing.supports.body import SupportBody
from even_step.core.slicing.supports.lines import SupportLineSettings
from even_step.core.work import Crew, runs_of

MOST_SHAPES = 100  # that columns are told apart by: one that is in none of them is too low to be slim
LOOKED_AT = 6  # courses of a column, evenly from its foot up
TIP = 0.8  # of a column's height: what is over it bends nothing


@dataclass(frozen=True, eq=False)
class Slimness:
    """Columns, each a piece of what supports cover seen from above.

    Attributes
    ----------
    width : (n,) float64
        Of a circle as large as the column's smallest section below its tip, mm.
    height : (n,) float64
        From its foot to its top, mm.
    at : (n, 2) float64
        Where it stands, mm.
    bottom : (n,) float64
        How high its foot is over the bed, mm.
    foot : (n, 2) float64
        What of its foot is laid, mm², about; and the width of a circle as large as the foot, mm.
    head : (n, 2) float64
        A place on its top, mm.
    """

    width: NDArray[np.float64]
    height: NDArray[np.float64]
    at: Points
    bottom: NDArray[np.float64]
    foot: NDArray[np.float64]
    head: Points

    @property
    def slenderness(self) -> NDArray[np.float64]:
        """Heights to widths, (n,)."""
        return self.height / self.width

    @property
    def slimmest(self) -> int:
        """The number of the column that is highest for its width, below 0 for none."""
        return int(np.argmax(self.slenderness)) if len(self.width) else -1


def slimness(body: SupportBody, settings: SupportLineSettings, crew: Crew) -> Slimness:
    """Measure the columns of a body, which ``settings`` fill with lines."""
    used = np.unique(body.which)
    if len(used) == 0:
        none, nowhere = np.empty(0), np.empty((0, 2))
        return Slimness(none, none, nowhere, none, nowhere, nowhere)
    some = used[np.unique(np.linspace(0, len(used) - 1, MOST_SHAPES).astype(int))]
    plan = np.array([region.union_all(body.shape[some])], object)
    columns, _ = region.pieces(region.offset(plan, settings.line_width / 2))

    def look(first: int, last: int) -> list[_Column]:
        return [_column(body, columns[i : i + 1], settings) for i in range(first, last)]

    found = [one for some in crew.each(look, runs_of(region.size_in_points(columns), most=500)) for one in some]
    width, height, bottom, foot, head = (np.array(values) for values in zip(*found, strict=True))
    return Slimness(width, height, region.centres(columns), bottom, foot, head)


class _Column(NamedTuple):
    width: float
    height: float
    bottom: float
    foot: tuple[float, float]
    head: tuple[float, float]


def _column(body: SupportBody, column: region.Regions, settings: SupportLineSettings) -> _Column:
    there = region.touches(body.shape, np.repeat(column, len(body.shape)))[body.which]
    courses = np.flatnonzero(there)
    bottom = float((body.top - body.thick)[courses].min())
    height = float(body.top[courses].max()) - bottom
    low = courses[body.top[courses] <= bottom + max(TIP * height, float(body.thick[courses[0]]) + 1e-6)]
    some = low[np.unique(np.linspace(0, len(low) - 1, LOOKED_AT).astype(int))]

    def sections(numbers: Index) -> region.Regions:
        wide = region.offset(body.shape[body.which[numbers]], settings.line_width / 2)
        return region.intersection(wide, np.repeat(column, len(numbers)))

    areas = region.area(sections(some))
    foot, head = sections(courses[[0]]), sections(courses[[-1]])
    pieces, _ = region.pieces(head)
    x, y = region.centres(pieces[[int(np.argmax(region.area(pieces)))]])[0].tolist() if len(pieces) else (0.0, 0.0)
    width = 2.0 * float(np.sqrt(max(areas.min(), settings.line_width**2) / np.pi))
    thick = float(body.thick[courses[0]])
    return _Column(width, height, bottom, _laid(foot, thick, settings, on_bed=bottom < 1e-6), (x, y))


def _laid(foot: region.Regions, thick: float, settings: SupportLineSettings, *, on_bed: bool) -> tuple[float, float]:
    """Return how much of a foot is laid, mm², about, and how wide it is, mm.

    A foot that is no wider than its lines lie apart is a line round it.
    """
    area, around = float(region.area(foot)[0]), float(region.perimeter(foot)[0]) * settings.line_width
    wide, apart = 2.0 * float(np.sqrt(area / np.pi)), settings.distance(thick)
    ringed = wide - settings.line_width < apart + (2.0 * settings.growth if on_bed else 0.0)
    ways = 2.0 if settings.kind == "grid" else 1.0
    filled = area * min(ways * settings.line_width / apart, 1.0)
    return min(around if ringed or settings.outline else filled, area), wide
