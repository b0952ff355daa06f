"""Points measured on parts; they follow the parts they lie on."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.shelf import ModelShelf
from even_step.app.store import JobStore
from even_step.core.job.spots import Spot, copy_at, part_of, spots_of

if TYPE_CHECKING:
    from even_step.core.mesh.probe import Reading


@dataclass(frozen=True, eq=False)
class Point:
    """A point on a copy with its face's normal, both in the frame of the file.

    How thick the part is there, mm, and how it stood then, (3, 3).
    """

    spot: Spot
    place: NDArray[np.float64]
    normal: NDArray[np.float64]
    thickness: float
    stood: NDArray[np.float64] = field(default_factory=lambda: np.eye(3))

    def thickness_as(self, stands: NDArray[np.float64]) -> float:
        """Return the thickness as the part stands now, (3, 3); NaN where it was stretched unevenly since."""
        change = stands @ np.linalg.inv(self.stood)
        square = change @ change.T
        even = np.allclose(square, np.eye(3) * square[0, 0], rtol=1e-6, atol=1e-9 * square[0, 0])
        return self.thickness * float(np.sqrt(square[0, 0])) if even else float("nan")


class Measuring(QObject):
    """One point, or two that are measured between."""

    changed = Signal()

    def __init__(self, store: JobStore, shelf: ModelShelf, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._store, self._shelf = store, shelf
        self.points: tuple[Point, ...] = ()
        store.changed.connect(lambda _: self._follow())

    def add(self, point: Point) -> None:
        """Put down a point; a third one begins anew."""
        self.points = (*self.points, point) if len(self.points) == 1 else (point,)
        self.changed.emit()

    def clear(self) -> None:
        """Forget the points."""
        if self.points:
            self.points = ()
            self.changed.emit()

    def _follow(self) -> None:
        there = set(spots_of(self._store.job))
        if not all(point.spot in there for point in self.points):
            self.points = ()
        self.changed.emit()

    def matrix_of(self, spot: Spot) -> NDArray[np.float64] | None:
        """Return the 4×4 of a copy, none while it is not read or has no place."""
        job = self._store.job
        copy = copy_at(job, spot)
        stand = self._shelf.stand_of(part_of(job, spot.part), copy)
        return stand.at(copy.at) if stand is not None and copy.at is not None else None

    def thickness(self) -> float:
        """Return how thick the part is at the last point, mm, as it is now; NaN where that is not known."""
        point = self.points[-1]
        matrix = self.matrix_of(point.spot)
        return point.thickness_as(matrix[:3, :3]) if matrix is not None else float("nan")

    def on_bed(self) -> list[NDArray[np.float64]]:
        """Return where the points lie on the bed, mm."""
        matrices = [self.matrix_of(point.spot) for point in self.points]
        return [
            matrix[:3, :3] @ point.place + matrix[:3, 3]
            for point, matrix in zip(self.points, matrices, strict=True)
            if matrix is not None
        ]

    def reading(self) -> Reading | None:
        """Measure between the two points."""
        places = self.on_bed()
        if len(places) < 2:
            return None
        from even_step.core.mesh.probe import normal_on_bed, reading  # noqa: PLC0415 - kernels load with the first pick

        normals = []
        for point in self.points:
            matrix = self.matrix_of(point.spot)
            if matrix is None:
                return None
            normals.append(normal_on_bed(point.normal, matrix[:3, :3]))
        return reading(places[0], normals[0], places[1], normals[1])
