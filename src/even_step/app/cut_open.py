"""Parts cut open at a height before they are sliced: the face of the cut, asked of the worker."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject

from even_step.app.asked import Asked, Sources
from even_step.app.work.requests import CutParts

REST = 40  # ms without an edit or a step of the cut
AT = frozenset({"Parts", "Recipe"})  # stations in which parts can be cut open
LEAST = 0.05  # mm; a cut lower than that is there


@dataclass(frozen=True, eq=False)
class CutFace:
    """The face of a cut: triangles on the bed (T, 3, 3), mm, and runs of them (first, count, tint).

    A tint of 0 lies in no zone; zones next to each other take 1 and 2 in turn.
    """

    corners: NDArray[np.float32]
    runs: tuple[tuple[int, int, int], ...]

    @classmethod
    def of(cls, corners: NDArray[np.float32], zone: NDArray[np.int64], height: float) -> CutFace:
        """Make one of triangles (T, 3, 2) and the zone of each, less than 0 for none."""
        tint = np.where(zone < 0, 0, 1 + zone % 2)
        order = np.argsort(tint, kind="stable")
        flat = corners[order]
        deep = np.concatenate((flat, np.full((*flat.shape[:2], 1), height, np.float32)), axis=2)
        firsts = np.searchsorted(tint[order], range(4))
        runs = ((int(a), int(b - a), k) for k, (a, b) in enumerate(pairwise(firsts)))
        return cls(deep, tuple(run for run in runs if run[1]))


class CutOpen(Asked):
    """How high the parts are cut open, and the face of the cut; replaced as the job is edited."""

    def __init__(self, sources: Sources, parent: QObject | None = None) -> None:
        super().__init__(sources, REST, parent)
        self._face: CutFace | None = None

    @property
    def at(self) -> float:
        """Over which height nothing is shown, mm; infinite where nothing is cut."""
        return self._view.cut if self._view.cut > 0.0 and self._view.station in AT else np.inf

    @property
    def face(self) -> CutFace | None:
        """The face of the cut, none while it is looked for."""
        return self._face if isinstance(self.of, CutParts) and self.of.height == self.at else None

    def put(self, height: float, tallest: float) -> None:
        """Cut at a height; nothing where that is over all parts."""
        self._view.set("cut", 0.0 if height >= tallest else max(round(height, 2), LEAST))

    def wish(self) -> CutParts | None:
        """Ask for the face of the cut where there is one."""
        return CutParts(self.job, self.at) if np.isfinite(self.at) else None

    def take(self, _: object, arrays: dict[str, NDArray[Any]]) -> None:
        """Take the face; none where a part is not there yet, or cannot be cut."""
        self._face = CutFace.of(arrays["corners"], arrays["zone"], self._cut_height()) if arrays else None

    def _cut_height(self) -> float:
        return self.of.height if isinstance(self.of, CutParts) else 0.0

    def follow_view(self, piece: str) -> None:
        """Look again when the cut is moved."""
        super().follow_view("station" if piece == "cut" else piece)
