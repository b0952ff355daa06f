"""Which laid line is seen at a point of the canvas."""

from __future__ import annotations

import numpy as np

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.scene import LinesShape

NEAR = 6.0  # points from a line that still mean it
Asked = tuple[int, tuple[float, float, float]]


def line_at(shape: LinesShape, camera: Camera, x: float, y: float) -> Asked | None:
    """Return the path nearest to the eye under a point of the screen, and where on it, mm; none where none lies."""
    lines = shape.lines
    first, last = int(lines.layer[shape.first]), shape.end_of_last
    points = lines.points[first:last]
    shown = (shape.hidden >> points[:-1, 5].astype(np.int64)) & 1 == 0
    shown &= (points[:-1, 3] > 0) & (lines.path[first : last - 1] == lines.path[first + 1 : last])
    for low, high in shape.hidden_heights:
        shown &= (points[:-1, 4] < low) | (points[:-1, 4] > high)
    at = np.flatnonzero(shown)
    if len(at) == 0:
        return None
    ends = points[:, :3].astype(np.float64)
    if camera.flat:
        ends[:, 2] = 0.0
    if shape.plane is not None:
        gone = shape.plane.takes(ends)
        at = at[~(gone[at] & gone[at + 1])]
    seen = camera.project(ends)
    a, b = seen[at], seen[at + 1]
    way = b[:, :2] - a[:, :2]
    share = ((np.array((x, y)) - a[:, :2]) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-9)
    share = np.clip(share, 0.0, 1.0)
    far = np.hypot(*(a[:, :2] + share[:, None] * way - (x, y)).T)
    near = far <= NEAR
    if shape.plane is not None:
        near &= ~shape.plane.takes(ends[at] + share[:, None] * (ends[at + 1] - ends[at]))
    near = np.flatnonzero(near)
    if len(near) == 0:
        return None
    depth = a[near, 2] + share[near] * (b[near, 2] - a[near, 2])
    # Of those about as near to the eye, the one whose middle lies nearest to the pointer.
    front = near[depth <= depth.min() + float(points[at[near], 3].max())]
    best = int(front[np.argmin(far[front])])
    row = int(at[best])
    place = points[row, :3] + share[best] * (points[row + 1, :3] - points[row, :3])
    return int(lines.path[first + row]), (float(place[0]), float(place[1]), float(place[2]))
