"""The largest circles inside an outline that touch it at points all along, and how thick the region is there.

A point of the outline with its inward normal has one largest circle that touches the outline there and holds nothing
of it: over the edges about, the least of a closed form (Ma, Bae and Choi, "3D medial axis point approximation using
nearest neighbors and the normal field", 2012). Where the outline on the other side faces the point, the region is as
thick there as the circle; in a corner it is as thick as beside the corner.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

FACING = -0.7071  # cosine: walls that lean more than 45° toward each other are a corner, no narrow place
FAN = 0.35  # radians, a reflex corner that turns more is looked at in several directions
SPLIT = 1.58  # radians, a reflex corner that turns more is followed with two corners
MID, CONVEX, REFLEX = 0, 1, 2
UX, UY, LONG, BENT = 2, 3, 4, 5  # columns of sides, after the point each begins at
TANGENT = 1e-6  # of the square: a circle that only grazes a corner does not touch it
NEVER = 1e9


@kernel
def sides_of(edges, before):  # type: ignore[no-untyped-def]
    """Return where each edge begins, its direction and length, and 1 where that corner is reflex, (n, 6).

    ``before`` is the edge before each. All a circle asks of an edge lies side by side in memory.
    """
    out = np.empty((edges.shape[0], 6))
    for e in range(edges.shape[0]):
        ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
        long = np.hypot(ux, uy)
        scale = 1.0 / long if long > 0.0 else 0.0
        out[e, 0], out[e, 1] = edges[e, 0], edges[e, 1]
        out[e, UX], out[e, UY], out[e, LONG] = ux * scale, uy * scale, long
    for e in range(edges.shape[0]):
        p = before[e]
        turns_right = out[p, UX] * out[e, UY] - out[p, UY] * out[e, UX] < 0.0
        out[e, BENT] = 1.0 if turns_right else 0.0
    return out


@kernel
def edges_from(xy, start):  # type: ignore[no-untyped-def]
    """Return the edges of closed rings, (n, 4), numbered by the point they begin at, and the edge before each."""
    out = np.empty((xy.shape[0], 4))
    before = np.empty(xy.shape[0], np.int64)
    for r in range(start.shape[0] - 1):
        a, b = start[r], start[r + 1]
        for i in range(a, b):
            j = i + 1 if i + 1 < b else a
            out[i, 0], out[i, 1], out[i, 2], out[i, 3] = xy[i, 0], xy[i, 1], xy[j, 0], xy[j, 1]
            before[j] = i
    return out, before


@kernel
def _turn(side, before, e):  # type: ignore[no-untyped-def]
    """Return by how much the outline turns left where an edge begins, radians."""
    p = before[e]
    ux, uy, vx, vy = side[p, UX], side[p, UY], side[e, UX], side[e, UY]
    return np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)


@kernel
def samples(side, before, start, spacing):  # type: ignore[no-untyped-def]
    """Return points along outlines with the way each moves when the outline is moved in by one.

    Between two neighbours both change evenly, so the outline moved in is known everywhere.

    Returns point and way (n, 4), its kind, the edge after it (less than 0 within the fan of a reflex corner, whose
    edge it is then less one), where each ring's samples begin, and the first sample of each edge.
    """
    count = side.shape[0]
    turn = np.empty(count)
    size = 0
    for e in range(count):
        turn[e] = _turn(side, before, e)
        size += 2 + int(side[e, LONG] / spacing)
        if turn[e] < -FAN:
            size += 6 + int(-turn[e] / FAN)
    out = np.empty((size, 4))
    kind = np.empty(size, np.int64)
    edge = np.empty(size, np.int64)
    starts = np.zeros(start.shape[0], np.int64)
    head = np.empty(count, np.int64)
    w = 0
    for r in range(start.shape[0] - 1):
        for e in range(start[r], start[r + 1]):
            x, y = side[e, 0], side[e, 1]
            nx, ny = -side[e, UY], side[e, UX]
            px, py = -side[before[e], UY], side[before[e], UX]
            if turn[e] >= -FAN:
                whole = 1.0 + nx * px + ny * py
                if whole > 1e-4:
                    out[w, 0], out[w, 1] = x, y
                    out[w, 2], out[w, 3] = (nx + px) / whole, (ny + py) / whole
                    kind[w] = CONVEX if turn[e] > 0.0 else REFLEX
                    edge[w] = e
                    w += 1
            else:
                w = _fan(out, kind, edge, w, e, x, y, px, py, turn[e])
            head[e] = max(w - 1, starts[r])
            steps = int(side[e, LONG] / spacing) + 1
            for k in range(1, steps):
                long = side[e, LONG] * k / steps
                out[w, 0], out[w, 1] = x + side[e, UX] * long, y + side[e, UY] * long
                out[w, 2], out[w, 3] = nx, ny
                kind[w] = MID
                edge[w] = e
                w += 1
        starts[r + 1] = w
    return out[:w].copy(), kind[:w].copy(), edge[:w].copy(), starts, head


@kernel
def _fan(out, kind, edge, w, e, x, y, px, py, turn):  # type: ignore[no-untyped-def]
    """Write the samples of a reflex corner: along the one or two corners of the outline moved in."""
    corners = 1 if turn >= -SPLIT else 2
    part = turn / corners
    long = 1.0 / np.cos(part / 2.0)
    ax, ay = px, py
    for k in range(2 * corners):
        # From a normal to a corner, or from a corner to the next normal.
        to = part * (k // 2) + (part / 2.0 if k % 2 == 0 else part)
        scale = long if k % 2 == 0 else 1.0
        cos, sin = np.cos(to), np.sin(to)
        bx, by = scale * (px * cos - py * sin), scale * (px * sin + py * cos)
        steps = 1 + int(-part / 2.0 / FAN)
        for i in range(steps):
            share = i / steps
            out[w, 0], out[w, 1] = x, y
            out[w, 2], out[w, 3] = ax + (bx - ax) * share, ay + (by - ay) * share
            kind[w] = REFLEX
            edge[w] = -1 - e
            w += 1
        ax, ay = bx, by
    out[w, 0], out[w, 1], out[w, 2], out[w, 3] = x, y, ax, ay
    kind[w] = REFLEX
    edge[w] = e
    return w + 1


@kernel
def _nearer(side, e, x, y, wx, wy, best):  # type: ignore[no-untyped-def]
    """Return the radius of the circle that touches an edge if it is less than ``best``, else that.

    Also where: 1 on the edge, 2 at the corner it begins at, 0 nowhere.
    """
    at = 0
    px, py = x - side[e, 0], y - side[e, 1]
    ux, uy = side[e, UX], side[e, UY]
    high = py * ux - px * uy
    slow = 1.0 - (wy * ux - wx * uy)
    if 0.0 <= high < best * slow and slow > 1e-9 and side[e, LONG] > 0.0:
        radius = high / slow
        foot = (px + radius * wx) * ux + (py + radius * wy) * uy
        if -1e-9 <= foot <= side[e, LONG] + 1e-9:
            best, at = radius, 1
    toward = wx * px + wy * py
    if side[e, BENT] > 0.0 and toward < 0.0:
        away = px * px + py * py
        root = toward * toward - (wx * wx + wy * wy - 1.0) * away
        if root > TANGENT * toward * toward and away > 1e-12:
            radius = away / (np.sqrt(root) - toward)
            if radius < best:
                best, at = radius, 2
    return best, at


@kernel
def ball(side, grid, x, y, wx, wy, own, other, guess, most):  # type: ignore[no-untyped-def]
    """Return the radius of the largest circle about (x, y) + radius · (wx, wy) that holds no outline, at most ``most``.

    Also which edge it touches, −1 for none, and whether (2) at the corner it begins at. ``own`` and ``other`` are
    edges that it touches anyhow, ``guess`` an edge it may touch: it is looked at first, that few others need be.
    """
    best, found, at = most, -1, 0
    box, first, item = grid
    columns, rows, scale = int(box[3]), int(box[4]), 1.0 / box[2]
    if guess >= 0 and guess != own and guess != other:
        best, at = _nearer(side, guess, x, y, wx, wy, best)
        found = guess if at > 0 else -1
    cx, cy = x + best * wx, y + best * wy
    reach = best + 1e-6
    # With a way longer than one the circles do not hold one another, but lie between the first and the last.
    a = max(0, int(np.floor((min(x, cx - reach) - box[0]) * scale)))
    b = min(columns - 1, int((max(x, cx + reach) - box[0]) * scale))
    c = max(0, int(np.floor((min(y, cy - reach) - box[1]) * scale)))
    d = min(rows - 1, int((max(y, cy + reach) - box[1]) * scale))
    if b < a:
        return best, found, at  # beside all edges, as what is moved in past a sharp corner may be
    for gy in range(c, d + 1):
        # The cells of a row follow each other, and so do their edges.
        for k in range(first[gy * columns + a], first[gy * columns + b + 1]):
            e = item[k]
            if e in (own, other, guess):
                continue
            best, what = _nearer(side, e, x, y, wx, wy, best)
            if what > 0:
                found, at = e, what
    return best, found, at


@kernel
def contact(side, e, at, cx, cy):  # type: ignore[no-untyped-def]
    """Return where a circle about (cx, cy) touches an edge or its corner."""
    if at == 2:
        return side[e, 0], side[e, 1]
    along = (cx - side[e, 0]) * side[e, UX] + (cy - side[e, 1]) * side[e, UY]
    return side[e, 0] + along * side[e, UX], side[e, 1] + along * side[e, UY]


@kernel
def faces(side, e, at, cx, cy, radius, nx, ny):  # type: ignore[no-untyped-def]
    """Return the cosine between a normal and that of what a circle touches."""
    if at == 2:
        return (nx * (cx - side[e, 0]) + ny * (cy - side[e, 1])) / radius if radius > 0.0 else 1.0
    return ny * side[e, UX] - nx * side[e, UY]
