"""How slim the columns of supports are: each one's height, and its width where it is slimmest."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Points
from even_step.core.slicing.supports.body import SupportBody
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
    """

    width: NDArray[np.float64]
    height: NDArray[np.float64]
    at: Points
    bottom: NDArray[np.float64]

    @property
    def slenderness(self) -> NDArray[np.float64]:
        """Heights to widths, (n,)."""
        return self.height / self.width

    @property
    def slimmest(self) -> int:
        """The number of the column that is highest for its width, below 0 for none."""
        return int(np.argmax(self.slenderness)) if len(self.width) else -1


def slimness(body: SupportBody, line_width: float, crew: Crew) -> Slimness:
    """Measure the columns of a body."""
    used = np.unique(body.which)
    if len(used) == 0:
        none = np.empty(0)
        return Slimness(none, none, np.empty((0, 2)), none)
    some = used[np.unique(np.linspace(0, len(used) - 1, MOST_SHAPES).astype(int))]
    plan = np.array([region.union_all(body.shape[some])], object)
    columns, _ = region.pieces(region.offset(plan, line_width / 2))

    def look(first: int, last: int) -> NDArray[np.float64]:
        return np.array([_column(body, columns[i : i + 1], line_width) for i in range(first, last)]).reshape(-1, 3)

    found = np.concatenate(crew.each(look, runs_of(region.size_in_points(columns), most=500)))
    return Slimness(found[:, 0], found[:, 1], region.centres(columns), found[:, 2])


def _column(body: SupportBody, column: region.Regions, line_width: float) -> tuple[float, float, float]:
    """Return width, height and bottom of one column, mm."""
    there = region.touches(body.shape, np.repeat(column, len(body.shape)))[body.which]
    courses = np.flatnonzero(there)
    bottom = float((body.top - body.thick)[courses].min())
    height = float(body.top[courses].max()) - bottom
    low = courses[body.top[courses] <= bottom + max(TIP * height, float(body.thick[courses[0]]) + 1e-6)]
    some = low[np.unique(np.linspace(0, len(low) - 1, LOOKED_AT).astype(int))]
    sections = region.offset(body.shape[body.which[some]], line_width / 2)
    areas = region.area(region.intersection(sections, np.repeat(column, len(some))))
    return 2.0 * float(np.sqrt(max(areas.min(), line_width**2) / np.pi)), height, bottom
