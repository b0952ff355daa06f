"""A fast hash of a file's content, to tell equal files from different ones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.work import ALONE, Crew

STRETCH = 1 << 20  # words that are hashed apart


def digest(data: NDArray[np.uint8], crew: Crew = ALONE) -> str:
    """Return 128 bits of hash as hex. Against chance, not against forgers; ten times as fast as those for that."""
    whole = len(data) // 8 * 8
    words = data[:whole].view(np.uint64)
    stretches = [(a, min(a + STRETCH, len(words))) for a in range(0, len(words), STRETCH)]
    hashed = crew.each(lambda a, b: _digest(words[a:b]), stretches)
    first, second = _digest(np.array(hashed, np.uint64).ravel())
    tail = int.from_bytes(data[whole:].tobytes(), "little")
    return f"{int(first):016x}{int(second):016x}{tail:x}-{len(data):x}"


@kernel
def _digest(words):  # type: ignore[no-untyped-def]
    """Four words side by side, each with two numbers of its own, and these over one another at the end.

    A step waits for the one before it; what lies side by side does not.
    """
    a, b = np.uint64(0x243F6A8885A308D3), np.uint64(0x13198A2E03707344)
    c, d, e, f, g, h = a, b, a, b, a, b
    count = words.shape[0] // 4 * 4
    for i in range(0, count, 4):
        a, b = _mixed(a, b, words[i])
        c, d = _mixed(c, d, words[i + 1])
        e, f = _mixed(e, f, words[i + 2])
        g, h = _mixed(g, h, words[i + 3])
    for i in range(count, words.shape[0]):
        a, b = _mixed(a, b, words[i])
    for other in (c, d, e, f, g, h):
        a, b = _mixed(a, b, other)
    return a, b


@kernel
def _mixed(a, b, word):  # type: ignore[no-untyped-def]
    """Take a word into two numbers."""
    a = (a ^ word) * np.uint64(0x9FB21C651E98DF25)
    b = (b + word) * np.uint64(0xD6E8FEB86659FD93)
    return a ^ (a >> np.uint64(29)), b ^ (b >> np.uint64(32))
