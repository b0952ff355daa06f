"""G-code read back into moves: ours, or any of the common subset."""

from __future__ import annotations

import re
import shlex
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.kernels import kernel
from even_step.core.scan import read_decimal, scaled

HEAD_LINES = 400
NO_LAYER, NO_ROLE = -1, 255


@dataclass(frozen=True, eq=False)
class ReadMoves:
    """Every move of a file.

    Attributes
    ----------
    start : (3,) float64
        NaN where nothing was known before the first move.
    kind, to, e, feed, acceleration
        As in ``Moves``; unknown coordinates are NaN until first set.
    layer : (M,) int32
        −1 before the first layer.
    role : (M,) uint8
        Index into ``role_words``, 255 for none.
    own : (M,) bool
        Whether a move belongs to the machine's own code.
    role_words : tuple of str
        Roles as written.
    head : dict
        The words of the head.
    """

    kind: NDArray[np.uint8]
    to: NDArray[np.float64]
    e: NDArray[np.float64]
    feed: NDArray[np.float64]
    acceleration: NDArray[np.float64]
    layer: NDArray[np.int32]
    role: NDArray[np.uint8]
    own: NDArray[np.bool_]
    role_words: tuple[str, ...]
    head: dict[str, str]
    tops: tuple[float, ...]


def read_gcode(path: Path) -> ReadMoves:
    """Read a G-code file.

    Raises
    ------
    InputError
        When it cannot be read, is no text, or a word of a move is no number; with the line.
    """
    try:
        data = np.fromfile(path, np.uint8)
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", subject=path) from error
    if (data == 0).any():
        raise InputError("is no G-code: it holds zero bytes", subject=path)
    raw = data.tobytes()
    words = tuple(sorted({found.decode() for found in re.findall(rb"^;es role=([a-z-]+)", raw, re.MULTILINE)}))
    if len(words) >= NO_ROLE:
        raise InputError("names more roles than there can be", subject=path)
    letters = np.frombuffer("\n".join((*words, "")).encode(), np.uint8)
    room = int((data == 10).sum()) + 1
    to, rest = np.full((room, 3), np.nan), np.zeros((3, room))
    kind, role, own = np.zeros(room, np.uint8), np.full(room, NO_ROLE, np.uint8), np.zeros(room, np.bool_)
    layer = np.full(room, NO_LAYER, np.int32)
    count, bad = _parse(data, letters, kind, to, rest, layer, role, own)
    if bad:
        raise InputError(f"line {bad}: a word of a move is no number", subject=path)
    head = _head(raw)
    if count == 0 and not head:
        raise InputError("holds no moves", subject=path, remedy="is it G-code?")
    tops = tuple(float(found) for found in re.findall(rb"^;es layer=\d+ top=(-?\d+\.?\d*)", raw, re.MULTILINE))
    return ReadMoves(
        kind[:count],
        to[:count],
        rest[0, :count],
        rest[1, :count],
        rest[2, :count],
        layer[:count],
        role[:count],
        own[:count],
        words,
        head,
        tops,
    )


def _head(raw: bytes) -> dict[str, str]:
    """Return the ``key=value`` words of our first comments."""
    head: dict[str, str] = {}
    for line in raw.split(b"\n", HEAD_LINES)[:HEAD_LINES]:
        text = line.decode("ascii", "replace").strip()
        if not text.startswith(";es ") or text == ";es start":
            break
        try:
            words = shlex.split(text[4:])
        except ValueError:
            continue
        for word in words:
            key, equals, value = word.partition("=")
            if equals:
                head.setdefault(key, value)
    return head


@kernel
def _number(text, at):  # type: ignore[no-untyped-def]
    """Read a number of G-code, which has no exponent; returns it, the place after it, and whether it was one."""
    mantissa, power, sign, at, digits = read_decimal(text, at)
    return sign * scaled(mantissa, power), at, 0 < digits < 19


@kernel
def _role_number(text, at, letters):  # type: ignore[no-untyped-def]
    """Return which of the newline-separated words stands here, or 255."""
    number = 0
    i = 0
    while i < letters.shape[0]:
        j = at
        same = True
        while letters[i] != 10:
            if j >= text.shape[0] or text[j] != letters[i]:
                same = False
            j += 1
            i += 1
        if same and (j >= text.shape[0] or text[j] == 32 or text[j] == 10 or text[j] == 13):
            return number
        number += 1
        i += 1
    return 255


@kernel
def _parse(text, letters, kind, to, rest, layer, role, own):  # type: ignore[no-untyped-def]
    """Walk the lines; returns the number of moves and the first bad line (0 for none)."""
    size = text.shape[0]
    at = 0
    line = 0
    count = 0
    x = y = z = np.nan
    feed = 0.0
    print_gain = travel_gain = 1e9
    absolute_e = True
    e_at = 0.0
    now_layer = -1
    now_role = 255
    now_own = False
    while at < size:
        line += 1
        while at < size and (text[at] == 32 or text[at] == 9):
            at += 1
        if at < size and text[at] == 59:
            if at + 4 < size and text[at + 1] == 101 and text[at + 2] == 115 and text[at + 3] == 32:
                c = at + 4
                if text[c] == 108 and c + 6 < size and text[c + 5] == 61:  # layer=
                    now_layer += 1
                elif text[c] == 114 and c + 5 < size and text[c + 4] == 61:  # role=
                    now_role = _role_number(text, c + 5, letters)
                elif text[c] == 115 and c + 4 < size and text[c + 1] == 116 and text[c + 2] == 97:  # start
                    now_own = True
                elif text[c] == 101 and c + 2 < size and text[c + 1] == 110 and text[c + 2] == 100:  # end
                    now_own = False
        elif at < size and (text[at] == 71 or text[at] == 77):
            letter = text[at]
            number, at, good = _number(text, at + 1)
            code = int(number) if good else -1
            nx, ny, nz, ne = x, y, z, np.nan
            p = t = s = np.nan
            while at < size and text[at] != 10 and text[at] != 59:
                byte = text[at]
                if 65 <= byte <= 90:
                    value, at, good = _number(text, at + 1)
                    if not good:
                        if letter == 71 and code <= 1:
                            return count, line
                        value = np.nan
                    if byte == 88:
                        nx = value
                    elif byte == 89:
                        ny = value
                    elif byte == 90:
                        nz = value
                    elif byte == 69:
                        ne = value
                    elif byte == 70:
                        feed = value
                    elif byte == 80:
                        p = value
                    elif byte == 84:
                        t = value
                    elif byte == 83:
                        s = value
                else:
                    at += 1
            if letter == 71 and (code == 0 or code == 1):
                de = 0.0
                if not np.isnan(ne):
                    de = ne - e_at if absolute_e else ne
                    e_at = ne if absolute_e else e_at + ne
                in_plane = (nx != x and not np.isnan(nx)) or (ny != y and not np.isnan(ny))
                if in_plane:
                    kind[count] = 1 if de > 0.0 else 0
                elif de < 0.0:
                    kind[count] = 2
                elif de > 0.0:
                    kind[count] = 3
                else:
                    kind[count] = 4
                x, y, z = nx, ny, nz
                to[count, 0], to[count, 1], to[count, 2] = x, y, z
                rest[0, count] = de
                rest[1, count] = feed
                gain = print_gain if kind[count] == 1 else travel_gain
                rest[2, count] = 1e9 if kind[count] == 2 or kind[count] == 3 else gain
                layer[count] = now_layer
                role[count] = now_role
                own[count] = now_own
                count += 1
            elif letter == 71 and code == 28:
                x = y = z = np.nan
            elif letter == 71 and code == 92:
                e_at = 0.0 if np.isnan(ne) else ne
            elif letter == 77 and (code == 82 or code == 83):
                absolute_e = code == 82
            elif letter == 77 and code == 204:
                if not np.isnan(s):
                    print_gain = travel_gain = s
                if not np.isnan(p):
                    print_gain = p
                if not np.isnan(t):
                    travel_gain = t
        while at < size and text[at] != 10:
            at += 1
        at += 1
    return count, 0
