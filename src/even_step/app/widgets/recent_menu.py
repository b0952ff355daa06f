"""The menu of files that were opened or saved before."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QMenu, QWidget

from even_step.app.files import JobFiles


class RecentMenu(QMenu):
    """The last file first; a model is brought in, for a job it is asked what to do with it."""

    def __init__(self, files: JobFiles, parent: QWidget) -> None:
        super().__init__("Recent", parent)
        self.setObjectName("recent")
        self.setToolTipsVisible(True)
        self._files = files
        self.aboutToShow.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """List the files that are still there."""
        self.clear()
        for path in self._files.recent:
            made = self.addAction(Path(path).name)
            made.setToolTip(path)
            made.triggered.connect(partial(self._files.bring_in, [path]))
        if self.isEmpty():
            self.addAction("nothing yet").setEnabled(False)
