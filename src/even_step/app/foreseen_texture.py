"""Where texture will lie, asked of the worker while parts or the recipe are in view."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject

from even_step.app.asked import Asked, Sources
from even_step.app.work.requests import ForeseeTexture
from even_step.core.catalogue.texture import DEPTH
from even_step.core.job.model import Job

REST = 250  # ms
SEEN_AT = "Parts", "Recipe"


@dataclass(frozen=True, eq=False)
class Rough:
    """Facets that will be rough, (T, 3, 3) on the bed, and the depth and spacing of their texture, mm."""

    depth: float
    spacing: float
    corners: NDArray[np.float32]


class ForeseenTexture(Asked):
    """What of the parts will be rough; replaced as the job is edited."""

    def __init__(self, sources: Sources, parent: QObject | None = None) -> None:
        super().__init__(sources, REST, parent)
        self._found: tuple[Rough, ...] = ()

    @property
    def rough(self) -> tuple[Rough, ...]:
        """What will be rough, where it is to be seen and no part has been moved since."""
        return self._found if self.of is not None and self.of == self.wish() else ()

    def wish(self) -> ForeseeTexture | None:
        """Ask for the bed in view, if anything of it is to be rough."""
        return ForeseeTexture(self.job) if self._view.station in SEEN_AT and _is_asked(self.job) else None

    def take(self, facts: tuple[tuple[float, float], ...] | None, arrays: dict[str, NDArray[Any]]) -> None:
        """Take what was found."""
        self._found = tuple(Rough(*feel, arrays[f"{k} corners"]) for k, feel in enumerate(facts or ()))


def _is_asked(job: Job) -> bool:
    zones = [zone.settings for part in job.parts for zone in part.zones]
    tables = (job.recipe.settings, job.settings, *(part.settings for part in job.parts), *zones)
    return any(table.get(DEPTH.key) for table in tables)
