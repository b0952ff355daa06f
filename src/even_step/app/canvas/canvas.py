"""The canvas: shows the scene and turns the pointer's doings into picks, drags and views."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QElapsedTimer, QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QCursor,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from even_step.app.canvas.camera import USUAL, Camera
from even_step.app.canvas.clear_way import clear_the_way
from even_step.app.canvas.collisions import Collisions
from even_step.app.canvas.drawing import Drawing
from even_step.app.canvas.gestures import POINTING, Gestures
from even_step.app.canvas.scene import LINES_AT, build_scene
from even_step.app.canvas.zone_edges import skins_of, with_meshes
from even_step.app.canvas.zone_rims import ZoneRims
from even_step.app.desk import Desk
from even_step.app.pinning import place_of
from even_step.app.store import Change
from even_step.app.theme.colours import PAPER
from even_step.app.told import place_of_finding
from even_step.core.job.spots import Spot

REST = 180  # ms without a movement after which the picture is drawn whole
TOLD = 100  # ms after which it is told anew how far that is
ZOOM_A_NOTCH = 0.88
BAR = 3  # points thick, at the canvas' top: how far the picture is
EDGE = 90  # points from the edge within which a place is not seen well
MARGINS = (70.0, 40.0, 16.0, 104.0)  # points kept free for what lies over the canvas
#: Pieces of the view that are drawn.
SEEN = frozenset(
    {"layers", "along", "station", "hidden_roles", "hidden_heights", "colour_by"}
    | {"tool", "section", "bed", "cut", "pointed_z", "plane", "ghosts"}
)


class Canvas(QWidget):
    """The one 3D view."""

    painted = Signal()
    camera_changed = Signal()
    scene_changed = Signal()
    dropped = Signal(list)
    pointed = Signal(QPointF)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("canvas")
        self.setAccessibleName("The bed with its parts")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAcceptDrops(True)
        self.desk = desk
        self._solid_camera, self._flat_camera = Camera(), Camera(flat=True)
        self.dragged: dict[Spot, tuple[float, float]] = {}
        self.collisions = Collisions(desk.background, self)
        self.collisions.changed.connect(self.rebuild)
        self.rims = ZoneRims(self)
        self.gestures = Gestures(self)
        self._drawing = Drawing()
        self.picture = QImage()
        self._stale = True
        self._fitted = self._flat_is_own = False  # whether the user looked from elsewhere
        self.is_whole = False
        self.share = 0.0  # of the whole picture, as far as it is drawn
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self.redraw)
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self._go_on)
        self._told = QElapsedTimer()
        self._told.start()
        self.scene = build_scene(desk, {}, {}, frozenset())
        desk.store.changed.connect(self._follow_job)
        desk.selection.changed.connect(self.rebuild)
        desk.shelf.arrived.connect(self.rebuild)
        desk.foreseen.changed.connect(self.rebuild)
        desk.cut_open.changed.connect(self.rebuild)
        desk.only_here.changed.connect(self.rebuild)
        desk.foreseen_texture.changed.connect(self.rebuild)
        desk.foreseen_heights.changed.connect(self.rebuild)
        desk.trials.shown_changed.connect(lambda: self._follow_view("trial"))
        desk.view.changed.connect(self._follow_view)

    def rebuild(self, *_: object) -> None:
        """Build the scene anew and show it."""
        found = self.collisions
        scene = build_scene(self.desk, self.dragged, found.touching, found.covering)
        rough = () if self.dragged or scene.lines else self.desk.foreseen_texture.rough
        parts = with_meshes(self.desk.job, scene, self.rims)
        self.scene = replace(scene, parts=parts, skins=skins_of(self.desk.job, scene, self.rims), rough=rough)
        if self.scene.lines is None:
            found.look(self.scene, self.desk.job.layout.keep_out)
        self.is_whole = False
        self.redraw()
        self.scene_changed.emit()

    def _follow_job(self, change: Change) -> None:
        self.rebuild()
        if change.old.machine != change.new.machine:
            self._fit_both()
            self.camera_changed.emit()

    def _fit_both(self) -> None:
        low, high = self.scene.box
        self._flat_camera = self._flat_camera.fitted(low, high, MARGINS)
        self._solid_camera = self._solid_camera.fitted(low, high, MARGINS)

    def _follow_view(self, piece: str) -> None:
        if piece in {"layers", "along"}:
            self.stir()
        if piece == "tool" and self.desk.view.tool in POINTING:
            self.setFocus()  # Enter and Escape are for what is pointed at
        if piece == "finding":
            self._bring_into_view(place_of_finding(self.desk))
        if piece == "pin" and 0 <= self.desk.view.pin < len(self.desk.job.pins):
            self._bring_into_view(place_of(self.desk, self.desk.job.pins[self.desk.view.pin]))
        shows_lines = piece == "trial" and self.desk.view.station in LINES_AT
        if shows_lines or piece in SEEN:
            self.rebuild()
        if piece == "section" and self.scene.flat and not self._flat_is_own:
            low, high = self.scene.box
            self._flat_camera = self._flat_camera.fitted(low, high, MARGINS)
            self.camera_changed.emit()

    def _bring_into_view(self, place: tuple[float, float, float] | None) -> None:
        """Shift the view to a place that is not seen well, and take away what hides it."""
        if place is None:
            return
        x, y, _ = self.camera.project(np.array([place], np.float64))[0]
        width, height = self.camera.size
        if not (EDGE < x < width - EDGE and EDGE < y < height - EDGE):
            self.look_from(replace(self.camera, target=place))
        clear_the_way(self, place)

    @property
    def camera(self) -> Camera:
        """Where the bed is looked at from: a section has a camera of its own."""
        return self._flat_camera if self.scene.flat else self._solid_camera

    def look_from(self, camera: Camera) -> None:
        """Look from elsewhere."""
        if camera.flat:
            self._flat_camera, self._flat_is_own = camera, True
        else:
            self._solid_camera = camera
        self._fitted = True
        self.stir()
        self.redraw()
        self.camera_changed.emit()

    def stir(self) -> None:
        """The view moves: draw at once, and whole when it rests."""
        self.is_whole = False
        self._rest.start()

    def fit_all(self) -> None:
        """Show the whole bed with all parts, from the usual side."""
        low, high = self.scene.box
        yaw, pitch = USUAL
        self.look_from(replace(self.camera, yaw=yaw, pitch=pitch).fitted(low, high, MARGINS))

    def fit_selection(self) -> None:
        """Show what is picked."""
        boxes = [part.box for part in self.scene.parts if part.picked]
        if boxes:
            low = np.min([box[0] for box in boxes], axis=0)
            self.look_from(self.camera.fitted(low, np.max([box[1] for box in boxes], axis=0), MARGINS))

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        """Keep the camera's idea of the screen."""
        size = max(1, event.size().width()), max(1, event.size().height())
        self._solid_camera = replace(self._solid_camera, size=size)
        self._flat_camera = replace(self._flat_camera, size=size)
        if not self._fitted:
            self._fit_both()
        self.is_whole = False
        self.redraw()
        self.camera_changed.emit()

    def redraw(self) -> None:
        """Draw anew at the next chance."""
        self._stale = True
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Show the picture, drawn anew where it is stale."""
        if self._stale:
            self._draw()
        painter = QPainter(self)
        if self.picture.isNull():
            painter.fillRect(self.rect(), QColor(PAPER.paper))
            centred = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect(), centred, f"Nothing can be drawn here: {self._drawing.fault}")
        painter.drawImage(0, 0, self.picture)
        if self.scene.lines and not self.is_whole:
            painter.fillRect(QRectF(0, 0, self.width() * self.share, BAR), QColor(PAPER.accent))
        painter.end()
        self.painted.emit()

    def _draw(self) -> None:
        """Draw as much of the picture as a frame's time allows, and go on later with the rest."""
        self._stale = False
        ratio = self.devicePixelRatioF()
        size = round(self.width() * ratio), round(self.height() * ratio)
        moving = self._rest.isActive()
        camera = replace(self.camera, size=size)
        self.picture, self.share = self._drawing.picture(self.scene, camera, moving=moving, ratio=ratio)
        self.is_whole = self.share >= 1.0
        self.picture.setDevicePixelRatio(ratio)
        if not self.is_whole and not moving:
            self._later.start()

    def _go_on(self) -> None:
        """Draw the next piece of the whole picture; what lies over it is painted again only now and then."""
        if self._stale or self.is_whole or self._rest.isActive():
            return
        self._draw()
        if self.is_whole or self._told.hasExpired(TOLD):
            self._told.restart()
            self.update()

    def release(self) -> None:
        """Free all memory on the graphics card; nothing is drawn any more."""
        self._rest.stop()
        self._later.stop()
        self._drawing.release()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Begin a gesture."""
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        self.gestures.press(event.position(), event.button(), event.modifiers())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Go on with a gesture."""
        self.gestures.move(event.position(), event.modifiers())
        self.pointed.emit(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """End a gesture."""
        self.gestures.release(event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Escape lets go of what is in hand, Enter takes it."""
        enter = event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}
        if not (enter and self.gestures.take()) and (event.key() != Qt.Key.Key_Escape or not self.gestures.call_off()):
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Zoom by pinching; go through what lies under the pointer with Tab; name nothing once it has left."""
        if event.type() == QEvent.Type.Leave:
            self.gestures.under.leave()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Tab:
            at = QPointF(self.mapFromGlobal(QCursor.pos()))
            if self.rect().contains(at.toPoint()) and self.gestures.next_zone(at):
                return True
        if isinstance(event, QNativeGestureEvent) and event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture:
            at = event.position()
            self.look_from(self.camera.zoomed(1.0 / max(0.1, 1.0 + event.value()), at.x(), at.y()))
            return True
        return super().event(event)

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802 - Qt's name
        """Zoom at the pointer."""
        at: QPointF = event.position()
        notches = event.angleDelta().y() / 120.0
        self.look_from(self.camera.zoomed(ZOOM_A_NOTCH**notches, at.x(), at.y()))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802 - Qt's name
        """Take files."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802 - Qt's name
        """Bring dropped files in."""
        self.dropped.emit([url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()])
        event.acceptProposedAction()
