"""The G-code of a job. The same job gives the same bytes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.motion.comments import GcodeJob, Words, fan_before, head, layer_head, path_words, tail
from even_step.core.motion.expand import layer_moves
from even_step.core.motion.moves import Moves
from even_step.core.motion.repeats import Form, Forms
from even_step.core.toolpath.roles import ROLES
from even_step.core.work import Crew

LONGEST_MOVE = 96  # bytes of one move's lines at the most
LONGEST_SAID = 64  # bytes of what stands before a path at the most, but for its words
LAYERS_AT_ONCE = 16  # fewer, and two threads wait for one another as long as they work
ROLE_COUNT = len(ROLES)
HEIGHT, FAN = (np.frombuffer(text, np.uint8) for text in (b" height=", b"M106 S"))


def gcode(source: GcodeJob, crew: Crew) -> Iterator[bytes]:
    """Yield the file piece by piece, in order.

    Raises
    ------
    JobError
        When the machine's own code names a setting that does not exist.
    """
    yield head(source)
    words, forms = path_words(source), Forms.of(source)
    layers = source.toolpath.layers
    runs = [(a, min(a + LAYERS_AT_ONCE, layers)) for a in range(0, layers, LAYERS_AT_ONCE)]

    def write(first: int, last: int) -> list[bytes]:
        written: list[bytes] = []
        for k in range(first, last):
            written += (layer_head(source, k), *(forms.again(k) or _layer(source, words, k, forms)))
        return written

    for done, pieces in enumerate(crew.in_turn(write, runs), 1):
        yield from pieces
        crew.progress("write", done / len(runs))
    yield tail(source)


def _layer(source: GcodeJob, words: Words, layer: int, forms: Forms) -> tuple[bytes, ...]:
    """Format one layer; what is modal in G-code is stated anew, so layers can be written apart."""
    path = source.toolpath
    moves = layer_moves(path, source.plan.speeds, source.settings, layer, float(source.plan.pace[layer]))
    moves = _as_commanded(source, moves)
    first, last = int(path.layer[layer]), int(path.layer[layer + 1])
    # The very first travel is made clear of the bed, then the nozzle comes down.
    clear = f"G0 Z{moves.start[2]:.3f} F{moves.feed[0]:.0f}\n".encode() if first == 0 and last > first else b""
    said = [p for p in source.extruders.before if first <= p < last]
    if not said:
        text, heights = _formatted(source, words, layer, moves, fan_before(source, layer))
        if forms.wanted(layer):
            forms.keep(layer, Form(text, heights, path.top[layer]))
        return clear, text
    pieces = [clear]
    at = sorted({first, *said})
    cuts = np.searchsorted(moves.path, at[1:]).tolist()
    for a, z, p in zip([0, *cuts], [*cuts, len(moves.kind)], at, strict=True):
        pieces.append(source.extruders.before.get(p, b""))
        fan = int(source.fans[p - 1]) if p else 0
        pieces.append(_formatted(source, words, layer, _some(moves, a, z), fan)[0])
    return tuple(pieces)


def _as_commanded(source: GcodeJob, moves: Moves) -> Moves:
    """Take off where the nozzles sit: the head goes elsewhere for the line to come to its place."""
    offsets = source.offsets
    if offsets is None or len(moves.path) == 0:
        return moves
    extruder = source.toolpath.extruder
    start, to = moves.start.copy(), moves.to.copy()
    start[:2] -= offsets[extruder[max(int(moves.path[0]) - 1, 0)]]
    to[:, :2] -= offsets[extruder[moves.path]]
    return replace(moves, start=start, to=to)


def _some(moves: Moves, a: int, z: int) -> Moves:
    """Return some of the moves in a row."""
    start = moves.to[a - 1] if a else moves.start
    return Moves(
        start,
        moves.kind[a:z],
        moves.to[a:z],
        moves.e[a:z],
        moves.feed[a:z],
        moves.acceleration[a:z],
        moves.path[a:z],
    )


def _formatted(source: GcodeJob, words: Words, layer: int, moves: Moves, fan: int) -> tuple[bytes, NDArray[np.int64]]:
    """Format moves of a layer; returns the text and where each height stands in it."""
    path = source.toolpath
    first, last = int(path.layer[layer]), int(path.layer[layer + 1])
    said = (last - first) * (2 * words.longest + LONGEST_SAID)
    buffer = np.empty((len(moves.kind) + 1) * LONGEST_MOVE + said, np.uint8)
    heights = np.empty((len(moves.kind), 2), np.int64)
    used, count = _format(
        moves.start,
        moves.kind,
        moves.to,
        moves.e,
        moves.feed,
        moves.acceleration,
        moves.path - first,
        path.role[first:last],
        path.width[first:last],
        path.height[first:last],
        path.part[first:last],
        source.fans[first:last],
        fan,
        words.text,
        words.start,
        first == 0 and len(moves.path) > 0 and moves.path[0] == 0,
        buffer,
        heights,
    )
    return buffer[:used].tobytes(), heights[:count]


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
def _size(buffer, w, micrometres):  # type: ignore[no-untyped-def]
    """Write mm with two decimals, or three where it has them."""
    if micrometres % 10 == 0:
        return _digits(buffer, w, micrometres // 10, 2)
    return _digits(buffer, w, micrometres, 3)


@kernel
def _put(buffer, w, text, first, last):  # type: ignore[no-untyped-def]
    for b in range(first, last):
        buffer[w] = text[b]
        w += 1
    return w


@kernel
def _say(buffer, w, look, told, words, word_start):  # type: ignore[no-untyped-def]
    """Say role, width and height of a path, its part and the fan where these change."""
    if look[3] != told[3] and look[3] >= 0:
        part = ROLE_COUNT + look[3]
        w = _put(buffer, w, words, word_start[part], word_start[part + 1])
    w = _put(buffer, w, words, word_start[look[0]], word_start[look[0] + 1])
    w = _size(buffer, w, look[1])
    w = _put(buffer, w, HEIGHT, 0, HEIGHT.shape[0])
    w = _size(buffer, w, look[2])
    buffer[w] = 10
    w += 1
    if look[4] != told[4]:
        w = _put(buffer, w, FAN, 0, FAN.shape[0])
        w = _digits(buffer, w, look[4], 0)
        buffer[w] = 10
        w += 1
    told[:] = look
    return w


@kernel
def _format(  # type: ignore[no-untyped-def]
    start,
    kind,
    to,
    e,
    feed,
    acceleration,
    path,
    role,
    width,
    height,
    part,
    fans,
    before,
    words,
    word_start,
    is_first,
    buffer,
    heights,
):
    """Write moves as G0 and G1 with only the words that change.

    Returns how much was written and how many heights there were; where each stands is put down.
    """
    w = 0
    high = 0
    told = np.full(5, -1)  # each layer says everything anew, but for the fan
    told[4] = before
    look = np.empty(5, np.int64)
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
            look[0], look[3] = role[told_path], part[told_path]
            look[1], look[2] = np.round(width[told_path] * 1000.0), np.round(height[told_path] * 1000.0)
            look[4] = fans[told_path]
            if (look != told).any():
                w = _say(buffer, w, look, told, words, word_start)
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
            heights[high, 0] = w
            w = _word(buffer, w, 90, nz, 3)
            heights[high, 1] = w
            high += 1
            all_axes = False
        x, y, z = nx, ny, nz
        if e[i] != 0.0:
            w = _word(buffer, w, 69, np.int64(np.round(e[i] * 100000.0)), 5)
        if feed[i] != told_feed:
            told_feed = feed[i]
            w = _word(buffer, w, 70, np.int64(told_feed), 0)
        buffer[w] = 10
        w += 1
    return w, high
