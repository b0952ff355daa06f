"""Which copies run into each other or stand where the bed is kept free; found beside the window while they move."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

if TYPE_CHECKING:
    from even_step.core.plane.region import Regions

from even_step.app.background import Background
from even_step.app.canvas.scene import PartShape, Scene
from even_step.core.job.spots import Spot
from even_step.core.mesh.pose import set_down

Area = tuple[float, float, float, float]
HEIGHTS = np.concatenate((np.arange(0.15, 10.0, 1.0), np.arange(10.15, 60.0, 2.5), np.arange(60.15, 400.0, 10.0)))


@dataclass(frozen=True)
class _Pose:
    """A model with the linear part of its pose, to know equal ones."""

    key: tuple[object, ...]
    linear: bytes


class Collisions(QObject):
    """Keeps the set of copies that touch another up to date with a scene."""

    changed = Signal()

    def __init__(self, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._background = background
        self.touching: Mapping[Spot, Spot] = {}  # with one that each runs into
        self.covering: frozenset[Spot] = frozenset()
        self._areas: tuple[Area, ...] = ()
        self._places: Mapping[Spot, tuple[_Pose, tuple[float, float]]] = {}
        self._models: dict[_Pose, PartShape] = {}
        self._footprint = lru_cache(256)(self._cut)

    def look(self, scene: Scene, areas: tuple[Area, ...]) -> None:
        """Look again if any copy stands elsewhere or otherwise than before, or other areas are kept free."""
        places = {part.spot: (_pose(part), part.at) for part in scene.parts}
        if (places, areas) == (self._places, self._areas):
            return
        self._places, self._areas = places, areas
        parts = {_pose(part): part for part in scene.parts}
        near = _near_pairs(scene.parts)
        over = [(part, area) for part in scene.parts for area in areas if _meets(part.box, area)]
        if not near and not over:
            self._background.forget("collisions")
            self._take(({}, frozenset()))
            return
        self._models |= parts
        self._background.run("collisions", lambda: (self._touching(near), self._covering(over)), self._take)

    def _cut(self, pose: _Pose) -> Regions:
        from even_step.core.slicing.footprint import footprint  # noqa: PLC0415 - kernels load after the window shows

        part = self._models[pose]
        mesh = part.model.mesh
        linear = part.matrix[:3, :3]
        return footprint(set_down(mesh, linear)[0], HEIGHTS)

    def _touching(self, near: list[tuple[PartShape, PartShape]]) -> dict[Spot, Spot]:
        from even_step.core.slicing.footprint import share_ground  # noqa: PLC0415 - kernels load after the window shows

        found: dict[Spot, Spot] = {}
        for a, b in near:
            if not {a.spot, b.spot} <= found.keys() and share_ground(
                self._footprint(_pose(a)), a.at, self._footprint(_pose(b)), b.at
            ):
                found.setdefault(a.spot, b.spot)
                found.setdefault(b.spot, a.spot)
        return found

    def _covering(self, over: list[tuple[PartShape, Area]]) -> frozenset[Spot]:
        from even_step.core.plane import region  # noqa: PLC0415 - loads after the window shows
        from even_step.core.slicing.footprint import share_ground  # noqa: PLC0415

        found: set[Spot] = set()
        for part, area in over:
            own = self._footprint(_pose(part))
            kept = np.full(len(own), region.rectangle(*area), object)
            if part.spot not in found and share_ground(own, part.at, kept, (0.0, 0.0)):
                found.add(part.spot)
        return frozenset(found)

    def _take(self, found: tuple[Mapping[Spot, Spot], frozenset[Spot]]) -> None:
        if found != (self.touching, self.covering):
            self.touching, self.covering = found
            self.changed.emit()


def _meets(box: NDArray[np.float64], area: Area) -> bool:
    """Whether the bounds of a part reach over an area of the bed."""
    x0, y0, x1, y1 = area
    return bool(box[0, 0] < x1 and box[1, 0] > x0 and box[0, 1] < y1 and box[1, 1] > y0)


def _pose(part: PartShape) -> _Pose:
    return _Pose(part.model.key, part.matrix[:3, :3].tobytes())


def _near_pairs(parts: tuple[PartShape, ...]) -> list[tuple[PartShape, PartShape]]:
    """Return the pairs whose boxes overlap."""
    boxes = np.array([part.box for part in parts]).reshape(-1, 2, 3)
    pairs = []
    for i in range(len(parts)):
        near = ((boxes[i, 0] < boxes[i + 1 :, 1]) & (boxes[i, 1] > boxes[i + 1 :, 0])).all(axis=1)
        pairs += [(parts[i], parts[i + 1 + int(j)]) for j in np.flatnonzero(near)]
    return pairs
