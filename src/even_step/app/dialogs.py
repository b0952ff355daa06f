"""Asks for files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings, QStandardPaths
from PySide6.QtWidgets import QFileDialog, QWidget

MODELS = "Models and jobs (*.stl *.obj *.ply *.3mf *.step *.stp *.toml);;All files (*)"
SHAPES = "Models (*.stl *.obj *.ply *.3mf *.step *.stp);;All files (*)"
REPORTS = "Reports (*.pdf *.html)"
JOBS = "Jobs (*.3mf *.toml);;All files (*)"


class FileQuestions:
    """Asks for files, beginning where the last one was."""

    def __init__(self, parent: QWidget, settings: QSettings) -> None:
        self._parent, self._settings = parent, settings

    def _folder(self) -> str:
        home = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
        return str(self._settings.value("folder", home))

    def _dialog(self, title: str, kinds: str) -> QFileDialog:
        dialog = QFileDialog(self._parent, title, self._folder(), kinds)
        # Our own look, and the same on every machine.
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        return dialog

    def _ask(self, dialog: QFileDialog) -> list[str]:
        chosen = dialog.selectedFiles() if dialog.exec() else []
        dialog.deleteLater()
        if chosen:
            self._settings.setValue("folder", str(Path(chosen[0]).parent))
        return chosen

    def open_many(self) -> list[str]:
        """Ask for models."""
        dialog = self._dialog("Bring in parts", MODELS)
        dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
        return self._ask(dialog)

    def open_one(self, title: str) -> str:
        """Ask for one model."""
        dialog = self._dialog(title, SHAPES)
        dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
        return next(iter(self._ask(dialog)), "")

    def open_job(self) -> str:
        """Ask for a job."""
        dialog = self._dialog("Open a job", JOBS)
        dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
        return next(iter(self._ask(dialog)), "")

    def save(self, title: str, proposed: str, suffix: str, kinds: str = "") -> str:
        """Ask where something goes; the dialog asks before a file is overwritten."""
        dialog = self._dialog(title, kinds or f"*.{suffix}")
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.setDefaultSuffix(suffix)
        dialog.selectFile(proposed)
        return next(iter(self._ask(dialog)), "")
