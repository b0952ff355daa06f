"""One run through all that is compiled: read, slice and write small models, and what a window asks of them."""

from __future__ import annotations

import contextlib
import tempfile
from pathlib import Path

import numpy as np

from even_step.core.catalogue.setting import Value
from even_step.core.errors import InputError
from even_step.core.job.bring_in import parts_of
from even_step.core.job.by_hand import Mark
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.shipped import find
from even_step.core.job.text import DEFAULT_MACHINE, DEFAULT_MATERIAL, DEFAULT_RECIPE
from even_step.core.job.zones import Zone
from even_step.core.layout.shadow import shadow_of
from even_step.core.mesh.faces import flat_face, neighbours
from even_step.core.mesh.filled import filled
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.portrait import portrait
from even_step.core.mesh.poses import MANY_VERTICES, candidates, outermost, pose_costs
from even_step.core.mesh.ray import first_hit
from even_step.core.mesh.read.model import read_model
from even_step.core.mesh.weld import HALVED_FROM, weld
from even_step.core.motion.check import check_gcode
from even_step.core.motion.writer import gcode
from even_step.core.output import write_whole
from even_step.core.pipeline import slice_job
from even_step.core.plane import region
from even_step.core.plane.spans import longest_line, shortest_chord
from even_step.core.report import gcode_job, report
from even_step.core.slicing.assembly import visiting_order
from even_step.core.stages import StageCache, StageRun
from even_step.core.toolpath.lines import coarse_lines, lines_of
from even_step.core.warm_models import BROKEN, write_models
from even_step.core.work import Crew, crew

LIMITS = (45.0, 45.0, 45.0, 45.0)
PATTERNS = ("lines", "branching")
TOP = (10, 11)  # facets of each model's first block


def run_everything() -> None:
    """Run everything that is compiled."""
    with tempfile.TemporaryDirectory(prefix="even-step-") as name, crew(2) as hands:
        folder = Path(name)
        models = write_models(folder)
        for number, path in enumerate((*models, models[0])):
            _slice(path, _asked(number), folder / "out.gcode", hands)
        _slice(models[0], {"vase.on": True, "texture.depth": 0.2}, folder / "out.gcode", hands)
        _slice(models[0], {}, folder / "out.gcode", hands, zone={"infill.density": 60, "motion.print_speed": 30})
        broken = folder / "broken.obj"
        broken.write_text(BROKEN)
        with contextlib.suppress(InputError):
            read_model(broken)
    weld(np.zeros((HALVED_FROM, 3, 3), np.float32))
    gap, hold = region.rectangle(-1, -1, 1, 1), region.rectangle(-3, -3, 3, 3)
    shortest_chord(np.array([gap], object), np.array([hold], object), 0.0, 0.0)
    longest_line(np.array([gap], object), 0.0)
    visiting_order(np.zeros((3, 2)))


def _asked(number: int) -> dict[str, Value]:
    """Return other settings for each model."""
    pattern, kind = PATTERNS[number % len(PATTERNS)], "tree" if number else "sheet"
    follows = {"layers.follow_surface": number % 2 == 1}
    return {"layers.height": 0.3, "infill.pattern": pattern, "supports.kind": kind, "supports.from": "bed", **follows}


def _slice(
    path: Path, settings: dict[str, Value], target: Path, hands: Crew, zone: dict[str, Value] | None = None
) -> None:
    """Slice a model, half of it in a zone on wish, read its G-code back, and ask of it what a window asks."""
    model = read_model(path)
    zones = _half(model[0].bodies[0].mesh, zone) if zone else ()
    clear = (Mark(kind="keep-clear", facets=TOP),) if model[0].triangles > max(TOP) else ()
    job = Job(
        name="warm",
        machine=find(Machine, DEFAULT_MACHINE),
        materials=(find(Material, DEFAULT_MATERIAL),),
        recipe=find(Recipe, DEFAULT_RECIPE),
        parts=tuple(part.model_copy(update={"marks": clear, "zones": zones}) for part in parts_of(path, model)),
        settings=settings,
    )
    cache = StageCache()
    run = StageRun(hands, cache)
    sliced = slice_job(job, hands, cache, run)
    report(sliced, run)
    write_whole(target, gcode(gcode_job(sliced), hands))
    check_gcode(target)
    coarse_lines(lines_of(sliced.toolpath))
    _look_at(model[0].bodies[0].mesh)


def _half(mesh: Mesh, settings: dict[str, Value]) -> tuple[Zone, ...]:
    """Return what lies behind a face of a mesh, and over it a zone that holds a corner."""
    low, high = mesh.bounds.tolist()
    behind = Zone(shape="backing", near=(tuple(high),), depth=1.0)
    return behind, Zone(shape="box", middle=tuple(high), size=tuple(np.subtract(high, low).tolist()), settings=settings)


def _look_at(mesh: Mesh) -> None:
    """Ask of a mesh what a window asks."""
    shadow_of(mesh)
    flat_face(mesh, neighbours(mesh), 0)
    filled(mesh, 2)
    first_hit(mesh, np.array([0.0, 0.0, 100.0]), np.array([0.0, 0.0, -1.0]))
    portrait(mesh, LIMITS, 8, 8)
    pose_costs(mesh, candidates(mesh, 7), LIMITS)
    many = np.tile(mesh.vertices, (MANY_VERTICES // len(mesh.vertices) + 1, 1))
    outermost(Mesh(many, np.arange(len(many) // 3 * 3, dtype=np.int32).reshape(-1, 3)))
