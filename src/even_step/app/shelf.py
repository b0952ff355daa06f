"""The models of the job's files, as the worker read them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import ReadFile
from even_step.core.job.model import MM_PER, Copy, Part
from even_step.core.job.zones import Zone
from even_step.core.mesh.mesh import Mesh, Repair, joined
from even_step.core.mesh.turning import turn_matrix

Source = tuple[str, Repair]


@dataclass(frozen=True, eq=False)
class ShelfBody:
    """One body of a model: its mesh, a coarser mesh, the corners that decide its bounds, its edges."""

    name: str
    closed: bool
    mesh: Mesh
    few: Mesh
    extremes: NDArray[np.float64]
    edges: NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class ShelfModel:
    """One model of a file, or some of its bodies: its facts, and what its bodies have, joined.

    ``place`` is that of the model within its file, ``numbers`` are those of its bodies within the file's model.
    """

    source: Source
    place: int
    name: str
    unit: str
    proposed: str | None
    repairs: tuple[str, ...]
    warnings: tuple[str, ...]
    numbers: tuple[int, ...]
    bodies: tuple[ShelfBody, ...]

    @property
    def key(self) -> tuple[object, ...]:
        """What tells it from all others."""
        return self.source, self.place, self.numbers

    @cached_property
    def mesh(self) -> Mesh:
        """All facets."""
        return joined([body.mesh for body in self.bodies])

    @cached_property
    def few(self) -> Mesh:
        """Fewer facets, for drawing while the view moves."""
        return joined([body.few for body in self.bodies])

    @cached_property
    def extremes(self) -> NDArray[np.float64]:
        """The corners that decide its bounds in any pose, (n, 3), mm."""
        return np.concatenate([body.extremes for body in self.bodies])

    @cached_property
    def spans(self) -> tuple[float, float, float]:
        """Its size along the axes of its file, in the file's unit."""
        x, y, z = (float(np.ptp(axis)) for axis in np.ascontiguousarray(self.extremes.T))
        return x, y, z

    @cached_property
    def edges(self) -> NDArray[np.float32]:
        """See ``core.mesh.edges.drawn_edges``."""
        return np.concatenate([body.edges for body in self.bodies])

    @property
    def closed(self) -> bool:
        """Whether no inside of it can be seen."""
        return all(body.closed for body in self.bodies)

    @property
    def triangles(self) -> int:
        """How many facets it has."""
        return sum(len(body.mesh.faces) for body in self.bodies)

    def body_of(self, facet: int) -> int:
        """Return the number of the body that a facet belongs to."""
        ends = np.cumsum([len(body.mesh.faces) for body in self.bodies])
        return self.numbers[int(np.searchsorted(ends, facet, "right"))]

    def only(self, numbers: Iterable[int]) -> ShelfModel | None:
        """Return the model with some of its bodies; none where none of them is left."""
        kept = [(n, body) for n, body in zip(self.numbers, self.bodies, strict=True) if n in set(numbers)]
        if not kept:
            return None
        return replace(self, numbers=tuple(n for n, _ in kept), bodies=tuple(body for _, body in kept))


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
        self._models: dict[Source, tuple[ShelfModel, ...]] = {}
        self._asked: set[Source] = set()
        self.stand = lru_cache(4096)(self._stand)
        self._some = lru_cache(256)(ShelfModel.only)

    def read(
        self,
        source: Source,
        then: Callable[[str, tuple[ShelfModel, ...]], None],
        failed: Callable[[str], None],
        **tell: Callable[..., None],
    ) -> Task:
        """Read a file; ``then`` gets the name under which it is kept, and its models."""
        path, repair = source

        def done(facts: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> None:
            kept = str(facts["file"]), repair
            self._models[kept] = _models(kept, facts["models"], arrays)
            self._asked.discard(kept)
            self.arrived.emit(kept[0])
            then(kept[0], self._models[kept])

        return self._worker.ask(ReadFile(path, str(self.folder), repair), done=done, failed=failed, **tell)

    def want(self, sources: set[Source], failed: Callable[[str], None]) -> None:
        """Have the models of files that are kept already brought in, those that lack."""
        # What a library reads in a process of its own takes longest, so it begins first.
        slow = {".step", ".stp", ".3mf"}
        lacking = sources - self._models.keys() - self._asked
        for source in sorted(lacking, key=lambda one: (Path(one[0]).suffix not in slow, one)):
            self._asked.add(source)

            def lost(message: str, source: Source = source) -> None:
                self._asked.discard(source)
                failed(message)

            self.read(source, lambda *_: None, lost)

    def of_zone(self, zone: Zone) -> ShelfModel | None:
        """Return the model of a zone that has a file of its own, none while it is not there yet."""
        models = self._models.get(zone.source, ())
        return models[zone.object] if zone.object < len(models) else None

    def whole(self, part: Part) -> ShelfModel | None:
        """Return a part's model with all bodies of the file's, none while it is not there yet."""
        models = self._models.get(part.source, ())
        return models[part.object] if part.object < len(models) else None

    def misses(self, part: Part) -> bool:
        """Whether a part's file was read and does not hold what the part names."""
        whole = self.whole(part)
        if whole is None:
            return part.source in self._models
        return max(part.bodies, default=0) >= len(whole.bodies)

    def model(self, part: Part) -> ShelfModel | None:
        """Return a part's model, none while it is not there yet."""
        whole = self.whole(part)
        if whole is None or self.misses(part):
            return None
        return self._some(whole, part.bodies) if part.bodies else whole

    def shown(self, part: Part) -> ShelfModel | None:
        """Return what of a part's model is drawn: none while it is not there, or when all its bodies are hidden."""
        model = self.model(part)
        if model is None or not part.hidden_bodies:
            return model
        return self._some(model, tuple(n for n in model.numbers if n not in part.hidden_bodies))

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


def _models(source: Source, facts: list[dict[str, Any]], arrays: dict[str, NDArray[Any]]) -> tuple[ShelfModel, ...]:
    """Put the models of a file together from what the worker sent."""

    def body(i: int, k: int, name: str, *, closed: bool) -> ShelfBody:
        own = {what: arrays[f"{i} {k} {what}"] for what in ("vertices", "faces", "extremes", "edges")}
        few = Mesh(arrays[f"{i} {k} few vertices"], arrays[f"{i} {k} few faces"])
        return ShelfBody(name, closed, Mesh(own["vertices"], own["faces"]), few, own["extremes"], own["edges"])

    return tuple(
        ShelfModel(
            source,
            i,
            about["name"],
            about["unit"],
            about["proposed"],
            about["repairs"],
            about["warnings"],
            numbers=tuple(range(len(about["bodies"]))),
            bodies=tuple(body(i, k, name, closed=closed) for k, (name, closed) in enumerate(about["bodies"])),
        )
        for i, about in enumerate(facts)
    )


def standing(
    extremes: NDArray[np.float64],
    unit: str,
    stretch: tuple[float, float, float],
    turn: tuple[float, float, float],
    about_z: float,
) -> Stand:
    """Set a part down: the middle of its bounds over the origin, its lowest point on the bed."""
    linear = turn_matrix((0.0, 0.0, about_z)) @ turn_matrix(turn) @ np.diag(stretch) * MM_PER[unit]
    corners = linear @ extremes.T  # a row an axis: its ends are found ten times as fast as those of columns
    low, high = corners.min(axis=1), corners.max(axis=1)
    matrix = np.eye(4)
    matrix[:3, :3] = linear
    matrix[:3, 3] = -(low[0] + high[0]) / 2, -(low[1] + high[1]) / 2, -low[2]
    return Stand(matrix, high - low)
