"""Slice facets in one call, and read G-code with nothing of ours."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from even_step.core.job.bring_in import parts_of
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.shipped import find
from even_step.core.mesh.read.model import read_model
from even_step.core.motion.writer import gcode
from even_step.core.output import write_whole
from even_step.core.pipeline import slice_job
from even_step.core.report import gcode_job, report
from even_step.core.stages import StageCache, StageRun
from even_step.core.work import crew
from tests.shapes import write_stl


@dataclass
class Done:
    sliced: object
    report: dict
    run: StageRun
    gcode: Path


def job_of(path, settings=None, machine="Larch 220", recipe="Even", copies=1, material="PLA"):
    return Job(
        name=path.stem,
        machine=find(Machine, machine),
        materials=(find(Material, material),),
        recipe=find(Recipe, recipe),
        settings=settings or {},
        parts=parts_of(path, read_model(path), copies),
    )


def slice_it(folder, facets, settings=None, threads=1, cache=None, **more) -> Done:
    path = write_stl(folder / "part.stl", facets)
    return slice_again(folder, job_of(path, settings, **more), threads, cache)


def slice_again(folder, job, threads=1, cache=None) -> Done:
    cache = cache or StageCache()
    with crew(threads) as hands:
        run = StageRun(hands, cache)
        sliced = slice_job(job, hands, cache, run)
        target = folder / "part.gcode"
        write_whole(target, gcode(gcode_job(sliced), hands))
        return Done(sliced, report(sliced, run, ledger_by_layer=True), run, target)


@dataclass
class PlainMove:
    start: np.ndarray
    end: np.ndarray
    e: float
    feed: float
    gain: float
    layer: int
    role: str
    width: float
    height: float


def plain_moves(path) -> list[PlainMove]:
    """Read our G-code line by line in plain Python (relative E), leaving out the machine's own code."""
    at = np.full(3, np.nan)
    feed = gain_print = gain_travel = 0.0
    layer, role, width, height, own = -1, "", 0.0, 0.0, False
    moves = []
    for line in path.read_text().splitlines():
        if line.startswith(";es "):
            words = line[4:].split()
            if words[0] in {"start", "end"}:
                own = words[0] == "start"
            elif words[0].startswith("layer="):
                layer = int(words[0][6:])
            elif words[0].startswith("role="):
                role = words[0][5:]
                width, height = (float(word.split("=")[1]) for word in words[1:3])
            continue
        words = line.split()
        if not words or own:
            continue
        values = {word[0]: float(word[1:]) for word in words[1:] if word[1:]}
        if words[0] == "M204":
            gain_print, gain_travel = values.get("P", gain_print), values.get("T", gain_travel)
        if words[0] not in {"G0", "G1"}:
            continue
        end = np.array([values.get(axis, now) for axis, now in zip("XYZ", at, strict=True)])
        feed = values.get("F", feed)
        e = values.get("E", 0.0)
        still = np.array_equal(end, at)
        gain = 1e9 if still else gain_print if e > 0 else gain_travel
        moves.append(PlainMove(at, end, e, feed, gain, layer, role, width, height))
        at = end
    return moves


def laid(moves):
    """Only the moves that lay plastic."""
    return [move for move in moves if move.e > 0 and not np.array_equal(move.start, move.end)]
