"""The supports that the job will have, asked of the worker while the station Supports is open."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject

from even_step.app.asked import Asked, Sources
from even_step.app.work.requests import ForeseeSupports

if TYPE_CHECKING:
    from even_step.core.preview import Foreseen

REST = 120  # ms
NOTHING: NDArray[np.float32] = np.empty((0, 3, 3), np.float32)


class ForeseenSupports(Asked):
    """Columns on the bed in view, and what they hold, part by part; replaced as the job is edited."""

    def __init__(self, sources: Sources, parent: QObject | None = None) -> None:
        super().__init__(sources, REST, parent)
        self.corners = NOTHING
        self.parts: dict[str, Foreseen] = {}

    @property
    def is_known(self) -> bool:
        """Whether they are of the job as it is."""
        return self.of is not None and self.of.job == self.job

    def wish(self) -> ForeseeSupports | None:
        """Ask for the supports of the bed in view."""
        return ForeseeSupports(self.job) if self._view.station == "Supports" else None

    def take(self, facts: tuple[Foreseen, ...] | None, arrays: dict[str, NDArray[Any]]) -> None:
        """Take what was found."""
        self.corners = arrays.get("corners", NOTHING)
        self.parts = {one.part: one for one in facts or ()}

    def follow_view(self, piece: str) -> None:
        """Columns of another bed are not to be seen on this one."""
        if piece == "bed":
            self.of = None
            self.take((), {})
            self.changed.emit()
        super().follow_view(piece)
