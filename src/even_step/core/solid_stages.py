"""The stages of one posed solid: what of a job is made once for all copies of a part."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue.setting import take
from even_step.core.faults import guarded
from even_step.core.findings.finding import SlicedSolid
from even_step.core.job.cascade import Resolved
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.slicing.covers import Covers, CoverSettings, covers
from even_step.core.slicing.hanging import Hanging, hanging
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.infill import InfillSettings, infill
from even_step.core.slicing.ledger import Ledger, LedgerSettings, ledger
from even_step.core.slicing.ordering import Blocks, OrderSettings, order_lines
from even_step.core.slicing.regions import RegionSettings, outlines_of
from even_step.core.slicing.walls import WallSettings, walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.stages import StageCache, StageRun
from even_step.core.work import Crew

T = TypeVar("T")
Limits: TypeAlias = tuple[float, float, float, float]


@dataclass(frozen=True, eq=False)
class PosedSolid:
    """A posed mesh with the hash of what it was made from, the settings it is laid with, and its part's name."""

    model: Model
    mesh: Mesh
    matrix: NDArray[np.float64]
    key: str
    resolved: Resolved
    title: str = ""


class SolidStages:
    """The stages of one solid, in its own frame."""

    def __init__(
        self,
        solid: PosedSolid,
        heights: Heights,
        heights_key: str,
        bore: float,
        limits: Limits,
        run: StageRun,
    ) -> None:
        self.solid, self.values, self.run = solid, solid.resolved.values, run
        self.heights, self.heights_key, self.bore, self.limits = heights, heights_key, bore, limits
        self.wall = take(WallSettings, self.values, bore=bore)
        self.first: tuple[Blocks, str] | None = None
        self._guarded(self._cut)

    def _guarded(self, make: Callable[[], T]) -> T:
        return guarded(make, self.solid.title, self.heights, self._attempt) if self.solid.title else make()

    def _attempt(self, heights: Heights) -> None:
        """Go through all stages with some of the layers, with nothing kept."""
        hands = Crew(cancelled=self.run.crew.cancelled)
        run = StageRun(hands, StageCache(0))
        nameless = replace(self.solid, title="")
        again = SolidStages(nameless, heights, "", self.bore, self.limits, run)
        again.blocks_at((0.0, 0.0), 0.0)
        again.ledger()

    def _cut(self) -> None:
        """Go through the stages that do not depend on where the solid stands."""
        solid, heights, heights_key, wall, run = self.solid, self.heights, self.heights_key, self.wall, self.run
        tall = float(solid.mesh.bounds[1, 2])
        count = heights.count_for(tall)
        cuts, self.thick = heights.cuts[:count], heights.thick[:count]
        if len(cuts) and heights.top[0] <= self.thick[0]:
            cuts[0] = min(cuts[0], tall / 2)  # a part thinner than half a layer is not to be missed
        crew = run.crew
        cut = take(ContourSettings, self.values)
        self.contours, key = run.stage(
            "contours", (solid.key, heights_key, cut), lambda: contours(solid.mesh, cuts, cut, crew)
        )
        allow = take(RegionSettings, self.values)
        self.outlines, key = run.stage("regions", (key, allow), lambda: outlines_of(self.contours, allow, crew))
        self.walls, self.wall_key = run.stage(
            "walls", (key, wall), lambda: walls(self.outlines, self.thick, wall, crew)
        )
        cover = take(CoverSettings, self.values)
        bridge = take(BridgeSettings, self.values, bore=self.bore)
        self.covers: Covers
        self.covers, self.cover_key = run.stage(
            "covers",
            (self.wall_key, cover, bridge),
            lambda: covers(self.outlines, self.walls, heights, cover, bridge, crew),
        )

    def result(self) -> SlicedSolid:
        """Return what the findings look at."""
        solid, first, crew = self.solid, float(self.heights.top[0]), self.run.crew
        one = [body.shells for body in solid.model.bodies] == [1]

        def find() -> Hanging:
            return hanging(solid.mesh, self.limits, first, crew, one_shell=one)

        hangs, _ = self.run.stage("hanging", (solid.key, self.limits, first), find)
        return SlicedSolid(
            solid.model,
            solid.mesh,
            self.values,
            self.wall,
            self.contours,
            self.outlines,
            self.walls,
            self.covers,
            hangs,
        )

    def blocks_at(self, at: tuple[float, float], turn: float) -> tuple[Blocks, str]:
        """Fill and order the solid where it stands; in the part's frame that makes no difference."""
        return self._guarded(lambda: self._blocks_at(at, turn))

    def _blocks_at(self, at: tuple[float, float], turn: float) -> tuple[Blocks, str]:
        run, crew = self.run, self.run.crew
        chosen = take(InfillSettings, self.values, bore=self.bore, overhang=min(self.limits))
        order, ways = take(OrderSettings, self.values), take(WaySettings, self.values)
        lie = chosen.lie(at, turn)
        filled, key = run.stage(
            "infill",
            (self.cover_key, chosen, lie),
            lambda: infill(self.walls, self.covers, self.heights, lie, chosen, crew),
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

        def measure() -> Ledger:
            return ledger(self.outlines, self.covers, blocks, self.thick, laid, self.run.crew)

        laid = take(LedgerSettings, self.values, bore=self.bore)
        return self._guarded(lambda: self.run.stage("ledger", (key, laid), measure)[0])
