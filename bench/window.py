"""Measure the window on a virtual display: start, frames while turning and scrubbing, stalls while slicing.

    ./even-step bench window [--repeat N] [--write]

Start is from a new process to the demo drawn whole. A frame is from the move to the picture painted. Stalls are the
longest gaps between the ticks of a 5 ms timer in the window's own thread.
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from even_step.display import virtual_display

if TYPE_CHECKING:
    from even_step.app.window import Window

ROOT = Path(__file__).parents[1]
PAGE = ROOT / "docs" / "performance.md"
MARK = "<!-- window -->"
FRAMES = 40
TICK = 5  # ms
#: Sides and height in mm of rippled columns whose slices have about 0.3, 0.5 and 2 million lines.
COLUMNS = (1200, 7.0), (1200, 16.0), (1800, 60.0)
MILLION = 500  # columns of a bumpy sheet: two sides of 500 × 1000 facets


class Stalls:
    """Notes the gaps between ticks."""

    def __init__(self) -> None:
        from PySide6.QtCore import QTimer  # noqa: PLC0415 - Qt loads once a display is there

        self.gaps: list[float] = []
        self._last = time.perf_counter()
        self._timer = QTimer()
        self._timer.setInterval(TICK)
        self._timer.timeout.connect(self._tick)
        self._timer.start()

    def _tick(self) -> None:
        now = time.perf_counter()
        self.gaps.append(now - self._last)
        self._last = now

    def stop(self) -> float:
        """Return the longest gap, s."""
        self._timer.stop()
        return max(self.gaps, default=0.0)


def start_time() -> float:
    """Return how long a new process takes to the demo drawn whole, s."""
    begun = time.perf_counter()
    command = [sys.executable, "-m", "bench.window", "--start-only"]
    subprocess.run(command, cwd=ROOT, check=True, env=dict(os.environ))
    return time.perf_counter() - begun


def start_only() -> None:
    """Open the demo as the command does, and leave without tidying up once it is drawn."""
    from even_step.app.work.entry import start  # noqa: PLC0415 - as the command does

    worker = start()
    from even_step.app.main import open_window  # noqa: PLC0415
    from even_step.app.settled import drawn, wait_until  # noqa: PLC0415

    window = open_window(demo=True, state=Path(tempfile.gettempdir()) / "even-step-bench", worker=worker)
    wait_until(lambda: bool(window.desk.job.parts) and drawn(window), "the demo")
    worker.process.kill()
    os._exit(0)


def frames(window: Window, move: Callable[[int], None], count: int = FRAMES) -> list[float]:
    """Return how long each move takes until it is painted, s."""
    from PySide6.QtCore import QEventLoop  # noqa: PLC0415 - Qt loads once a display is there

    loop = QEventLoop()
    window.area.canvas.painted.connect(loop.quit)
    took = []
    for k in range(count):
        begun = time.perf_counter()
        move(k)
        loop.exec()
        took.append(time.perf_counter() - begun)
    window.area.canvas.painted.disconnect(loop.quit)
    return took


def bumpy_sheet(path: Path) -> None:
    """Write a million facets as an STL."""
    side = np.linspace(0, 100, MILLION + 1)
    x, y = np.meshgrid(side, side, indexing="ij")
    top = np.stack((x, y, 10 + 2 * np.sin(x) * np.cos(y)), axis=-1)
    bottom = top * (1, 1, 0)
    quads = []
    for grid, turn in ((top, 1), (bottom, -1)):
        a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
        quads += [np.stack(corners[::turn], axis=-2).reshape(-1, 3, 3) for corners in ((a, b, c), (a, c, d))]
    rims = ((top[:, 0], bottom[:, 0]), (bottom[:, -1], top[:, -1]), (bottom[0], top[0]), (top[-1], bottom[-1]))
    for edge, other in rims:
        a, b, c, d = edge[:-1], edge[1:], other[1:], other[:-1]
        quads += [np.stack((a, c, b), axis=-2), np.stack((a, d, c), axis=-2)]
    _write_stl(path, np.concatenate(quads))


def _write_stl(path: Path, facets: NDArray[np.float64]) -> None:
    rows = np.zeros(len(facets), np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("extra", "<u2")]))
    rows["corners"] = facets
    path.write_bytes(b"\0" * 80 + np.uint32(len(rows)).tobytes() + rows.tobytes())


def measure(repeat: int) -> list[tuple[str, str, str]]:
    """Return rows of what was measured: what, how much, the aim."""
    rows = []
    start_time()
    starts = [start_time() for _ in range(repeat)]
    rows.append(("start to the drawn demo", f"{statistics.median(starts):.2f} s", "3 s"))
    from even_step.app.main import open_window  # noqa: PLC0415 - Qt loads once a display is there
    from even_step.app.settled import drawn, wait_until  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        window = open_window(demo=True, state=Path(folder))
        window.resize(1280, 800)
        desk, canvas = window.desk, window.area.canvas
        wait_until(lambda: bool(desk.job.parts) and drawn(window), "the demo")
        turning = frames(window, lambda _: canvas.look_from(canvas.camera.turned(6, 0.5)))
        rows.append(("turning the demo's parts, a frame", f"{statistics.median(turning) * 1000:.0f} ms", "50 ms"))
        stalls = Stalls()
        window.run("slice.run")
        wait_until(lambda: not desk.trials.running and bool(desk.trials.all), "the slice")
        rows.append(("longest stall while slicing", f"{stalls.stop() * 1000:.0f} ms", "100 ms"))
        desk.view.set("station", "Layers")
        wait_until(lambda: drawn(window), "the layers")
        frames(window, lambda _: canvas.look_from(canvas.camera.turned(3, 0.5)), 10)
        orbit = frames(window, lambda _: canvas.look_from(canvas.camera.turned(6, 0.5)))
        rows.append(("turning the demo's layers, a frame", f"{statistics.median(orbit) * 1000:.0f} ms", "50 ms"))
        lines = desk.trials.all[-1].lines
        count = lines.count if lines else 0
        scrub = frames(window, lambda k: desk.view.show_layers(0, (k * 37) % count, count))
        rows.append(("a scrub step on the demo's layers", f"{statistics.median(scrub) * 1000:.0f} ms", "50 ms"))
        begun = time.perf_counter()
        canvas.look_from(canvas.camera.turned(3, 0.5))
        wait_until(lambda: drawn(window), "the whole picture")
        rows.append(("all layers drawn whole after that", f"{time.perf_counter() - begun:.2f} s", "2 s"))
        rows += _cancelling(window)
        rows += _lines_by_number(window, Path(folder))
        rows += _million(window, Path(folder))
        window.close()
    return rows


def rippled_column(path: Path, sides: int, height: float) -> None:
    """Write a column of so many sides, rippled and drawn in at half its height, as an STL."""
    turn, up = np.linspace(0, 2 * np.pi, sides, endpoint=False), np.linspace(0, height, 60)
    radius = 30 + 0.7 * np.sin(120 * turn)[None, :] + 6 * np.cos(2 * np.pi * up / height)[:, None]
    ring = np.stack((radius * np.cos(turn), radius * np.sin(turn), np.repeat(up[:, None], sides, axis=1)), axis=-1)
    after = np.roll(ring, -1, axis=1)
    quads = [(ring[:-1], after[:-1], after[1:]), (ring[:-1], after[1:], ring[1:])]
    ends = [
        (np.broadcast_to((0, 0, z), (sides, 3)), a, b)
        for z, a, b in ((0, after[0], ring[0]), (height, ring[-1], after[-1]))
    ]
    facets = np.concatenate([np.stack(one, axis=-2).reshape(-1, 3, 3) for one in (*quads, *ends)])
    _write_stl(path, facets)


def _lines_by_number(window: Window, folder: Path) -> list[tuple[str, str, str]]:
    """Slice columns of more and more lines; turn them and go through their layers."""
    from even_step.app.settled import drawn, wait_until  # noqa: PLC0415 - Qt loads once a display is there

    desk, canvas = window.desk, window.area.canvas
    rows = []
    for sides, height in COLUMNS:
        window.files.new()
        path = folder / f"column {sides}.stl"
        rippled_column(path, sides, height)
        window.files.bring_in([str(path)])
        wait_until(lambda: bool(desk.job.parts) and drawn(window), "the column")
        desk.store.do("not straightened", desk.job.with_settings({"layers.resolution": 0.002, "infill.density": 30.0}))
        window.run("slice.run")
        wait_until(lambda: not desk.trials.running and desk.trials.shown is not None, "the slice")
        desk.view.set("station", "Layers")
        lines = desk.trials.shown.lines if desk.trials.shown else None
        count, million = (lines.count, len(lines.points) / 1e6) if lines else (1, 0.0)
        desk.view.show_layers(0, count - 1, count)
        begun = time.perf_counter()
        canvas.fit_all()
        wait_until(lambda: drawn(window), "the layers")
        whole = time.perf_counter() - begun
        frames(window, lambda _: canvas.look_from(canvas.camera.turned(3, 0.5)), 10)
        orbit = frames(window, lambda _: canvas.look_from(canvas.camera.turned(6, 0.5)))
        scrub = frames(window, lambda k, count=count: desk.view.show_layers(0, (k * 37) % count, count))  # type: ignore[misc]
        told = [f"{1000 * statistics.median(one):.0f} ms" for one in (orbit, scrub)]
        rows.append((f"turning {million:.1f} million lines, a frame", told[0], "50 ms"))
        rows.append((f"a scrub step on {million:.1f} million lines", told[1], "50 ms"))
        rows.append((f"{million:.1f} million lines drawn whole", f"{whole:.2f} s", "2 s"))
    return rows


def _cancelling(window: Window) -> list[tuple[str, str, str]]:
    """Cancel a slice at several moments."""
    from even_step.app.settled import wait_until  # noqa: PLC0415 - Qt loads once a display is there

    desk = window.desk
    took = []
    for k in range(6):
        job = desk.job.with_settings({"layers.height": 0.1 + 0.01 * k, "layers.resolution": 0.01 + 0.001 * k})
        desk.store.do("finer", job)
        window.run("slice.run")
        wait_until(lambda k=k: window.strip.button.share > 0.12 * (k + 1), "progress")  # type: ignore[misc]
        begun = time.perf_counter()
        window.run("slice.cancel")
        wait_until(lambda: not desk.trials.running, "the end")
        took.append(time.perf_counter() - begun)
    return [("longest wait for a cancelled slice to stop", f"{max(took):.2f} s", "0.5 s")]


def _million(window: Window, folder: Path) -> list[tuple[str, str, str]]:
    """Bring in a million facets and turn the view."""
    from even_step.app.settled import drawn, wait_until  # noqa: PLC0415 - Qt loads once a display is there

    window.files.new()
    path = folder / "sheet.stl"
    bumpy_sheet(path)
    os.sync()  # or the disk is still busy with the file when it is copied
    begun = time.perf_counter()
    stalls = Stalls()
    window.files.bring_in([str(path)])
    wait_until(lambda: bool(window.desk.job.parts) and drawn(window), "a million facets")
    rows = [("a million facets from file to screen", f"{time.perf_counter() - begun:.2f} s", "2 s")]
    rows.append(("longest stall while they come in", f"{stalls.stop() * 1000:.0f} ms", "100 ms"))
    canvas = window.area.canvas
    frames(window, lambda _: canvas.look_from(canvas.camera.turned(6, 0.5)), 8)
    turning = frames(window, lambda _: canvas.look_from(canvas.camera.turned(6, 0.5)))
    rows.append(("turning a million facets, a frame", f"{statistics.median(turning) * 1000:.0f} ms", "50 ms"))
    return rows


def main(arguments: list[str]) -> int:
    """Measure, print, and keep on wish."""
    parser = argparse.ArgumentParser(prog="./even-step bench window", description=__doc__)
    parser.add_argument("--repeat", type=int, default=3)
    parser.add_argument("--write", action="store_true", help="keep the table in docs/performance.md")
    parser.add_argument("--start-only", action="store_true", help=argparse.SUPPRESS)
    chosen = parser.parse_args(arguments)
    if chosen.start_only:
        start_only()
    with virtual_display():
        rows = measure(chosen.repeat)
        from even_step.app.main import application  # noqa: PLC0415 - Qt loads once a display is there

        application().shutdown()
    table = ["| what | measured | held to |", "|---|---|---|", *(f"| {' | '.join(row)} |" for row in rows)]
    print("\n".join(table))
    if chosen.write:
        page = PAGE.read_text()
        head, _, tail = page.partition(MARK)
        _, _, rest = tail.partition(MARK)
        PAGE.write_text(f"{head}{MARK}\n\n" + "\n".join(table) + f"\n\n{MARK}{rest}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
