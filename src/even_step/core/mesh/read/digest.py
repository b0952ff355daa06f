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
    """Two lanes of multiply and shift, each over all words."""
    a = np.uint64(0x243F6A8885A308D3)
    b = np.uint64(0x13198A2E03707344)
    for i in range(words.shape[0]):
        word = words[i]
        a = (a ^ word) * np.uint64(0x9FB21C651E98DF25)
        a ^= a >> np.uint64(29)
        b = (b + word) * np.uint64(0xD6E8FEB86659FD93)
        b ^= b >> np.uint64(32)
    return a, b
