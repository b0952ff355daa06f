"""G-code read back into moves: ours, or any of the common subset."""

from __future__ import annotations

import re
import shlex
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.input import size_of
from even_step.core.kernels import kernel
from even_step.core.scan import read_decimal, scaled

HEAD_LINES = 400
NO_LAYER, NO_ROLE = -1, 255
#: Why a line is refused, by the number the kernel gives; what is neither obeyed nor refused moves nothing.
REFUSED = (
    "",
    "a word of a move is no number",
    "arcs and curves (G2, G3, G5) are not read; write straight moves",
    "inches (G20) are not read; write millimetres",
    "E after G91 without M83 means different things to different machines; say M82 or M83 and G90",
    "filament drawn back by the machine itself (G10, G11) is not read; write it as moves of E",
    "a frame of coordinates other than the machine's own (G53 to G59) is not read",
    "G92 sets a coordinate before the nozzle's place is known",
)
LARGEST = 2_000_000_000


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
    extruder : (M,) uint8
        Number of the extruder in hand, from 0.
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
    extruder: NDArray[np.uint8]
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
    if size_of(path) > LARGEST:
        raise InputError(f"is larger than {LARGEST // 1_000_000_000} GB", subject=path)
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
    layer, extruder = np.full(room, NO_LAYER, np.int32), np.zeros(room, np.uint8)
    count, bad, why = _parse(data, letters, kind, to, rest, layer, role, own, extruder)
    if bad:
        raise InputError(f"line {bad}: {REFUSED[why]}", subject=path)
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
        extruder[:count],
        words,
        head,
        tops,
    )


def _head(raw: bytes) -> dict[str, str]:
    """Return the ``key=value`` words of our first comments; what a part has of its own as ``key@part``."""
    head: dict[str, str] = {}
    for line in raw.split(b"\n", HEAD_LINES)[:HEAD_LINES]:
        text = line.decode("ascii", "replace").strip()
        if not text.startswith(";es ") or text == ";es start":
            break
        try:
            words = shlex.split(text[4:])
        except ValueError:
            continue
        said = [word.partition("=") for word in words if "=" in word]
        part = f"@{said[0][2]}" if said and said[0][0] == "own" else ""
        for key, _, value in said[1:] if part else said:
            head.setdefault(key + part, value)
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
def _words(text, at):  # type: ignore[no-untyped-def]
    """Read the words of a command up to the end of its line or a comment.

    Returns the numbers of X, Y, Z, E, F, P, T, S (NaN where there is none), which of the first four are named (2, 4, 8,
    16), whether a word is no number, and the place after.
    """
    words = np.full(8, np.nan)
    size = text.shape[0]
    named = 0
    bad = False
    while at < size and text[at] != 10 and text[at] != 59 and text[at] != 42:
        byte = text[at]
        if byte == 40:  # a remark in brackets
            while at < size and text[at] != 41 and text[at] != 10:
                at += 1
            continue
        if 97 <= byte <= 122:
            byte -= 32
        if not 65 <= byte <= 90:
            at += 1
            continue
        value, at, good = _number(text, at + 1)
        bad = bad or not good
        place = -1
        if 88 <= byte <= 90:
            place = byte - 88
        elif byte == 69:
            place = 3
        elif byte == 70:
            place = 4
        elif byte == 80:
            place = 5
        elif byte == 84:
            place = 6
        elif byte == 83:
            place = 7
        if place >= 0:
            words[place] = value if good else np.nan
            if place < 4:
                named |= 2 << place
    return words, named, bad, at


@kernel
def _refusal(code):  # type: ignore[no-untyped-def]
    """Return why a G command is refused, 0 for one that is not."""
    if code == 2 or code == 3 or code == 5:
        return 2
    if code == 20:
        return 3
    if code == 10 or code == 11:
        return 5
    return 6 if 53 <= code <= 59 else 0


@kernel
def _parse(text, letters, kind, to, rest, layer, role, own, extruder):  # type: ignore[no-untyped-def]
    """Walk the lines; returns the number of moves, the first refused line (0 for none) and why."""
    size = text.shape[0]
    at = 0
    line = 0
    count = 0
    x = y = z = np.nan  # where the nozzle is, as the machine counts
    off_x = off_y = off_z = 0.0  # what G92 has added to what the file counts
    relative = False
    feed = 0.0
    print_gain = travel_gain = 1e9
    absolute_e = True
    e_at = 0.0
    now_layer = -1
    now_role = 255
    now_own = False
    in_hand = 0
    while at < size:
        line += 1
        while at < size and (text[at] == 32 or text[at] == 9):
            at += 1
        ours = at + 4 < size and text[at] == 59 and text[at + 1] == 101 and text[at + 2] == 115
        if ours and text[at + 3] == 32:
            c = at + 4
            if text[c] == 108 and c + 6 < size and text[c + 5] == 61:  # layer=
                now_layer += 1
            elif text[c] == 114 and c + 5 < size and text[c + 4] == 61:  # role=
                now_role = _role_number(text, c + 5, letters)
            elif text[c] == 115 and c + 4 < size and text[c + 1] == 116 and text[c + 2] == 97:  # start
                now_own = True
            elif text[c] == 101 and c + 2 < size and text[c + 1] == 110 and text[c + 2] == 100:  # end
                now_own = False
        if at < size and (text[at] | 32) == 110:  # a line's own number
            _, at, _ = _number(text, at + 1)
            while at < size and (text[at] == 32 or text[at] == 9):
                at += 1
        if at < size and (text[at] | 32) == 116:  # another extruder takes over
            number, at, good = _number(text, at + 1)
            if good and 0.0 <= number < 256.0:
                in_hand = int(number)
        if at < size and ((text[at] | 32) == 103 or (text[at] | 32) == 109):
            letter = text[at] & 223
            number, at, good = _number(text, at + 1)
            code = int(number) if good else -1
            words, named, bad, at = _words(text, at)
            nx, ny, nz, ne = words[0], words[1], words[2], words[3]
            if bad and letter == 71 and code <= 1:
                return count, line, 1
            if not np.isnan(words[4]):
                feed = words[4]
            if letter == 71 and _refusal(code) > 0:
                return count, line, _refusal(code)
            if letter == 71 and (code == 0 or code == 1):
                if relative and absolute_e and not np.isnan(ne):
                    return count, line, 4
                nx = x if np.isnan(nx) else (x + nx if relative else nx + off_x)
                ny = y if np.isnan(ny) else (y + ny if relative else ny + off_y)
                nz = z if np.isnan(nz) else (z + nz if relative else nz + off_z)
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
                extruder[count] = in_hand
                count += 1
            elif letter == 71 and code == 28:
                x, off_x = (x, off_x) if named & 14 and not named & 2 else (np.nan, 0.0)
                y, off_y = (y, off_y) if named & 14 and not named & 4 else (np.nan, 0.0)
                z, off_z = (z, off_z) if named & 14 and not named & 8 else (np.nan, 0.0)
            elif letter == 71 and (code == 90 or code == 91):
                relative = code == 91
            elif letter == 71 and code == 92:
                if named == 0:
                    nx = ny = nz = ne = 0.0
                unknown = (not np.isnan(nx) and np.isnan(x)) or (not np.isnan(ny) and np.isnan(y))
                if unknown or (not np.isnan(nz) and np.isnan(z)):
                    return count, line, 7
                off_x = off_x if np.isnan(nx) else x - nx
                off_y = off_y if np.isnan(ny) else y - ny
                off_z = off_z if np.isnan(nz) else z - nz
                e_at = e_at if np.isnan(ne) else ne
            elif letter == 77 and (code == 82 or code == 83):
                absolute_e = code == 82
            elif letter == 77 and code == 204:
                p, t, s = words[5], words[6], words[7]
                if not np.isnan(s):
                    print_gain = travel_gain = s
                if not np.isnan(p):
                    print_gain = p
                if not np.isnan(t):
                    travel_gain = t
        while at < size and text[at] != 10:
            at += 1
        at += 1
    return count, 0, 0
