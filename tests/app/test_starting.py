"""The program as it is started: on a display, without one, told to end."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtGui import QImage, QOpenGLContext

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.drawing import Drawing
from even_step.app.main import _close_on_signals, open_window
from even_step.core.errors import EvenStepError
from even_step.display import has_display, virtual_display
from tests.shapes import box, write_stl

ROOT = Path(__file__).parents[2]


def start(tmp_path, *arguments):
    environment = {
        **os.environ,
        "PYTHONPATH": str(ROOT / "src"),
        "XDG_STATE_HOME": str(tmp_path / "home"),
    }
    return subprocess.Popen(
        [sys.executable, "-m", "even_step.cli", *map(str, arguments)],
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )


def wait_for(condition, patience=60.0):
    end = time.monotonic() + patience
    while not condition() and time.monotonic() < end:
        time.sleep(0.05)
    assert condition()


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_a_window_told_to_end_keeps_unsaved_work_and_leaves_no_worker(qapp, tmp_path, number):
    model = write_stl(tmp_path / "block.stl", box(30, 20, 10))
    process = start(tmp_path, model)
    recovery = tmp_path / "home" / "even-step" / "recovery"
    wait_for(lambda: list(recovery.glob("*.toml")) != [])
    children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
    assert children
    process.send_signal(number)
    out, err = process.communicate(timeout=30)
    assert (process.returncode, out, err) == (0, "", "")
    assert [path.name.partition("-")[0] for path in recovery.glob("*.toml")] == ["unsaved"]
    wait_for(lambda: not any(alive(child) for child in children), 10.0)


def alive(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def test_a_file_that_does_not_exist_is_told_in_the_window(qapp, qtbot, tmp_path):
    opened = open_window([str(tmp_path / "gone.stl")], state=tmp_path / "state")
    try:
        qtbot.waitUntil(opened.area.notes.isVisible, timeout=30_000)
        assert "gone.stl" in opened.area.notes.text
        assert opened.desk.job.parts == ()
    finally:
        opened.close()


def test_a_virtual_display_is_named_while_it_lasts_and_gone_afterwards(monkeypatch):
    monkeypatch.delenv("DISPLAY", raising=False)
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    assert not has_display()
    with virtual_display():
        assert has_display()
        name = os.environ["DISPLAY"]
        assert name.startswith(":")
    assert not has_display()


def test_without_a_program_for_it_a_virtual_display_says_what_to_install(monkeypatch):
    monkeypatch.setenv("PATH", "/nowhere")
    with pytest.raises(EvenStepError, match="xvfb"), virtual_display():
        pass


def test_without_opengl_the_canvas_says_so_and_nothing_breaks(hand, monkeypatch):
    monkeypatch.setattr(QOpenGLContext, "create", lambda *_: False)
    hand.canvas._drawing = Drawing()
    image, whole = hand.canvas._drawing.picture(hand.canvas.scene, Camera(), moving=False)
    assert image.isNull()
    assert whole
    assert "OpenGL 3.3" in hand.canvas._drawing.fault
    hand.canvas.redraw()
    hand.qtbot.wait(50)
    assert hand.canvas.picture.isNull()
    assert hand.canvas.grab().toImage() != QImage()


def test_the_window_shows_before_kernels_and_polygons_are_loaded():
    code = (
        "import sys, even_step.app.main, even_step.app.window;"
        "print(*sorted({'numba', 'shapely', 'scipy'} & set(sys.modules)))"
    )
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    command = [sys.executable, "-c", code]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=True, timeout=60)
    assert done.stdout.strip() == ""


def test_a_signal_closes_the_window_between_two_events(window, qtbot):
    asked, before = [], {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)}
    shut, window.close = window.close, lambda: asked.append(True)
    woken = signal.set_wakeup_fd(-1)
    notifier = _close_on_signals(window)
    try:
        os.kill(os.getpid(), signal.SIGTERM)
        assert asked == [], "it may have come in the midst of painting"
        qtbot.waitUntil(lambda: asked == [True])
    finally:
        notifier.setEnabled(False)
        signal.set_wakeup_fd(woken)
        for number, handler in before.items():
            signal.signal(number, handler)
        window.close = shut
