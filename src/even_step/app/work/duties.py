"""What the worker does for each request."""

from __future__ import annotations

import os
import re
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.app.work.requests import (
    FINE_STRAY,
    AskCode,
    AskLine,
    CutParts,
    ExportGcode,
    FindVoids,
    ForeseeHeights,
    ForeseeSupports,
    ForeseeTexture,
    MeasureJob,
    Opened,
    OpenJob,
    ReadFile,
    SaveJob,
    SliceJob,
)
from even_step.core.coloured import channels
from even_step.core.cut_open import cut_faces
from even_step.core.errors import EvenStepError, JobError
from even_step.core.foreseen_heights import heights_before
from even_step.core.foreseen_texture import texture_before
from even_step.core.job.file import job_file, read_job_file, read_trials
from even_step.core.job.model import Job
from even_step.core.job.text import files_in, is_job_file, read_job_text, with_files
from even_step.core.layer_code import code_of_layer
from even_step.core.line_why import line_story
from even_step.core.mesh.coarse import coarse, extremes
from even_step.core.mesh.edges import drawn_edges
from even_step.core.mesh.mesh import Body, Model
from even_step.core.mesh.read.digest import digest
from even_step.core.mesh.read.model import file_bytes
from even_step.core.mesh.units import proposed_unit
from even_step.core.motion.writer import gcode
from even_step.core.output import require_room, write_whole
from even_step.core.pipeline import Sliced, slice_job
from even_step.core.preview import preview
from even_step.core.report import gcode_job, outcome, report
from even_step.core.section import layer_voids
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import models_of, read_models, settled
from even_step.core.toolpath.lines import coarse_lines, lines_of, parted
from even_step.core.toolpath.roles import HIDDEN, UNDERNEATH, UPRIGHT
from even_step.core.toolpath.run_on import run_on
from even_step.core.toolpath.stacked import stacked
from even_step.core.trials.figures import row_of
from even_step.core.work import Crew

MOST_EDGED = 300_000  # facets of a part whose own edges are drawn; larger ones show those of the coarser mesh
FEW_FACETS = 20_000  # of a part while the view moves
FEWEST_FACETS = 1_000  # of one body of a part
KEPT_SLICES = 3
BYTES_A_POINT = 40  # of G-code at the most, about


@dataclass
class Memory:
    """What the worker keeps between requests: the stage cache, and the last slices."""

    cache: StageCache = field(default_factory=StageCache)
    slices: OrderedDict[str, Sliced] = field(default_factory=OrderedDict)

    def clear(self) -> None:
        """Forget everything."""
        self.cache = StageCache()
        self.slices.clear()

    def sliced(self, job: Job, crew: Crew, run: StageRun | None = None) -> Sliced:
        """Return the slice of a job, made again where it is not at hand."""
        key = job.model_dump_json()
        if run is None and key in self.slices:
            self.slices.move_to_end(key)
            return self.slices[key]
        self.slices[key] = slice_job(job, crew, self.cache, run)
        self.slices.move_to_end(key)
        while len(self.slices) > KEPT_SLICES:
            self.slices.popitem(last=False)
        return self.slices[key]


@dataclass(frozen=True)
class Outcome:
    """What a request came to: facts that pickle, and arrays that are shared."""

    facts: Any = None
    arrays: dict[str, NDArray[Any]] = field(default_factory=dict)


def keep_file(path: Path, folder: Path) -> Path:
    """Copy a file into a folder under a name made of its content and its own name; once is enough.

    Raises
    ------
    InputError, OutputError
        When it cannot be read or the copy cannot be written.
    """
    if path.resolve().parent == folder.resolve():
        return path
    data = file_bytes(path)
    kept = folder / digest(data)[:12] / re.sub(r"[^\w. -]", "_", path.name)[-80:]
    if not kept.exists():
        kept.parent.mkdir(parents=True, exist_ok=True)
        write_whole(kept, [data.data])
    os.utime(kept)
    return kept


def read_file(request: ReadFile, memory: Memory, crew: Crew) -> Outcome:
    """Read one file and describe its models, with the meshes of their bodies for drawing."""
    crew.expect(2)
    crew.begin("read")
    kept = str(keep_file(Path(request.path), Path(request.folder)))
    source = kept, request.repair
    try:
        models, _ = read_models([source], StageRun(crew, memory.cache))[source]
    except EvenStepError as error:
        error.subject = request.path  # as the user knows it, not as it is kept
        raise
    crew.expect(2 * sum(len(model.bodies) for model in models))
    crew.steps.done = crew.steps.expected // 2
    arrays: dict[str, NDArray[Any]] = {}
    for i, model in enumerate(models):
        for k, body in enumerate(model.bodies):
            crew.begin("draw")
            crew.end()
            arrays |= {f"{i} {k} {name}": array for name, array in _drawn(body, len(model.bodies)).items()}
    return Outcome({"file": kept, "models": [_facts(model) for model in models]}, arrays)


def _drawn(body: Body, bodies: int) -> dict[str, NDArray[Any]]:
    mesh = body.mesh
    few = coarse(mesh, max(FEW_FACETS // bodies, FEWEST_FACETS))
    return {
        "vertices": mesh.vertices,
        "faces": mesh.faces,
        "few vertices": few.vertices,
        "few faces": few.faces,
        "extremes": extremes(mesh),
        "edges": drawn_edges(mesh if len(mesh.faces) <= MOST_EDGED else few),
    }


def _facts(model: Model) -> dict[str, Any]:
    return {
        "name": model.name,
        "bodies": [(body.name, body.closed) for body in model.bodies],
        "unit": model.unit,
        "proposed": proposed_unit(model),
        "repairs": model.repairs,
        "warnings": model.warnings,
    }


def open_job(request: OpenJob, memory: Memory, crew: Crew) -> Outcome:
    """Open a job with all its files kept and all its copies placed."""
    crew.begin("read")
    path = Path(request.path)
    told: list[str] = []
    saved = is_job_file(path)
    job = read_job_file(path, told) if saved else read_job_text(path, told)
    trials = read_trials(path, job, told) if saved else ()
    kept = {file: str(keep_file(Path(file), Path(request.folder))) for file in files_in(job)}
    trials = tuple(
        trial.model_copy(update={"job": with_files(trial.job, kept.__getitem__)})
        for trial in trials
        if files_in(trial.job) <= kept.keys()
    )
    # With all places known nothing has to be read first: the window shows the job and asks for its models.
    job = settled(with_files(job, kept.__getitem__), StageRun(crew, memory.cache))
    return Outcome(Opened(job, trials, tuple(told)))


def slice_(request: SliceJob, memory: Memory, crew: Crew) -> Outcome:
    """Slice a job; the report and everything a view of its layers draws."""
    run = StageRun(crew, memory.cache)
    sliced = memory.sliced(request.job, crew, run)
    lines = lines_of(sliced.toolpath)
    fine = coarse_lines(lines, FINE_STRAY)
    inside, upright, under, faces = parted(coarse_lines(run_on(lines)), HIDDEN, UPRIGHT, UNDERNEATH)
    tall, bulk = stacked(upright, sliced.toolpath), stacked(inside, sliced.toolpath)
    sets = {"fine": fine, "inside": inside, "upright": upright, "under": under, "face": faces}
    sets |= {"tall": tall.lines, "bulk": bulk.lines}
    ends = np.cumsum(sliced.plan.way_time + sliced.plan.path_time)
    return Outcome(
        report(sliced, run),
        {
            "points": lines.points,
            "layer": lines.layer,
            "path": lines.path,
            **{f"{name} points": some.points for name, some in sets.items()},
            **{f"{name} layer": some.layer for name, some in sets.items()},
            **{f"{name} path": some.path for name, some in sets.items()},
            "tall since": tall.since,
            "bulk since": bulk.since,
            "top": sliced.toolpath.top,
            "thick": sliced.toolpath.courses.thickest(),
            "layer time": sliced.plan.layer_time,
            **{f"by {name}": values for name, values in channels(sliced).items()},
            "path start": sliced.toolpath.start,
            "retract": sliced.toolpath.retract & (sliced.motion.retract_length > 0.0),
            "closed": sliced.toolpath.closed(),
            "lift": sliced.plan.speeds.lift.astype(np.float32),
            "path end time": ends,
        },
    )


def measure(request: MeasureJob, memory: Memory, crew: Crew) -> Outcome:
    """Slice a job for its figures."""
    run = StageRun(crew, memory.cache)
    return Outcome(row_of(outcome(slice_job(request.job, crew, memory.cache, run)), {}))


def export_gcode(request: ExportGcode, memory: Memory, crew: Crew) -> Outcome:
    """Write G-code, whole or not at all.

    Raises
    ------
    JobError
        When a finding stops the job and it is not forced.
    """
    sliced = memory.sliced(request.job, crew)
    stops = [finding.message for finding in sliced.findings if finding.severity == "stop"]
    if stops and not request.force:
        raise JobError(f"was not written, for {stops[0]}", subject=request.path, remedy="mend it, or export anyway")
    require_room(Path(request.path), BYTES_A_POINT * len(sliced.toolpath.xy))
    return Outcome(write_whole(Path(request.path), gcode(gcode_job(sliced), crew)))


def save_job(request: SaveJob, memory: Memory, crew: Crew) -> Outcome:
    """Save a job as one file, whole or not at all."""
    run = StageRun(crew, memory.cache)
    job = settled(request.job, run)
    return Outcome(write_whole(Path(request.path), [job_file(job, models_of(job, run), request.trials)]))


def ask_line(request: AskLine, memory: Memory, crew: Crew) -> Outcome:
    """Tell why a line is as it is."""
    return Outcome(line_story(memory.sliced(request.job, crew), request.path, request.at))


def ask_code(request: AskCode, memory: Memory, crew: Crew) -> Outcome:
    """Write one layer."""
    found = code_of_layer(memory.sliced(request.job, crew), request.layer)
    return Outcome(found.text, {"line": found.line})


def find_voids(request: FindVoids, memory: Memory, crew: Crew) -> Outcome:
    """Find the voids of a layer."""
    rings = layer_voids(memory.sliced(request.job, crew), request.layer)
    return Outcome(request.layer, {"xy": rings.xy, "start": rings.start, "polygon": rings.polygon})


def foresee_supports(request: ForeseeSupports, memory: Memory, crew: Crew) -> Outcome:
    """Find the columns of supports."""
    found = preview(request.job, crew, memory.cache)
    return Outcome(found.parts, {"corners": found.corners})


def foresee_heights(request: ForeseeHeights, memory: Memory, crew: Crew) -> Outcome:
    """Find the layers of parts."""
    found = heights_before(request.job, crew, memory.cache)
    arrays = {f"{k} top": one.heights.tops for k, one in enumerate(found.values())}
    arrays |= {f"{k} thick": one.heights.thick for k, one in enumerate(found.values())}
    told = {
        part: (one.stairs.mean, one.stairs.largest, sum(one.stairs.areas), one.stairs.rough, one.even.rough)
        for part, one in found.items()
    }
    return Outcome(told, arrays)


def foresee_texture(request: ForeseeTexture, memory: Memory, crew: Crew) -> Outcome:
    """Find what of parts will be rough."""
    found = texture_before(request.job, crew, memory.cache)
    arrays = {f"{k} corners": one.corners for k, one in enumerate(found)}
    return Outcome(tuple((one.depth, one.spacing) for one in found), arrays)


def cut_parts(request: CutParts, memory: Memory, crew: Crew) -> Outcome:
    """Cut parts open."""
    found = cut_faces(request.job, request.height, crew, memory.cache)
    return Outcome(None, {"corners": found.corners, "zone": found.zone})


DUTIES: dict[type, Callable[..., Outcome]] = {
    ReadFile: read_file,
    OpenJob: open_job,
    SliceJob: slice_,
    MeasureJob: measure,
    ExportGcode: export_gcode,
    SaveJob: save_job,
    FindVoids: find_voids,
    AskLine: ask_line,
    AskCode: ask_code,
    ForeseeSupports: foresee_supports,
    ForeseeHeights: foresee_heights,
    ForeseeTexture: foresee_texture,
    CutParts: cut_parts,
}
