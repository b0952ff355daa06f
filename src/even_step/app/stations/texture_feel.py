"""Textures by how they feel: depth and spacing in one step."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.widgets.sheet import button, label
from even_step.core.catalogue import texture
from even_step.core.job.model import Job

DEPTH, SPACING = texture.DEPTH.key, texture.SPACING.key


class TextureFeel(QWidget):
    """A row of them; that which holds is pressed, none where depth and spacing are the user's own."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 2, 4)
        row.setSpacing(0)
        row.addWidget(label("By feel"))
        row.addStretch(1)
        self._feels = QButtonGroup(self)
        self._feels.setExclusive(False)
        for name, (depth, spacing) in texture.FEELS.items():
            tip = f"{depth:g} mm deep, dents {spacing:g} mm apart" if depth else "No texture"
            piece = button(name, f"texture {name}", partial(self._choose, name), tip=tip)
            piece.setCheckable(True)
            self._feels.addButton(piece)
            row.addWidget(piece)

    def refresh(self) -> None:
        """Press that which holds now."""
        values = self._desk.whose.resolved.values
        holds = float(values[DEPTH]), float(values[SPACING])
        for piece in self._feels.buttons():
            depth, spacing = texture.FEELS[piece.text()]
            piece.setChecked(holds[0] == depth and (depth == 0.0 or holds[1] == spacing))

    def _choose(self, name: str) -> None:
        (depth, spacing), whose = texture.FEELS[name], self._desk.whose

        def chosen(job: Job) -> Job:
            job = whose.set(DEPTH, depth)(job)
            return whose.set(SPACING, spacing)(job) if depth else job

        edit(self._desk, f"texture {name}", chosen)
        self.refresh()
