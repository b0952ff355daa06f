"""Draws scenes off the screen and hands them over as pictures.

The canvas is an ordinary widget that shows a picture: what lies over it is painted as everywhere else, and where
OpenGL is done in software the window needs no second pass of it to be put together, which took longer than the
drawing.
"""

from __future__ import annotations

import sys

import moderngl
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QOffscreenSurface, QOpenGLContext, QSurfaceFormat

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.renderer import FINER, Renderer
from even_step.app.canvas.scene import Scene
from even_step.core.errors import EvenStepError

FINE_ENOUGH = 1.5


def surface_format() -> QSurfaceFormat:
    """Return what drawing needs of OpenGL: 3.3, core."""
    wanted = QSurfaceFormat()
    wanted.setVersion(3, 3)
    wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    wanted.setDepthBufferSize(24)
    return wanted


class Drawing:
    """Owns an OpenGL context and the renderer in it; both are made when the first picture is wanted."""

    def __init__(self) -> None:
        self._renderer: Renderer | None = None
        self._bytes = bytearray()
        self._image = QImage()
        self.fault = ""

    def _begin(self) -> Renderer:
        if self._renderer is None:
            self._surface = QOffscreenSurface()
            self._surface.setFormat(surface_format())
            self._surface.create()
            self._context = QOpenGLContext()
            self._context.setFormat(surface_format())
            if not self._context.create() or not self._context.makeCurrent(self._surface):
                raise EvenStepError("OpenGL 3.3 is not to be had", remedy="install a graphics driver, or Mesa")
            self._renderer = Renderer(moderngl.create_context())
        self._context.makeCurrent(self._surface)
        return self._renderer

    def picture(self, scene: Scene, camera: Camera, *, moving: bool, ratio: float = 1.0) -> tuple[QImage, float]:
        """Return a picture of a scene as large as the camera's screen, and what share of it is drawn.

        Without OpenGL, and where something breaks, the picture is empty and ``fault`` says why.

        Where the screen has ``ratio`` points to one of the window's, they are fine enough by themselves from 1.5.
        """
        try:
            renderer = self._begin()
        except EvenStepError as error:
            self.fault = str(error)
            return QImage(), 1.0
        renderer.finer = FINER if ratio < FINE_ENOUGH else 1
        try:
            painted = renderer.paint(scene, camera, moving=moving)
        except Exception as error:  # noqa: BLE001 - what C raised ends the program once it gets through to Qt
            sys.excepthook(*sys.exc_info())
            self.fault = str(error)
            return QImage(), 1.0
        if painted.fresh or self._image.isNull():
            self._image = self._read(renderer, camera)
        self._context.doneCurrent()
        return self._image, painted.share

    def _read(self, renderer: Renderer, camera: Camera) -> QImage:
        width, height = max(1, camera.size[0]), max(1, camera.size[1])
        if len(self._bytes) != width * height * 4:
            self._bytes = bytearray(width * height * 4)
        renderer.read(camera, self._bytes)
        upside_down = QImage(self._bytes, width, height, width * 4, QImage.Format.Format_RGBX8888)
        return upside_down.flipped(Qt.Orientation.Vertical)

    def release(self) -> None:
        """Free everything."""
        if self._renderer:
            self._begin().release()
            self._renderer = None
            self._context.doneCurrent()
            self._surface.destroy()
