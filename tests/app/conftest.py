"""The real window on a display in memory, driven by real events."""

from __future__ import annotations

import threading

import pytest
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from even_step.app.main import application, open_window
from even_step.app.work.client import WorkerClient
from even_step.display import virtual_display
from tests.shapes import box, write_stl
from tests.spots import nth_part, nth_spot

PATIENCE = 60_000


@pytest.fixture(scope="session")
def qapp():
    with virtual_display():
        app = application()
        yield app
        app.shutdown()


@pytest.fixture(scope="session")
def spare_workers():
    """Workers that windows let go: the next one takes it, for starting one takes longer than most tests."""
    kept = []
    yield kept
    for started in kept:
        WorkerClient(started).close()


@pytest.fixture
def window(qapp, qtbot, tmp_path, spare_workers):
    """A window with nothing on its desk; afterwards nothing of it may be left."""
    threads = set(threading.enumerate())
    made = open_window(state=tmp_path / "state", worker=spare_workers.pop() if spare_workers else None)
    worker, close = made.desk.worker, made.desk.worker.close

    def let_go():
        started = worker.release()
        if started:
            spare_workers.append(started)
        close()

    worker.close = let_go
    made.resize(1280, 800)
    qtbot.waitExposed(made)
    yield made
    made.close()
    qapp.processEvents()
    made.deleteLater()
    qapp.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    left = [thread for thread in threading.enumerate() if thread not in threads and thread.name != "pydev"]
    assert [thread.name for thread in left if thread.is_alive()] == []


class Hand:
    """Does to the window what a user does."""

    def __init__(self, window, qtbot):
        self.window, self.qtbot = window, qtbot
        self.desk, self.canvas = window.desk, window.area.canvas

    def wait(self, done, patience=PATIENCE):
        self.qtbot.waitUntil(done, timeout=patience)

    def drawn(self):
        self.wait(
            lambda: (
                self.canvas.is_whole
                and not self.window.files.reading
                and not self.desk.background.busy
                and self.desk.shelf.has_all(self.desk.job.parts)
            )
        )

    def find(self, kind, name):
        self.wait(lambda: bool(self.window.findChildren(kind, name)))
        found = self.window.findChildren(kind, name)
        shown = [piece for piece in found if not isinstance(piece, QWidget) or piece.isVisible()]
        return (shown or found)[-1]

    def click(self, name, kind=QWidget, modifier=Qt.KeyboardModifier.NoModifier):
        QApplication.processEvents()
        widget = self.find(kind, name)
        assert widget.isVisible(), name
        assert widget.isEnabled(), name
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, modifier)

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier):
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifier)

    def type_into(self, name, text):
        """Type over what a field holds, and Enter."""
        field = self.find(QWidget, name)
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)

    def drop(self, *paths):
        """Drop files on the canvas."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        held = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        QGuiApplication.sendEvent(self.canvas, QDragEnterEvent(QPoint(200, 200), *held))
        event = QDropEvent(QPointF(200, 200), *held)
        QGuiApplication.sendEvent(self.canvas, event)
        assert event.isAccepted()
        self.drawn()

    def activate(self):
        """Bring the window to the front, as a window manager does when a dialog closes."""
        self.window.activateWindow()
        self.wait(lambda: QApplication.activeWindow() is self.window)

    def part(self, number=0):
        """The id of a part, by where it stands in the job."""
        return nth_part(self.desk.job, number)

    def spot(self, number=0, copy=0):
        """The spot of a copy, by where it stands in the job."""
        return nth_spot(self.desk.job, number, copy)

    def seen(self, spot, height=0.5):
        """Where a copy's middle is seen on the canvas, at a share of its height."""
        part = next(part for part in self.canvas.scene.parts if part.spot == spot)
        low, high = part.box
        x, y, _ = self.canvas.camera.project([[(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2] * height]])[0]
        return QPoint(round(x), round(y))

    def press_and_drag(self, start, end, button=Qt.MouseButton.LeftButton, modifier=Qt.KeyboardModifier.NoModifier):
        QTest.mousePress(self.canvas, button, modifier, start)
        for share in (0.2, 0.6, 1.0):
            QTest.mouseMove(self.canvas, start + (end - start) * share)
            QApplication.processEvents()
        QTest.mouseRelease(self.canvas, button, modifier, end)
        self.drawn()

    def click_canvas(self, at, modifier=Qt.KeyboardModifier.NoModifier):
        QTest.mouseClick(self.canvas, Qt.MouseButton.LeftButton, modifier, at)
        self.drawn()

    def slice(self):
        def latest():
            return max(self.desk.trials.all, key=lambda trial: trial.turn, default=None)

        before = latest().turn if latest() else 0
        self.key(Qt.Key.Key_F5)
        self.wait(lambda: latest() is not None and latest().turn > before and not self.desk.trials.running)
        return latest()


@pytest.fixture
def hand(window, qtbot):
    made = Hand(window, qtbot)
    made.activate()
    return made


@pytest.fixture
def block(hand, tmp_path):
    """The window with a block of 30 × 20 × 10 mm in the middle of the bed."""
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 20, 10)))
    return hand
