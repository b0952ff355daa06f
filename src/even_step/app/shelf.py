"""The models of the job's files, as the worker read them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import ReadFile
from even_step.core.job.model import MM_PER, Copy, Part
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import turn_matrix

Box = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class ShelfModel:
    """One model of a file: its facts, its mesh, a coarser mesh, the corners that decide its bounds, its edges."""

    key: tuple[str, int]
    name: str
    bodies: tuple[str, ...]
    triangles: int
    unit: str
    unit_stated: bool
    proposed: str | None
    repairs: tuple[str, ...]
    warnings: tuple[str, ...]
    closed: bool
    mesh: Mesh
    few: Mesh
    extremes: NDArray[np.float64]
    edges: NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Stand:
    """How a copy stands: the 4×4 from its file's frame to the bed without its place, and its size, mm."""

    matrix: NDArray[np.float64]
    size: NDArray[np.float64]

    def at(self, place: tuple[float, float]) -> NDArray[np.float64]:
        """Return the 4×4 with the copy's place."""
        matrix = self.matrix.copy()
        matrix[:2, 3] += place
        return matrix


class ModelShelf(QObject):
    """Reads files through the worker, each once."""

    arrived = Signal(str)

    def __init__(self, worker: WorkerClient, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker, self.folder = worker, folder
        self._models: dict[str, tuple[ShelfModel, ...]] = {}
        self._asked: set[str] = set()
        self.stand = lru_cache(4096)(self._stand)

    def read(
        self,
        path: str,
        then: Callable[[str, tuple[ShelfModel, ...]], None],
        failed: Callable[[str], None],
        progress: Callable[[str, float], None] = lambda *_: None,
    ) -> Task:
        """Read a file; ``then`` gets the name under which it is kept, and its models."""

        def done(facts: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> None:
            kept = self._put(facts, arrays)
            then(kept, self._models[kept])

        return self._worker.ask(ReadFile(path, str(self.folder)), done=done, failed=failed, progress=progress)

    def want(self, files: set[str], failed: Callable[[str], None]) -> None:
        """Have the models of files that are kept already brought in, those that lack."""
        # What a library reads in a process of its own takes longest, so it begins first.
        slow = {".step", ".stp", ".3mf"}
        for file in sorted(files - self._models.keys() - self._asked, key=lambda f: (Path(f).suffix not in slow, f)):
            self._asked.add(file)

            def lost(message: str, file: str = file) -> None:
                self._asked.discard(file)
                failed(message)

            self.read(file, lambda *_: None, lost)

    def _put(self, facts: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> str:
        kept = str(facts["file"])
        self._models[kept] = tuple(
            ShelfModel(
                key=(kept, i),
                mesh=Mesh(arrays[f"{i} vertices"], arrays[f"{i} faces"]),
                few=Mesh(arrays[f"{i} few vertices"], arrays[f"{i} few faces"]),
                extremes=arrays[f"{i} extremes"],
                edges=arrays[f"{i} edges"],
                **about,
            )
            for i, about in enumerate(facts["models"])
        )
        self._asked.discard(kept)
        self.arrived.emit(kept)
        return kept

    def model(self, part: Part) -> ShelfModel | None:
        """Return a part's model, none while it is not there yet."""
        models = self._models.get(part.file, ())
        return models[part.object] if part.object < len(models) else None

    def has_all(self, parts: tuple[Part, ...]) -> bool:
        """Whether every part's model is there."""
        return all(self.model(part) for part in parts)

    def stand_of(self, part: Part, copy: Copy) -> Stand | None:
        """Return how a copy stands, none while its model is not there yet."""
        model = self.model(part)
        return self.stand(model, part.unit, part.stretch, part.turn, copy.turn) if model else None

    @staticmethod
    def _stand(
        model: ShelfModel,
        unit: str,
        stretch: tuple[float, float, float],
        turn: tuple[float, float, float],
        about_z: float,
    ) -> Stand:
        return standing(model.extremes, unit, stretch, turn, about_z)


def standing(
    extremes: NDArray[np.float64],
    unit: str,
    stretch: tuple[float, float, float],
    turn: tuple[float, float, float],
    about_z: float,
) -> Stand:
    """Set a part down: the middle of its bounds over the origin, its lowest point on the bed."""
    linear = turn_matrix((0.0, 0.0, about_z)) @ turn_matrix(turn) @ np.diag(stretch) * MM_PER[unit]
    corners = extremes @ linear.T
    low, high = corners.min(axis=0), corners.max(axis=0)
    matrix = np.eye(4)
    matrix[:3, :3] = linear
    matrix[:3, 3] = -(low[0] + high[0]) / 2, -(low[1] + high[1]) / 2, -low[2]
    return Stand(matrix, high - low)
