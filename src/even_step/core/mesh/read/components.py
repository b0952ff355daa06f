"""How many bodies the components of a 3MF expand to, counted from its tags before a library expands them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from even_step.core.errors import InputError

CHUNK = 1 << 22
LONGEST_TAG = 1 << 16
DEEPEST = 64
#: Attributes may hold any character but their own quotes, > too.
TAG = re.compile(rb"""<(?:[\w.-]+:)?(object|component|item)\b((?:[^>"']|"[^"]*"|'[^']*')*)>""")
NUMBER = re.compile(rb"""(?<![\w:])(?:id|objectid)\s*=\s*["'](\d{1,10})["']""")


def _tags(stream: IO[bytes]) -> Iterator[tuple[bytes, int]]:
    """Yield the objects, components and items of a model with their numbers, in order."""
    left = b""
    while True:
        chunk = stream.read(CHUNK)
        text = left + chunk
        end = 0
        for found in TAG.finditer(text):
            end = found.end()
            number = NUMBER.search(found[2])
            if number:
                yield found[1], int(number[1])
        if not chunk:
            return
        # A tag may go on in the next chunk.
        begun = text.rfind(b"<", max(end, len(text) - LONGEST_TAG))
        left = text[begun:] if begun >= end else b""


def check_components(path: Path, stream: IO[bytes], most_bodies: int) -> None:
    """Refuse a model whose components form a loop, lie too deep, or expand to too many bodies.

    Raises
    ------
    InputError
        Saying which.
    """
    inside: dict[int, list[int]] = {}
    items: list[int] = []
    now = -1
    for kind, number in _tags(stream):
        if kind == b"object":
            now = number
            inside.setdefault(now, [])
        elif kind == b"component" and now in inside:
            inside[now].append(number)
        elif kind == b"item":
            items.append(number)
    counted: dict[int, int] = {}

    def bodies(number: int, depth: int) -> int:
        if depth > DEEPEST:
            raise InputError(
                f"nests components deeper than {DEEPEST}, or in a loop", subject=path, remedy="export a simpler model"
            )
        if number not in counted:
            below = inside.get(number, [])
            counted[number] = sum(bodies(one, depth + 1) for one in below) if below else 1
        return counted[number]

    if sum(bodies(number, 0) for number in items) > most_bodies:
        raise InputError(
            f"expands to more than {most_bodies} bodies", subject=path, remedy="it is no honest model; ask for another"
        )
