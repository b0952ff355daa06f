"""Arrays that two processes share: one block of memory without a name, handed over as a file descriptor.

Nothing is left behind when either side dies, for the block goes with its last holder.
"""

from __future__ import annotations

import mmap
import os
from collections.abc import Mapping
from multiprocessing.connection import Connection
from multiprocessing.reduction import recv_handle, send_handle
from typing import Any

import numpy as np
from numpy.typing import NDArray

Arrays = Mapping[str, NDArray[Any]]
ALIGNED = 64  # bytes


def send_arrays(line: Connection, arrays: Arrays) -> None:
    """Send arrays over a line: where each lies, then the block they lie in."""
    layout: list[tuple[str, str, tuple[int, ...], int]] = []
    size = 0
    for name, array in arrays.items():
        layout.append((name, array.dtype.str, array.shape, size))
        size += -(-array.nbytes // ALIGNED) * ALIGNED
    line.send(layout)
    if size == 0:
        return
    handle = os.memfd_create("even-step")
    try:
        os.ftruncate(handle, size)
        with mmap.mmap(handle, size) as block:
            for (_, _, _, at), array in zip(layout, arrays.values(), strict=True):
                flat = np.frombuffer(block, np.uint8, array.nbytes, at)
                flat[:] = np.ascontiguousarray(array).reshape(-1).view(np.uint8)
                del flat
        send_handle(line, handle, os.getppid())
    finally:
        os.close(handle)


def receive_arrays(line: Connection) -> dict[str, NDArray[Any]]:
    """Receive what ``send_arrays`` sent; the arrays lie in the shared block itself and are read-only."""
    layout = line.recv()
    held = [(name, np.dtype(kind), shape, at) for name, kind, shape, at in layout]
    sizes = [int(np.prod(shape)) * kind.itemsize for _, kind, shape, _ in held]
    if sum(sizes) == 0 and not any(at for *_, at in held):
        return {name: np.zeros(shape, kind) for name, kind, shape, _ in held}
    handle = recv_handle(line)
    try:
        block = mmap.mmap(handle, 0, access=mmap.ACCESS_READ)
    finally:
        os.close(handle)
    return {name: np.frombuffer(block, kind, int(np.prod(shape)), at).reshape(shape) for name, kind, shape, at in held}
