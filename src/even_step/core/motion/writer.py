"""The G-code of a job. The same job gives the same bytes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.motion.comments import GcodeJob, PathComments, head, layer_head, path_comments, tail
from even_step.core.motion.expand import layer_moves
from even_step.core.work import Crew

LONGEST_MOVE = 96  # bytes of one move's lines at the most
LAYERS_AT_ONCE = 4


def gcode(source: GcodeJob, crew: Crew) -> Iterator[bytes]:
    """Yield the file piece by piece, in order.

    Raises
    ------
    JobError
        When the machine's own code names a setting that does not exist.
    """
    yield head(source)
    comments = path_comments(source)
    layers = source.toolpath.layers
    runs = [(a, min(a + LAYERS_AT_ONCE, layers)) for a in range(0, layers, LAYERS_AT_ONCE)]
    written = crew.in_turn(lambda a, b: b"".join(_layer(source, comments, k) for k in range(a, b)), runs)
    for done, piece in enumerate(written, 1):
        yield piece
        crew.progress("write", done / len(runs))
    yield tail(source)


def _layer(source: GcodeJob, comments: PathComments, layer: int) -> bytes:
    """Format one layer; what is modal in G-code is stated anew, so layers can be written apart."""
    path = source.toolpath
    moves = layer_moves(path, source.plan.speeds, source.settings, layer, float(source.plan.pace[layer]))
    first, last = int(path.layer[layer]), int(path.layer[layer + 1])
    said = comments.of_path[first:last]
    size = (len(moves.kind) + 1) * LONGEST_MOVE + int(np.diff(comments.start)[said[said >= 0]].sum())
    buffer = np.empty(size, np.uint8)
    used = _format(
        moves.start,
        moves.kind,
        moves.to,
        moves.e,
        moves.feed,
        moves.acceleration,
        moves.path - first,
        comments.text,
        comments.start,
        said,
        first == 0,
        buffer,
    )
    # The very first travel is made clear of the bed, then the nozzle comes down.
    clear = f"G0 Z{moves.start[2]:.3f} F{moves.feed[0]:.0f}\n".encode() if first == 0 and last > first else b""
    return layer_head(source, layer) + clear + buffer[:used].tobytes()


@kernel
def _digits(buffer, w, value, decimals):  # type: ignore[no-untyped-def]
    """Write a whole number with a point before its last decimals; returns the place after it."""
    if value < 0:
        buffer[w] = 45
        w += 1
        value = -value
    left = np.uint64(value)
    ten = np.uint64(10)
    size = 1
    probe = ten
    while left >= probe:
        size += 1
        probe *= ten
    size = max(size, decimals + 1)
    total = size + (1 if decimals > 0 else 0)
    at = w + total - 1
    for i in range(size):
        if decimals > 0 and i == decimals:
            buffer[at] = 46
            at -= 1
        rest = left // ten
        buffer[at] = np.uint8(48 + np.int64(left - rest * ten))
        left = rest
        at -= 1
    return w + total


@kernel
def _word(buffer, w, letter, value, decimals):  # type: ignore[no-untyped-def]
    buffer[w] = 32
    buffer[w + 1] = letter
    return _digits(buffer, w + 2, value, decimals)


@kernel
def _format(start, kind, to, e, feed, acceleration, path, tags, tag_start, tag_of, is_first, buffer):  # type: ignore[no-untyped-def]
    """Write moves as G0 and G1 with only the words that change."""
    w = 0
    x = np.int64(np.round(start[0] * 1000.0))
    y = np.int64(np.round(start[1] * 1000.0))
    z = np.int64(np.round(start[2] * 1000.0))
    all_axes = is_first
    told_feed = -1.0
    told_gain = -1.0
    told_path = np.int64(-1)
    for i in range(kind.shape[0]):
        if kind[i] == 1 and path[i] != told_path:
            told_path = path[i]
            tag = tag_of[told_path]
            if tag >= 0:
                for b in range(tag_start[tag], tag_start[tag + 1]):
                    buffer[w] = tags[b]
                    w += 1
            if acceleration[i] != told_gain:
                told_gain = acceleration[i]
                buffer[w], buffer[w + 1], buffer[w + 2], buffer[w + 3] = 77, 50, 48, 52
                w = _word(buffer, w + 4, 80, np.int64(told_gain), 0)
                buffer[w] = 10
                w += 1
        buffer[w] = 71
        buffer[w + 1] = 48 if kind[i] == 0 or kind[i] == 4 else 49
        w += 2
        nx = np.int64(np.round(to[i, 0] * 1000.0))
        ny = np.int64(np.round(to[i, 1] * 1000.0))
        nz = np.int64(np.round(to[i, 2] * 1000.0))
        if nx != x or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 88, nx, 3)
        if ny != y or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 89, ny, 3)
        if nz != z or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 90, nz, 3)
            all_axes = False
        x, y, z = nx, ny, nz
        if e[i] != 0.0:
            w = _word(buffer, w, 69, np.int64(np.round(e[i] * 100000.0)), 5)
        if feed[i] != told_feed:
            told_feed = feed[i]
            w = _word(buffer, w, 70, np.int64(told_feed), 0)
        buffer[w] = 10
        w += 1
    return w
