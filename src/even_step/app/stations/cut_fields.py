"""The upright cut by figures: how far it lies from the middle of the bed, and which way it faces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.cut_plane import CutPlane
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import button, line


class CutFields(QWidget):
    """Shown while the layers are cut."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._at = NumberField("cut at", "mm", decimals=1, width=72)
        self._at.setToolTip("From the middle of the bed toward what is taken away (Shift+Left, Shift+Right)")
        self._way = NumberField("cut way", "°", decimals=0, step=15.0, width=56)
        self._way.setToolTip("Which side is taken away: 0° is to the right, 90° to the back")
        self._at.chosen.connect(self._move)
        self._way.chosen.connect(self._turn)
        whole = button(
            "Whole", "cut whole", lambda: desk.view.set("plane", None), tip="Show the layers whole again (C)"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 8)
        box.addLayout(line("Cut at", self._at, "toward", self._way, 1, whole))
        desk.view.changed.connect(lambda piece: self._refresh() if piece in {"plane", "section"} else None)
        self._refresh()

    def _offset(self, plane: CutPlane) -> float:
        return plane.reach - float(np.dot(plane.normal, self._desk.job.machine.bed.centre))

    def _refresh(self) -> None:
        view = self._desk.view
        self.setVisible(view.plane is not None and not view.section)
        if view.plane:
            self._at.show_value(self._offset(view.plane))
            self._way.show_value(view.plane.way % 360.0)

    def _move(self, to: float) -> None:
        plane = self._desk.view.plane
        if plane:
            self._desk.view.set("plane", plane.moved(to - self._offset(plane)))

    def _turn(self, way: float) -> None:
        plane = self._desk.view.plane
        if plane:
            self._desk.view.set("plane", replace(plane, way=way % 360.0, cleared=False))
