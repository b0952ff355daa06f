"""Columns of supports that are slim for their height: the nozzle bends them, or tears them off.

What the nozzle pulls at a column with grows with the speed of its lines, and is more where it does not rise on its
way: it knocks against what has curled. A column bends as a beam that is held at its foot (Euler and Bernoulli), its
section a ring of one line; it comes off where the pull at its top is more than its foot holds.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed
from even_step.core.mesh.patches import nearest
from even_step.core.slicing.sway import STIFFNESS

LOW = 8.0  # mm, a lower column stands well however slim
WIDEST = 20.0  # mm, that the remedy widens to
PULL = 0.5  # N, of a line laid with ``AT`` mm/s
AT = 80.0
KNOCK = 0.25  # N more, where the nozzle rises by less than ``RISES``
RISES = 0.2  # mm
BENDS = 3.0  # line widths: lines then no longer meet those beneath
GRIP_OF_BED = 3.0  # N/mm²
GRIP_OF_PART = 1.5  # N/mm², over a gap


@dataclass(frozen=True, eq=False)
class _Hold:
    """What pulls at a part's columns, N, and what holds them: line width, growth of the foot on the bed, mm."""

    pull: float
    width: float
    growth: float

    def risk(
        self,
        wide: NDArray[np.float64],
        tall: NDArray[np.float64],
        foot: NDArray[np.float64],
        on_bed: NDArray[np.bool_],
    ) -> NDArray[np.float64]:
        """Return how near columns come to be knocked over, (n,); over 1 they are."""
        stiff = np.minimum(np.pi * wide**3 * self.width / 8.0, np.pi * wide**4 / 64.0)
        bends = self.pull * tall**3 / (3.0 * STIFFNESS * stiff) / (BENDS * self.width)
        grip = np.where(on_bed, GRIP_OF_BED, GRIP_OF_PART) * foot[:, 0] * foot[:, 1] / 2.0
        return np.where(tall > LOW, np.maximum(bends, self.pull * tall / np.maximum(grip, 1e-9)), 0.0)

    def wide_enough(self, tall: float, on_bed: NDArray[np.bool_]) -> float | None:
        """Return how wide a column stands well, mm; none for one that is too wide."""
        for wide in np.arange(1.0, WIDEST + 0.5, 0.5):
            foot = wide + 2.0 * self.growth * bool(on_bed[0])
            area = np.pi * (foot - self.width) * self.width
            if self.risk(np.array([wide]), np.array([tall]), np.array([[area, foot]]), on_bed)[0] <= 1.0:
                return float(wide)
        return None


def check(evidence: Evidence) -> list[Finding]:
    """Find each part's column that is knocked over most easily, where one is."""
    found = []
    for part, solid in evidence.first_of_each():
        slim, own = solid.slimness, solid.settings
        if len(slim.width) == 0:
            continue
        pull = PULL * float(own["supports.speed"]) / AT + (KNOCK if evidence.lift < RISES else 0.0)
        hold = _Hold(pull, float(own["supports.line_width"]), float(own["supports.first_growth"]))
        risk = hold.risk(slim.width, slim.height, slim.foot, slim.bottom < 1e-6)
        if risk.max() > 1.0:
            found.append(_finding(evidence, part, solid, hold, risk))
    return found


def _finding(
    evidence: Evidence, part: PlacedPart, solid: SlicedSolid, hold: _Hold, risk: NDArray[np.float64]
) -> Finding:
    slim, column = solid.slimness, int(np.argmax(risk))
    width, height = float(slim.width[column]), float(slim.height[column])
    more = f"; {count} more are too slim" if (count := int((risk > 1.0).sum()) - 1) else ""
    top = float(slim.bottom[column]) + height
    wide = hold.wide_enough(height, slim.bottom[[column]] < 1e-6)
    speed = float(solid.settings["supports.speed"])
    remedy = "lay supports slower" + (" or let the nozzle rise at them" if evidence.lift < RISES else "")
    return Finding(
        "support-slim",
        "warn",
        part.title,
        *evidence.layer_of(part, solid.layer_at(top)),
        to_bed(part, slim.at[column]),
        round(height, 3),
        "mm",
        f"a column under {part.title} is {height:.1f} mm tall, {width:.1f} mm wide and laid with {speed:g} mm/s: "
        f"it may be knocked over{more}",
        f"widen it there to {wide:g} mm, or {remedy}" if wide else remedy,
        *part.ids,
        _widened(part, solid, hold, np.flatnonzero(risk > 1.0)),
    )


def _widened(part: PlacedPart, solid: SlicedSolid, hold: _Hold, columns: NDArray[np.int64]) -> Fix | None:
    """Return the remedy that widens columns where they stand: a post in the place of each."""
    posts = [_post(solid, hold, column) for column in columns.tolist()]
    some = tuple(post for post in posts if post)
    if not some:
        return None
    which = "this column" if len(some) == 1 else f"these {len(some)} columns"
    return Fix(f"Widen {which} under {part.name}", {}, some)


def _post(solid: SlicedSolid, hold: _Hold, column: int) -> tuple[float, float, float, float] | None:
    """Return the spot that a post in the place of a column is to hold, in the part's frame, and how wide it is, mm."""
    slim = solid.slimness
    wide = hold.wide_enough(float(slim.height[column]), slim.bottom[[column]] < 1e-6)
    top = float(slim.bottom[column] + slim.height[column]) - solid.heights.base
    if wide is None or len(solid.under.facets.corners) == 0:
        return None
    point = np.array([*slim.head[column], top + float(solid.settings["supports.gap_above"])])
    spot = nearest(solid.under.facets.corners, point)
    x, y, z = np.round(solid.under.by_hand.told(spot.at), 3).tolist()
    return x, y, z, wide
