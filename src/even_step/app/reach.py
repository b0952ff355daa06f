"""What actions reach: the desk, the canvas' camera, the files, and questions to the user."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from even_step.app.canvas.camera import Camera
from even_step.app.desk import Desk
from even_step.app.files import JobFiles
from even_step.app.trials import Trial


class Looking(Protocol):
    """What actions can do with the view of the bed."""

    @property
    def camera(self) -> Camera:
        """Where the bed is looked at from."""

    def fit_all(self) -> None:
        """Show the whole bed with all parts."""

    def fit_selection(self) -> None:
        """Show what is picked."""

    def look_from(self, camera: Camera) -> None:
        """Look from elsewhere."""


class Asking(Protocol):
    """Questions that only a dialog can ask."""

    def files_to_bring_in(self) -> list[str]:
        """Ask for model files."""

    def shape_of_a_zone(self) -> str:
        """Ask for the file of a zone's shape."""

    def job_to_open(self) -> str:
        """Ask for a job."""

    def where_to_save(self, proposed: str) -> str:
        """Ask where the job goes."""

    def where_to_export(self, proposed: str) -> str:
        """Ask where the G-code goes."""

    def open_find(self) -> None:
        """Open the list of everything that can be done or set."""

    def show_keys(self) -> None:
        """Show the page of keys."""

    def show_comparison(self, a: Trial, b: Trial) -> None:
        """Show what differs between two trials."""

    def show_sweep(self) -> None:
        """Show the page of sweeps."""

    def save_report(self) -> None:
        """Write the report of the trial shown."""

    def focus_field(self, name: str) -> None:
        """Put the keyboard into a field of the sheet."""

    def leave(self) -> None:
        """Close the window."""


@dataclass(frozen=True)
class Reach:
    """What an action gets."""

    desk: Desk
    files: JobFiles
    looking: Looking
    asking: Asking
