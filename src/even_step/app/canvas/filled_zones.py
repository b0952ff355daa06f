"""The insides of meshes that are zones, as the graphics card looks them up."""

from __future__ import annotations

from collections.abc import Iterable

import moderngl
import numpy as np
from numpy.typing import NDArray

from even_step.app.canvas.scene import PartShape, ZoneTint

MOST = 8  # meshes that are looked up
UNIT = 3  # of the card, by which the picture of them is reached


class FilledZones:
    """Owns one picture in space that holds the grids of all meshes, one over the other along z."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._grids: list[NDArray[np.uint8]] = []
        self._picture = ctx.texture3d((1, 1, 1), 1, bytes(1))

    @property
    def slots(self) -> int:
        """How many grids there is room for."""
        return max(1, len(self._grids))

    def take(self, parts: Iterable[PartShape]) -> None:
        """Hold the grids of the zones of some parts."""
        every = {id(tint.filled): tint.filled for part in parts for tint in part.tints if tint.filled is not None}
        grids = list(every.values())[:MOST]
        if [id(one) for one in grids] == [id(one) for one in self._grids]:
            return
        self._grids = grids
        if grids:
            self._picture.release()
            whole = np.ascontiguousarray(np.concatenate(grids))
            self._picture = self._ctx.texture3d(whole.shape[::-1], 1, whole.tobytes(), alignment=1)
            self._picture.filter = moderngl.LINEAR, moderngl.LINEAR

    def slot(self, tint: ZoneTint) -> int:
        """Return which grid a zone's is; of one beyond what there is room for, past all."""
        return next((k for k, one in enumerate(self._grids) if one is tint.filled), 0 if tint.filled is None else MOST)

    def use(self) -> int:
        """Let the card look the grids up; returns by which number."""
        self._picture.use(UNIT)
        return UNIT

    def release(self) -> None:
        """Free all memory."""
        self._picture.release()
