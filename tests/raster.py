"""Coverage on a fine grid: an independent check of the ledger and of where lines lie."""

from __future__ import annotations

import numpy as np
import shapely

STEP = 0.02  # mm


class Raster:
    """A grid of points over a region; what lines cover is found by distance."""

    def __init__(self, region, margin=1.0):
        x0, y0, x1, y1 = region.bounds
        self.x = np.arange(x0 - margin, x1 + margin, STEP) + STEP / 2
        self.y = np.arange(y0 - margin, y1 + margin, STEP) + STEP / 2
        self.grid_x, self.grid_y = np.meshgrid(self.x, self.y)
        self.region = shapely.contains_xy(region, self.grid_x, self.grid_y)

    def covered(self, lines, widths, round_ends=True):
        """How often each point is covered by lines drawn as wide as given (a line counts once)."""
        count = np.zeros(self.grid_x.shape, np.int16)
        for xy, width in zip(lines, widths, strict=True):
            drawn = shapely.LineString(xy).buffer(width / 2, cap_style="round" if round_ends else "flat")
            x0, y0, x1, y1 = drawn.bounds
            i0, i1 = np.searchsorted(self.x, (x0, x1))
            j0, j1 = np.searchsorted(self.y, (y0, y1))
            window = np.s_[j0:j1, i0:i1]
            count[window] += shapely.contains_xy(drawn, self.grid_x[window], self.grid_y[window])
        return count

    def area(self, mask):
        return float(mask.sum()) * STEP * STEP


def layer_lines(toolpath, layer, roles=None):
    """Lines and widths of one layer."""
    lines, widths = [], []
    for p in range(toolpath.layer[layer], toolpath.layer[layer + 1]):
        if roles is None or toolpath.role[p] in roles:
            lines.append(toolpath.xy[toolpath.start[p] : toolpath.start[p + 1]])
            widths.append(float(toolpath.width[p]))
    return lines, widths
