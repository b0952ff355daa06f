"""The layers that parts will have, asked of the worker while the station Recipe is open."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject

from even_step.app.asked import Asked, Sources
from even_step.app.work.requests import ForeseeHeights

REST = 120  # ms


class Roughness(NamedTuple):
    """What a part's slopes will show.

    Stairs, mean by area and largest, mm; then the area of all slopes, of those with stairs over 0.1 mm, and of those
    that would have these with even layers, mm².
    """

    mean: float
    largest: float
    area: float
    rough: float
    even: float


class ForeseenHeights(Asked):
    """Tops and thicknesses of layers by part, mm; replaced as the job is edited."""

    def __init__(self, sources: Sources, parent: QObject | None = None) -> None:
        super().__init__(sources, REST, parent)
        self._found: dict[str, tuple[NDArray[np.float64], NDArray[np.float64]]] = {}
        self._rough: dict[str, Roughness] = {}

    def of_part(self, part: str) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
        """Return the tops of a part's layers over its own bottom and how thick each is, none while not known."""
        return self._found.get(part)

    def thickness_at(self, part: str, z: float) -> float:
        """Return how thick the layer at a height over a part's bottom will be, mm; 0 where none is, or not known."""
        top, thick = self._found.get(part, (np.empty(0), np.empty(0)))
        layer = int(np.searchsorted(top, z, side="right"))
        return float(thick[layer]) if z >= 0.0 and layer < len(thick) else 0.0

    def roughness_of(self, part: str) -> Roughness:
        """Return what a part's slopes will show; nothing without slopes, or while it is not known."""
        return self._rough.get(part, Roughness(0.0, 0.0, 0.0, 0.0, 0.0))

    def wish(self) -> ForeseeHeights | None:
        """Ask for the layers of the bed in view."""
        return ForeseeHeights(self.job) if self._view.station == "Recipe" else None

    def take(self, facts: dict[str, tuple[float, ...]] | None, arrays: dict[str, NDArray[Any]]) -> None:
        """Take what was found."""
        self._rough = {part: Roughness(*found) for part, found in (facts or {}).items()}
        self._found = {part: (arrays[f"{k} top"], arrays[f"{k} thick"]) for k, part in enumerate(facts or ())}
