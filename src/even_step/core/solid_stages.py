"""The stages of one posed solid: what of a job is made once for all copies of a part."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue.setting import take
from even_step.core.findings.finding import SlicedSolid
from even_step.core.job.cascade import Resolved
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.slicing.covers import Covers, CoverSettings, covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.infill import InfillSettings, infill
from even_step.core.slicing.ledger import Ledger, ledger
from even_step.core.slicing.ordering import Blocks, OrderSettings, order_lines
from even_step.core.slicing.regions import RegionSettings, regions
from even_step.core.slicing.walls import WallSettings, walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.stages import StageRun


@dataclass(frozen=True, eq=False)
class PosedSolid:
    """A posed mesh with the hash of what it was made from."""

    model: Model
    mesh: Mesh
    matrix: NDArray[np.float64]
    key: str


class SolidStages:
    """The stages of one solid, in its own frame."""

    def __init__(
        self,
        solid: PosedSolid,
        heights: Heights,
        heights_key: str,
        wall: WallSettings,
        overhang: float,
        resolved: Resolved,
        run: StageRun,
    ) -> None:
        self.solid, self.values, self.run = solid, resolved.values, run
        tall = float(solid.mesh.bounds[1, 2])
        count = heights.count_for(tall)
        cuts, self.thick = heights.cuts[:count], heights.thick[:count]
        cuts[:1] = np.minimum(cuts[:1], tall / 2)  # a part thinner than half a layer is not to be missed
        crew = run.crew
        cut = take(ContourSettings, self.values)
        self.contours, key = run.stage(
            "contours", (solid.key, heights_key, cut), lambda: contours(solid.mesh, cuts, cut, crew)
        )
        allow = take(RegionSettings, self.values)
        self.outlines, key = run.stage("regions", (key, allow), lambda: regions(self.contours, allow, crew))
        self.walls, self.wall_key = run.stage(
            "walls", (key, wall), lambda: walls(self.outlines, self.thick, wall, crew)
        )
        cover = take(CoverSettings, self.values)
        bridge = take(BridgeSettings, self.values, bore=wall.bore)
        self.heights, self.bore, self.overhang = heights, wall.bore, overhang
        self.covers: Covers
        self.covers, self.cover_key = run.stage(
            "covers",
            (self.wall_key, cover, bridge),
            lambda: covers(self.outlines, self.walls, heights, cover, bridge, crew),
        )
        self.first: tuple[Blocks, str] | None = None

    def result(self) -> SlicedSolid:
        """Return what the findings look at."""
        return SlicedSolid(self.solid.model, self.solid.mesh, self.contours, self.outlines, self.walls, self.covers)

    def blocks_at(self, at: tuple[float, float]) -> tuple[Blocks, str]:
        """Fill and order the solid where it stands, for patterns lie in bed coordinates."""
        run, crew = self.run, self.run.crew
        chosen = take(InfillSettings, self.values, bore=self.bore, overhang=self.overhang)
        order, ways = take(OrderSettings, self.values), take(WaySettings, self.values)
        origin = (-at[0], -at[1])
        filled, key = run.stage(
            "infill",
            (self.cover_key, chosen, origin),
            lambda: infill(self.walls, self.covers, self.heights, origin, chosen, crew),
        )
        if not any(len(fill.lines.start) > 1 for fill in filled):
            key = self.cover_key  # without infill it is all the same how it would have been laid
        blocks, key = run.stage(
            "order",
            (key, order, ways),
            lambda: order_lines(
                self.outlines, self.walls, (*self.covers.fills, *filled, *self.covers.tops), order, ways, crew
            ),
        )
        self.first = self.first or (blocks, key)
        return blocks, key

    def ledger(self) -> Ledger:
        """Measure the solid's layers, at the first place it stands at."""
        if self.first is None:
            return Ledger(np.zeros((0, 5)), np.zeros((0, 2)))
        blocks, key = self.first
        measured, _ = self.run.stage(
            "ledger", (key,), lambda: ledger(self.outlines, self.covers, blocks, self.thick, self.run.crew)
        )
        return measured
