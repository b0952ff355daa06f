"""A section of the toolpath as a picture, drawn true to width."""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from even_step.core.job.model import Bed
from even_step.core.toolpath.roles import TABLE
from even_step.core.toolpath.toolpath import Toolpath

FINER = 3  # drawn so many times larger, then shrunk: smooth edges
MARGIN = 8.0  # mm of paper round what is drawn
PAPER, RULE, HEAVY_RULE = "#F5F2EA", "#E9E3D6", "#D9D2C3"


@dataclass(frozen=True)
class _View:
    """From mm on the bed to picture points; y goes up on the bed."""

    left: float
    top: float
    scale: float

    def points(self, xy: NDArray[np.float64]) -> list[tuple[float, float]]:
        """Return picture points."""
        return [((x - self.left) * self.scale, (self.top - y) * self.scale) for x, y in xy]


def section_picture(toolpath: Toolpath, layer: int, bed: Bed, longest: int = 1600) -> bytes:
    """Draw one layer from above on the bed's graph paper.

    Parameters
    ----------
    toolpath
        Bed frame, mm.
    layer
        Which layer.
    bed
        Whose paper is drawn.
    longest
        The longer side of the picture, points.

    Returns
    -------
    bytes
        A PNG.
    """
    first, last = int(toolpath.layer[layer]), int(toolpath.layer[layer + 1])
    a, b = int(toolpath.start[first]), int(toolpath.start[last])
    xy = toolpath.xy[a:b] if b > a else np.array([bed.bounds[:2], bed.bounds[2:]])
    low, high = xy.min(axis=0) - MARGIN, xy.max(axis=0) + MARGIN
    scale = longest / float((high - low).max())
    size = [max(1, round(float(side) * scale)) for side in high - low]
    image = Image.new("RGB", (size[0] * FINER, size[1] * FINER), PAPER)
    draw = ImageDraw.Draw(image)
    view = _View(float(low[0]), float(high[1]), scale * FINER)
    _paper(draw, view, low, high, bed)
    for p in range(first, last):
        points = view.points(toolpath.xy[toolpath.start[p] : toolpath.start[p + 1]])
        wide = float(toolpath.width[p]) * view.scale
        _stroke(draw, points, wide, TABLE[int(toolpath.role[p])].colour)
    image = image.resize((size[0], size[1]), Image.Resampling.LANCZOS)
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return out.getvalue()


def _paper(
    draw: ImageDraw.ImageDraw, view: _View, low: NDArray[np.float64], high: NDArray[np.float64], bed: Bed
) -> None:
    """Rule squares of 10 mm, heavier at 50."""
    for heavy in (False, True):
        step = 50 if heavy else 10
        for axis in range(2):
            for k in range(int(np.ceil(low[axis] / step)), int(np.floor(high[axis] / step)) + 1):
                ends = np.array([low, high], np.float64)
                ends[:, axis] = k * step
                draw.line(view.points(ends), fill=HEAVY_RULE if heavy else RULE, width=FINER * (2 if heavy else 1))
    x0, y0, x1, y1 = bed.bounds
    corner, other = view.points(np.array([(x0, y1), (x1, y0)]))
    outline = draw.ellipse if bed.shape == "round" else draw.rectangle
    outline((*corner, *other), outline=HEAVY_RULE, width=2 * FINER)


def _stroke(draw: ImageDraw.ImageDraw, points: list[tuple[float, float]], wide: float, colour: str) -> None:
    """Draw a line with round joints and ends."""
    draw.line(points, fill=colour, width=max(1, round(wide)))
    half = wide / 2
    for x, y in points:
        draw.ellipse((x - half, y - half, x + half, y + half), fill=colour)
