"""The way of branches through open places: the loops behind trees."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

SLENDER = 1.0 / 36.0  # mm of radius per mm of length: no branch is so slim that it is knocked over
TAPER = 0.35  # mm of radius per mm under a tip
MEETS = 1.2  # of the way that two branches could go toward each other from their height: farther ones do not try
MET = 0.05  # mm from each other
WAY_OUT = 12  # cells within which a branch near the part looks for a clear place


@kernel
def places(words, layers):  # type: ignore[no-untyped-def]
    """List the filled cells of a volume, layer by layer."""
    _, rows, columns = words.shape
    count = 0
    for layer in range(layers):
        for row in range(rows):
            for column in range(columns):
                count += (words[layer // 64, row, column] >> np.uint64(layer % 64)) & np.uint64(1) != 0
    out = np.empty((count, 3), np.int64)
    n = 0
    for layer in range(layers):
        for row in range(rows):
            for column in range(columns):
                if (words[layer // 64, row, column] >> np.uint64(layer % 64)) & np.uint64(1) != 0:
                    out[n, 0], out[n, 1], out[n, 2] = layer, row, column
                    n += 1
    return out


@kernel
def thinned(places, top, cell, spacing):  # type: ignore[no-untyped-def]
    """Keep each place that none kept before it is nearer to than the spacing."""
    kept = np.empty((places.shape[0], 3), np.int64)
    n = 0
    limit = spacing * spacing
    for p in range(places.shape[0]):
        alone = True
        for k in range(n - 1, -1, -1):
            up = top[places[p, 0]] - top[kept[k, 0]]
            if up > spacing:
                break  # those before are lower still
            dy, dx = (places[p, 1] - kept[k, 1]) * cell, (places[p, 2] - kept[k, 2]) * cell
            if dx * dx + dy * dy + up * up < limit:
                alone = False
                break
        if alone:
            kept[n] = places[p]
            n += 1
    return kept[:n].copy()


@kernel
def slabs_of(words, bounds):  # type: ignore[no-untyped-def]
    """Return a volume with a bit a slab: whether any of its layers has the cell."""
    _, rows, columns = words.shape
    count = bounds.shape[0] - 1
    out = np.zeros(((count + 63) // 64, rows, columns), np.uint64)
    for t in range(count):
        bit = np.uint64(1) << np.uint64(t % 64)
        for layer in range(bounds[t], bounds[t + 1]):
            w, shift = layer // 64, np.uint64(layer % 64)
            for row in range(rows):
                for column in range(columns):
                    if (words[w, row, column] >> shift) & np.uint64(1) != 0:
                        out[t // 64, row, column] |= bit
    return out


@kernel
def open_places(free, count):  # type: ignore[no-untyped-def]
    """Return from which free cells of each slab a way leads down to the bed, a cell aside a slab."""
    words, rows, columns = free.shape
    out = np.zeros((words, rows, columns), np.uint64)
    for t in range(count):
        w, shift = t // 64, np.uint64(t % 64)
        for row in range(rows):
            for column in range(columns):
                if (free[w, row, column] >> shift) & np.uint64(1) == 0:
                    continue
                reached = t == 0
                for dy in range(-1, 2):
                    for dx in range(-1, 2):
                        if not reached and 0 <= row + dy < rows and 0 <= column + dx < columns:
                            reached = is_set(out, t - 1, row + dy, column + dx)
                if reached:
                    out[w, row, column] |= np.uint64(1) << shift
    return out


@kernel
def is_set(words, layer, row, column):  # type: ignore[no-untyped-def]
    """Whether a cell is filled in a layer; outside the frame none is."""
    if row < 0 or column < 0 or row >= words.shape[1] or column >= words.shape[2]:
        return False
    return (words[layer // 64, row, column] >> np.uint64(layer % 64)) & np.uint64(1) != 0


@kernel
def _holds(words, t, x, y, frame):  # type: ignore[no-untyped-def]
    """Whether the cell at a place is filled in a slab."""
    return is_set(words, t, int(np.floor((y - frame[1]) / frame[2])), int(np.floor((x - frame[0]) / frame[2])))


@kernel
def _nearest(nodes, n, i):  # type: ignore[no-untyped-def]
    """Return the number of the node nearest to one of n, below 0 for none."""
    best, found = np.inf, -1
    for j in range(n):
        if j != i:
            away = (nodes[j, 0] - nodes[i, 0]) ** 2 + (nodes[j, 1] - nodes[i, 1]) ** 2
            if away < best:
                best, found = away, j
    return found


@kernel
def _place_below(words, t, x, y, want_x, want_y, reach, frame):  # type: ignore[no-untyped-def]
    """Return the filled place of a slab within reach that is nearest to a wanted one, and whether there is any."""
    x0, y0, cell = frame
    if _holds(words, t, want_x, want_y, frame):
        return want_x, want_y, True
    best, bx, by = np.inf, x, y
    wide = int(np.ceil(reach / cell)) + 1
    row, column = int(np.floor((y - y0) / cell)), int(np.floor((x - x0) / cell))
    for dy in range(-wide, wide + 1):
        for dx in range(-wide, wide + 1):
            if not is_set(words, t, row + dy, column + dx):
                continue
            px, py = x0 + (column + dx + 0.5) * cell, y0 + (row + dy + 0.5) * cell
            if (px - x) ** 2 + (py - y) ** 2 > reach * reach:
                continue
            away = (px - want_x) ** 2 + (py - want_y) ** 2
            if away < best:
                best, bx, by = away, px, py
    return bx, by, best < np.inf


@kernel
def _next_place(fields, t, x, y, want_x, want_y, reach, frame):  # type: ignore[no-untyped-def]
    """Return where a branch goes on in a slab: where a way leads to the bed, else clear of the part, else straight.

    And whether it goes on at all: near the part no place is clear.
    """
    open_, free, hull, _ = fields
    nx, ny, there = _place_below(open_, t, x, y, want_x, want_y, reach, frame)
    if there:
        return nx, ny, True
    for words in (open_, free):
        # Under what hangs, right beside the part, no place is clear: toward the nearest that is.
        nx, ny, there = _place_below(words, t, x, y, x, y, WAY_OUT * frame[2], frame)
        far = np.hypot(nx - x, ny - y)
        if there and far > reach:
            nx, ny = x + (nx - x) / far * reach, y + (ny - y) / far * reach
            there = _holds(hull, t, nx, ny, frame)
        if there:
            return nx, ny, True
    return x, y, _holds(hull, t, x, y, frame)


@kernel
def _stands(x, y, slab, tall, fields, frame, lean, on_part):  # type: ignore[no-untyped-def]
    """Whether a branch that goes straight where it can comes down to the bed, or to the part where it may stand."""
    for t in range(slab, 0, -1):
        x, y, there = _next_place(fields, t - 1, x, y, x, y, tall[t] * lean, frame)
        if not there:
            return on_part and not (_holds(fields[3], t, x, y, frame) or _holds(fields[3], t - 1, x, y, frame))
    return True


@kernel
def walked(xy, slab, tall, fields, frame, sizes, on_part, not_everywhere):  # type: ignore[no-untyped-def]
    """Walk all branches down; returns slab, upper and lower middles, radii there, and whether each is near its tip."""
    lean, tip, thin, thick, near = sizes
    count, slabs = xy.shape[0], tall.shape[0]
    high = np.cumsum(tall)
    nodes = np.empty(
        (count, 5)
    )  # x, y, contacts carried, depth under its tip, whether it goes on: 1 in the open, 0.5 near the part
    most = count * slabs
    of, upper, lower = np.empty(most, np.int64), np.empty((most, 2)), np.empty((most, 2))
    wide, first = np.empty((most, 2)), np.zeros(most, np.bool_)
    n, w = 0, 0
    for c in range(count):
        if on_part and not not_everywhere:
            continue
        if not _stands(xy[c, 0], xy[c, 1], slab[c], tall, fields, frame, lean, on_part):
            slab[c] = -1  # all by itself it would come to stand where it may not
    for t in range(slabs - 1, -1, -1):
        for c in range(count):
            if slab[c] == t:
                nodes[n, 0], nodes[n, 1], nodes[n, 2], nodes[n, 3], nodes[n, 4] = xy[c, 0], xy[c, 1], 1.0, 0.0, 1.0
                n += 1
        reach = tall[t] * lean
        for i in range(n):
            x, y = nodes[i, 0], nodes[i, 1]
            j = _nearest(nodes, n, i)
            want_x, want_y = x, y
            if j >= 0:
                far = np.hypot(nodes[j, 0] - x, nodes[j, 1] - y)
                if 1e-9 < far < MEETS * lean * high[t]:
                    step = min(reach, 0.5 * far)
                    want_x += (nodes[j, 0] - x) / far * step
                    want_y += (nodes[j, 1] - y) / far * step
            there = True
            nx, ny = x, y
            if t > 0:
                nx, ny, there = _next_place(fields, t - 1, x, y, want_x, want_y, reach, frame)
            deep = nodes[i, 3] + tall[t]
            full = min(max(thin * np.sqrt(nodes[i, 2]), SLENDER * deep), thick)
            of[w] = t
            upper[w, 0], upper[w, 1], lower[w, 0], lower[w, 1] = x, y, nx, ny
            wide[w, 0] = min(full, tip + TAPER * nodes[i, 3])
            wide[w, 1] = min(full, tip + TAPER * deep)
            first[w] = nodes[i, 3] < near
            w += 1
            nodes[i, 0], nodes[i, 1], nodes[i, 3] = nx, ny, deep
            nodes[i, 4] = 1.0 if there else 0.0
            if there and t > 0 and not _holds(fields[0], t - 1, nx, ny, frame):
                nodes[i, 4] = 0.5  # not yet where it may join
        n = _joined(nodes, n, sizes)
    return of[:w].copy(), upper[:w].copy(), lower[:w].copy(), wide[:w].copy(), first[:w].copy()


@kernel
def _joined(nodes, n, sizes):  # type: ignore[no-untyped-def]
    """Make one of nodes that have met, and drop those that have come to stand; returns how many there are then.

    The heavier one keeps its way; together they are thick enough to carry the other where that was.
    """
    _, tip, thin, thick, _ = sizes
    kept = 0
    for i in range(n):
        if nodes[i, 4] == 0.0:
            continue
        met = -1
        for k in range(kept if nodes[i, 4] == 1.0 else 0):
            if nodes[k, 4] != 1.0:
                continue
            light = min(nodes[k, 2], nodes[i, 2])
            deep = nodes[k, 3] if nodes[k, 2] < nodes[i, 2] else nodes[i, 3]
            wide = min(max(thin * np.sqrt(light), SLENDER * deep), thick, tip + TAPER * deep)
            whole = thin * np.sqrt(nodes[k, 2] + nodes[i, 2])
            whole = min(max(whole, SLENDER * max(nodes[k, 3], nodes[i, 3])), thick)
            if np.hypot(nodes[k, 0] - nodes[i, 0], nodes[k, 1] - nodes[i, 1]) < max(whole - wide, 0.0) + MET:
                met = k
                break
        if met < 0:
            for c in range(5):
                nodes[kept, c] = nodes[i, c]
            kept += 1
        else:
            if nodes[i, 2] > nodes[met, 2]:
                nodes[met, 0], nodes[met, 1] = nodes[i, 0], nodes[i, 1]
            nodes[met, 2] += nodes[i, 2]
            nodes[met, 3] = max(nodes[met, 3], nodes[i, 3])
    return kept
