"""The G-code of a job. The same job gives the same bytes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from even_step.core.motion.comments import GcodeJob, fan_before, head, layer_head, path_words, tail
from even_step.core.motion.expand import expanding
from even_step.core.motion.layer_text import layer_text
from even_step.core.motion.repeats import Form, Forms
from even_step.core.work import Crew

LAYERS_AT_ONCE = 16  # fewer, and two threads wait for one another as long as they work


def gcode(source: GcodeJob, crew: Crew) -> Iterator[bytes]:
    """Yield the file piece by piece, in order.

    Raises
    ------
    JobError
        When the machine's own code names a setting that does not exist.
    """
    yield head(source)
    laid, forms = _laid(source), Forms.of(source)
    layers = source.toolpath.layers
    runs = [(a, min(a + LAYERS_AT_ONCE, layers)) for a in range(0, layers, LAYERS_AT_ONCE)]

    def write(first: int, last: int) -> list[bytes]:
        written: list[bytes] = []
        for k in range(first, last):
            written += (layer_head(source, k), *(forms.again(k) or _layer(source, laid, k, forms)))
        return written

    for done, pieces in enumerate(crew.in_turn(write, runs), 1):
        yield from pieces
        crew.progress("write", done / len(runs))
    yield tail(source)


def layer_code(source: GcodeJob, layer: int) -> bytes:
    """Return what the file says of one layer."""
    return b"".join((layer_head(source, layer), *_layer(source, _laid(source), layer, Forms.of(source))))


def _laid(source: GcodeJob) -> tuple[Any, ...]:
    """Return all that layers are written from, as the kernel takes it."""
    path, words = source.toolpath, path_words(source)
    looks = path.role, path.width, path.height, path.part, source.fans
    offsets = np.empty((0, 2)) if source.offsets is None else source.offsets
    how = expanding(path, source.plan.speeds, source.settings)
    return how, looks, (offsets, path.extruder), (words.text, words.start, words.longest)


def _layer(source: GcodeJob, laid: tuple[Any, ...], layer: int, forms: Forms) -> tuple[bytes, ...]:
    """Format one layer; what is modal in G-code is stated anew, so layers can be written apart."""
    path, before = source.toolpath, source.extruders.before
    first, last = int(path.layer[layer]), int(path.layer[layer + 1])
    said = sorted(p for p in before if first <= p < last)
    pace, anew = float(source.plan.pace[layer]), np.array(said, np.int64)
    written, heights, cuts, start, feed = layer_text(*laid, layer, pace, anew, fan_before(source, layer))
    # The very first travel is made clear of the bed, then the nozzle comes down.
    clear = f"G0 Z{start[2]:.3f} F{feed:.0f}\n".encode() if first == 0 and last > first else b""
    if not said:
        text = written.tobytes()
        if forms.wanted(layer):
            forms.keep(layer, Form(text, heights, path.top[layer]))
        return clear, text
    pieces = [clear, written[: cuts[0]].tobytes()]
    for p, a, z in zip(said, cuts, [*cuts[1:], len(written)], strict=True):
        pieces += (before[p], written[a:z].tobytes())
    return tuple(pieces)
