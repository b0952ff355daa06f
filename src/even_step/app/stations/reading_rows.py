"""The files that are being read: each with how far it is, and a way to stop it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from even_step.app.files import JobFiles
from even_step.app.theme.icons import icon
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.app.work.requests import OpenJob, ReadFile

STEPS = 100


class ReadingRows(QWidget):
    """A line a file, as long as it is under way."""

    def __init__(self, files: JobFiles) -> None:
        super().__init__()
        self._files = files
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._bars: dict[str, QProgressBar] = {}
        files.reading_changed.connect(self.refresh)
        files.got_on.connect(self._move_on)

    def refresh(self) -> None:
        """Show what is under way."""
        reading = self._files.reading
        if list(reading) == list(self._bars):
            return
        clear(self._box)
        self._bars = {}
        for path, task in reading.items():
            name = Path(path).name
            bar = QProgressBar()
            bar.setObjectName(f"progress {name}")
            bar.setAccessibleName(f"reading {name}")
            bar.setTextVisible(False)
            bar.setFixedHeight(6)
            bar.setFixedWidth(80)
            bar.setRange(0, 0)  # nothing is known until the reader says how far it is
            self._bars[path] = bar
            row = line(label(name, "mark"), 1, bar)
            if isinstance(task.request, ReadFile | OpenJob):
                stop = button(
                    "", f"stop {name}", partial(self._files.call_off, path), role="plain", tip=f"Stop reading {name}"
                )
                stop.setAccessibleName(f"stop reading {name}")
                stop.setIcon(icon("x"))
                row.addWidget(stop)
            self._box.addLayout(row)

    def _move_on(self, path: str, share: float) -> None:
        bar = self._bars.get(path)
        if bar is not None and share > 0:
            bar.setRange(0, STEPS)
            bar.setValue(round(STEPS * share))
