"""What copies cover of the bed, from the models on the shelf; found beside the window."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from even_step.app.shelf import ModelShelf, ShelfModel
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, stood
from even_step.core.mesh.mesh import Mesh

if TYPE_CHECKING:
    from even_step.core.layout.shadow import Shadow


class Shadows:
    """Shadows of poses, each found once."""

    def __init__(self, shelf: ModelShelf) -> None:
        self._shelf = shelf
        self._found = lru_cache(256)(self._find)

    def of(self, job: Job) -> Callable[[], dict[Spot, Shadow]] | None:
        """Return what finds the shadow of every copy of a job; none while a model is being read."""
        poses = {}
        for spot, part, copy in stood(job):
            stand, model = self._shelf.stand_of(part, copy), self._shelf.model(part)
            if stand is None or model is None:
                return None
            poses[spot] = model, stand.matrix[:3, :3].tobytes()
            size = float(stand.size[0]), float(stand.size[1])
        if len(poses) == 1:
            return lambda: dict.fromkeys(poses, _box(*size))
        return lambda: {spot: self._found(*pose) for spot, pose in poses.items()}

    @staticmethod
    def _find(model: ShelfModel, linear: bytes) -> Shadow:
        from even_step.core.layout.shadow import shadow_of  # noqa: PLC0415 - kernels load after the window shows

        matrix = np.frombuffer(linear).reshape(3, 3)
        return shadow_of(Mesh(model.mesh.vertices @ matrix.T, model.mesh.faces))


def _box(width: float, depth: float) -> Shadow:
    """Return what a part's bounds cover; alone on the bed, that will do."""
    from even_step.core.layout.shadow import box_shadow  # noqa: PLC0415 - kernels load after the window shows

    return box_shadow(width, depth)
