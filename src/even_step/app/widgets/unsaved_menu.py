"""The menu of jobs that were not saved: side by side until each is taken or all are thrown away."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from even_step.app.files import JobFiles
from even_step.app.keeping import Keeping


class UnsavedMenu(QMenu):
    """The last one first, each with its name and time."""

    def __init__(self, files: JobFiles, keeping: Keeping, parent: QWidget) -> None:
        super().__init__("Unsaved jobs", parent)
        self.setObjectName("unsaved jobs")
        self._files, self._keeping = files, keeping
        self.aboutToShow.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """List the jobs that are there."""
        self.clear()
        jobs = self._keeping.left_behind()
        for job in jobs:
            made = self.addAction(job.title)
            made.triggered.connect(partial(self._files.open, str(job.path), recovered=True))
        if jobs:
            self.addSeparator()
            self.addAction("Throw all away").triggered.connect(partial(self._keeping.throw_away, jobs))
        else:
            self.addAction("none").setEnabled(False)
