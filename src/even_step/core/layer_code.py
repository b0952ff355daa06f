"""The G-code of one layer, and which of its lines comes to which point that is drawn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_step.core.motion.writer import layer_code
from even_step.core.pipeline import Sliced
from even_step.core.plane.ragged import Index, Points
from even_step.core.report import gcode_job
from even_step.core.toolpath.lines import lines_of

SAME = 0.002  # mm: coordinates are written in thousandths
SOON = 12  # moves, among which a point is looked for first: a line may come to the same place twice
SHORT = 1.0  # mm by which a loop may end short of its seam, so that none comes to its last point
AHEAD = 400  # moves among which one is looked for at last


@dataclass(frozen=True, eq=False)
class LayerCode:
    """What is written of a layer.

    Attributes
    ----------
    text : str
        Just as in the file.
    line : (n,) int64
        The line of it, from 0, that comes to each point of the layer, in the order of ``lines_of``.
    """

    text: str
    line: Index


def code_of_layer(sliced: Sliced, layer: int) -> LayerCode:
    """Write a layer of a slice."""
    source = gcode_job(sliced)
    text = layer_code(source, layer).decode()
    lines = lines_of(sliced.toolpath)
    first, last = (int(one) for one in lines.layer[layer : layer + 2])
    points = lines.points[first:last, :2].astype(np.float64)
    if source.offsets is not None:  # the head goes elsewhere for the line to come to its place
        points -= source.offsets[sliced.toolpath.extruder[lines.path[first:last]]]
    return LayerCode(text, _lines_to(points, *_moves(text)))


def _moves(text: str) -> tuple[Index, Points]:
    """Return the lines that are moves, (m,), and where each comes to, (m, 2), mm."""
    numbers, places = [], []
    x = y = np.nan
    for number, line in enumerate(text.splitlines()):
        words = line.partition(";")[0].split()
        if not words or words[0] not in {"G0", "G1"}:
            continue
        for word in words[1:]:
            if word[0] == "X":
                x = float(word[1:])
            elif word[0] == "Y":
                y = float(word[1:])
        numbers.append(number)
        places.append((x, y))
    return np.array(numbers, np.int64), np.array(places, np.float64).reshape(-1, 2)


def _lines_to(points: Points, number: Index, place: Points) -> Index:
    """Return the line of the first move, from that to the point before on, which comes to each point, (n,)."""
    out = np.zeros(len(points), np.int64)
    at = 0
    for k, point in enumerate(points):
        far = np.abs(place[at : at + AHEAD] - point).max(axis=1)
        if (far[:SOON] < SAME).any():
            at += int(np.argmax(far < SAME))
        elif len(far) and far[:SOON].min() < SHORT:
            at += int(np.argmin(far[:SOON]))
        elif (far < SAME).any():
            at += int(np.argmax(far < SAME))
        out[k] = number[at] if len(number) else 0
    return out
