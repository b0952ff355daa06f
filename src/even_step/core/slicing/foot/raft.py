"""A raft: open layers that level the bed, full ones that the part stands on, and a gap."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import foot as keys
from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.ordering import Blocks, OrderSettings, order_lines
from even_step.core.slicing.patterns.pattern import LayerRooms, PatternLayout, fill_layers
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.walls import WallSettings, walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.toolpath.roles import RAFT
from even_step.core.work import Crew

ANGLE = 45.0  # degrees, of the lowest lines; each layer lies across the one below
OVERLAP = 0.25  # lines, by which open lines reach into the wall


@dataclass(frozen=True)
class RaftHeights:
    """How high a raft is: numbers of layers, their thickness and the gap over them, mm."""

    kind: Annotated[str, keys.KIND]
    base_layers: Annotated[int, keys.RAFT_BASE_LAYERS]
    middle_layers: Annotated[int, keys.RAFT_MIDDLE_LAYERS]
    top_layers: Annotated[int, keys.RAFT_TOP_LAYERS]
    base_height: Annotated[float, keys.RAFT_BASE_HEIGHT]
    height: Annotated[float, keys.RAFT_HEIGHT]
    gap: Annotated[float, keys.RAFT_GAP]

    @property
    def thick(self) -> NDArray[np.float64]:
        """Thickness of each of its layers from the bed up, (R,), mm; none for another foot."""
        if self.kind != "raft":
            return np.empty(0)
        upper = self.middle_layers + self.top_layers
        return np.concatenate((np.full(self.base_layers, self.base_height), np.full(upper, self.height)))

    @property
    def lift(self) -> float:
        """How high the part stands over the bed, mm."""
        return round(float(self.thick.sum()) + self.gap, 3) if self.kind == "raft" else 0.0


@dataclass(frozen=True)
class RaftSettings:
    """How far a raft reaches beyond the part, mm, the width of its lines, mm, and how full its open layers are, %."""

    margin: Annotated[float, keys.RAFT_MARGIN]
    line_width: Annotated[float, keys.LINE_WIDTH]
    density: Annotated[float, keys.RAFT_DENSITY]
    bore: float


def raft_area(outline: Regions, margin: float) -> Regions:
    """Return what a raft under a first layer covers, (1,)."""
    return region.offset_round(region.without_holes(outline), margin)


def lay_raft(outline: Regions, heights: RaftHeights, settings: RaftSettings, ways: WaySettings, crew: Crew) -> Blocks:
    """Lay a raft's layers, each with a wall about it.

    Parameters
    ----------
    outline : (1,) regions
        The part's first layer, mm.
    heights, settings, ways
        Of the raft; how ways inside it are led.
    """
    thick = heights.thick
    count, width = len(thick), settings.line_width
    ground = Outlines(np.zeros(count, np.int64), raft_area(outline, settings.margin))
    wall = WallSettings(1, width, width, True, False, 1, 0, settings.bore)
    around = walls(ground, thick, wall, crew)
    full = np.arange(count) >= count - heights.top_layers
    fills = []
    for kept, layout in (
        (~full, PatternLayout("lines", settings.density / 100.0, ANGLE, (0.0, 0.0), reach=OVERLAP * width)),
        (full, PatternLayout("lines", 1.0, ANGLE, (0.0, 0.0), in_rows=True)),
    ):
        which = np.where(kept, around.which, -1)
        rooms = LayerRooms(which, around.inner, thick, np.cumsum(thick) - thick / 2)
        fills.append(fill_layers(rooms, RAFT, width, layout, crew))
    blocks = order_lines(ground, around, tuple(fills), OrderSettings("outer-first", "nearest"), ways, crew)
    return replace(blocks, paths=replace(blocks.paths, role=np.full(len(blocks.paths.role), RAFT, np.uint8)))
