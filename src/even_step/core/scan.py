"""Numbers and words out of bytes, for the text formats."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

NEWLINE, SPACE, TAB, RETURN = 10, 32, 9, 13


@kernel
def is_blank(byte):  # type: ignore[no-untyped-def]
    """Whether a byte separates words within a line."""
    return byte == SPACE or byte == TAB or byte == RETURN


@kernel
def skip_blanks(text, at):  # type: ignore[no-untyped-def]
    """Return the place of the next byte that is no blank within the line."""
    while at < text.shape[0] and is_blank(text[at]):
        at += 1
    return at


@kernel
def next_line(text, at):  # type: ignore[no-untyped-def]
    """Return the place after the next line end."""
    while at < text.shape[0] and text[at] != NEWLINE:
        at += 1
    return at + 1


@kernel
def word_is(text, at, word):  # type: ignore[no-untyped-def]
    """Whether a lower-case word stands here in any case, followed by a separator or the end."""
    for i in range(word.shape[0]):
        if at + i >= text.shape[0]:
            return False
        byte = text[at + i]
        if 65 <= byte <= 90:
            byte += 32
        if byte != word[i]:
            return False
    end = at + word.shape[0]
    return end >= text.shape[0] or is_blank(text[end]) or text[end] == NEWLINE


@kernel
def read_decimal(text, at):  # type: ignore[no-untyped-def]
    """Read sign, digits and point; returns digits as a whole number, its power of ten, sign, place and count."""
    size = text.shape[0]
    sign = 1.0
    if at < size and (text[at] == 45 or text[at] == 43):
        sign = -1.0 if text[at] == 45 else 1.0
        at += 1
    mantissa = 0.0
    digits = 0
    power = 0
    point = False
    while at < size:
        byte = text[at]
        if 48 <= byte <= 57:
            mantissa = mantissa * 10.0 + (byte - 48)
            digits += 1
            if point:
                power -= 1
        elif byte == 46 and not point:
            point = True
        else:
            break
        at += 1
    return mantissa, power, sign, at, digits


@kernel
def scaled(mantissa, power):  # type: ignore[no-untyped-def]
    """Return a whole number times a power of ten; zero where that is too small to be told from it."""
    if power < 0:
        return mantissa / 10.0 ** (-power) if power > -300 else 0.0
    return mantissa * 10.0**power


@kernel
def read_number(text, at):  # type: ignore[no-untyped-def]
    """Read a decimal number.

    Returns the number, the place after it, and whether there was one. Exact to one unit in the last place
    of a 64-bit number, which is far below the 32-bit numbers it becomes. Words such as nan are no numbers.
    """
    size = text.shape[0]
    mantissa, scale, sign, at, digits = read_decimal(text, skip_blanks(text, at))
    if digits == 0:
        return 0.0, at, False
    if at < size and (text[at] == 101 or text[at] == 69):
        at += 1
        minus = False
        if at < size and (text[at] == 45 or text[at] == 43):
            minus = text[at] == 45
            at += 1
        power = 0
        first = at
        while at < size and 48 <= text[at] <= 57:
            power = min(power * 10 + (text[at] - 48), 9999)
            at += 1
        if at == first:
            return 0.0, at, False
        scale += -power if minus else power
    if at < size and not (is_blank(text[at]) or text[at] == NEWLINE or text[at] == 47):
        return 0.0, at, False
    return sign * scaled(mantissa, scale), at, True


@kernel
def line_number(text, at):  # type: ignore[no-untyped-def]
    """Return the line a place is on, counted from 1."""
    line = 1
    for i in range(min(at, text.shape[0])):
        if text[i] == NEWLINE:
            line += 1
    return line


def word(text: str) -> np.ndarray[tuple[int], np.dtype[np.uint8]]:
    """Return a word as the bytes that ``word_is`` compares with."""
    return np.frombuffer(text.encode(), np.uint8)
