"""Finds the line under a pointer that rests, while lines are coloured by a scale: its number is read from it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QPointF, QTimer

from even_step.app.canvas.line_picking import Asked, line_at
from even_step.core.channels import SCALES

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

REST = 120  # ms
TOPIC = "pointed line"


class LinePointing(QObject):
    """Tells the view which path is pointed at, none while the pointer moves."""

    def __init__(self, canvas: Canvas) -> None:
        super().__init__(canvas)
        self._canvas = canvas
        self._at = QPointF()
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._look)
        canvas.installEventFilter(self)
        canvas.pointed.connect(self._move)
        canvas.camera_changed.connect(self._leave)
        canvas.scene_changed.connect(self._leave)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        """Let go when the pointer leaves the canvas."""
        if event.type() == QEvent.Type.Leave:
            self._leave()
        return super().eventFilter(watched, event)

    def _move(self, at: QPointF) -> None:
        self._at = at
        self._leave()
        view = self._canvas.desk.view
        if view.station == "Layers" and view.colour_by in SCALES:
            self._rest.start()

    def _leave(self) -> None:
        self._rest.stop()
        self._canvas.desk.background.forget(TOPIC)
        self._canvas.desk.view.set("pointed_path", -1)

    def _look(self) -> None:
        shape, camera, at = self._canvas.scene.lines, self._canvas.camera, self._at

        def know(found: Asked | None) -> None:
            self._canvas.desk.view.set("pointed_path", found[0] if found else -1)

        if shape is not None and not self._canvas.gestures.busy:
            self._canvas.desk.background.run(TOPIC, lambda: line_at(shape, camera, at.x(), at.y()), know)
