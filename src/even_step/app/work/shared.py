"""Arrays that two processes share: one block of memory without a name, handed over as a file descriptor.

Nothing is left behind when either side dies, for the block goes with its last holder.
"""

from __future__ import annotations

import errno
import mmap
import os
from collections.abc import Mapping
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.reduction import recv_handle, send_handle
from typing import Any

import numpy as np
from numpy.typing import NDArray

Arrays = Mapping[str, NDArray[Any]]
#: Name, type, shape and place in bytes of each array in a block.
Layout = tuple[tuple[str, str, tuple[int, ...], int], ...]
ALIGNED = 64  # bytes
SHORT = {errno.ENOMEM, errno.ENOSPC}


@dataclass(frozen=True)
class Block:
    """Arrays in memory that another process can have: where each lies, and the block, none where they are empty."""

    layout: Layout
    handle: int | None

    def hand_over(self, line: Connection) -> None:
        """Give the block to the process at the other end, which knows the layout and waits for it."""
        if self.handle is not None:
            send_handle(line, self.handle, os.getppid())

    def close(self) -> None:
        """Let go of the block."""
        if self.handle is not None:
            os.close(self.handle)


def to_shared_memory(arrays: Arrays) -> Block:
    """Copy arrays into a block of memory.

    Raises
    ------
    MemoryError
        When there is not enough for it.
    """
    layout: list[tuple[str, str, tuple[int, ...], int]] = []
    size = 0
    for name, array in arrays.items():
        layout.append((name, array.dtype.str, array.shape, size))
        size += -(-array.nbytes // ALIGNED) * ALIGNED
    if size == 0:
        return Block(tuple(layout), None)
    handle = os.memfd_create("even-step")
    try:
        # Taken now: memory that is lacking when it is written to ends the process.
        os.posix_fallocate(handle, 0, size)
        with mmap.mmap(handle, size) as block:
            for (_, _, _, at), array in zip(layout, arrays.values(), strict=True):
                flat = np.frombuffer(block, np.uint8, array.nbytes, at)
                flat[:] = np.ascontiguousarray(array).reshape(-1).view(np.uint8)
                del flat
    except OSError as error:
        os.close(handle)
        raise (MemoryError() if error.errno in SHORT else error) from error
    except BaseException:
        os.close(handle)
        raise
    return Block(tuple(layout), handle)


def receive_arrays(line: Connection, layout: Layout) -> dict[str, NDArray[Any]]:
    """Receive the block of a layout; the arrays lie in the shared block itself.

    What is written to them stays here. They are not read-only, for kernels are compiled for each kind of array that
    they are called with.
    """
    held = [(name, np.dtype(kind), shape, at) for name, kind, shape, at in layout]
    sizes = [int(np.prod(shape)) * kind.itemsize for _, kind, shape, _ in held]
    if sum(sizes) == 0:
        return {name: np.zeros(shape, kind) for name, kind, shape, _ in held}
    handle = recv_handle(line)
    try:
        block = mmap.mmap(handle, 0, access=mmap.ACCESS_COPY)
    finally:
        os.close(handle)
    return {name: np.frombuffer(block, kind, int(np.prod(shape)), at).reshape(shape) for name, kind, shape, at in held}
