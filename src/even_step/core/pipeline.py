"""The stages in order: a job in, a toolpath with its times and findings out."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue import mesh as mesh_keys
from even_step.core.catalogue.setting import Value, settings_read_by, take
from even_step.core.errors import JobError
from even_step.core.findings import findings
from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid
from even_step.core.job.arrange import over_beds, with_places
from even_step.core.job.beds import bed_count
from even_step.core.job.bring_in import pose_matrix
from even_step.core.job.cascade import Resolved, Scopes, cascade, resolve
from even_step.core.job.edits import Spot, copy_at, spots_of
from even_step.core.job.model import MM_PER, Job, Part
from even_step.core.layout.shadow import Shadow, box_shadow, shadow_of
from even_step.core.mesh.mesh import Mesh, Model, Repair
from even_step.core.mesh.pose import set_down
from even_step.core.mesh.read.digest import digest
from even_step.core.mesh.read.model import STEP_DEFLECTION, file_bytes, read_model
from even_step.core.motion.fan import FanSettings
from even_step.core.motion.moves import Limits
from even_step.core.motion.plan import MotionPlan, plan_motion
from even_step.core.motion.records import Records
from even_step.core.motion.speeds import LineSettings, MotionSettings
from even_step.core.plane import region
from even_step.core.slicing.assembly import Placed, TravelSettings, assemble
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.contours import ContourSettings
from even_step.core.slicing.covers import CoverSettings
from even_step.core.slicing.heights import Heights, HeightSettings, fixed_heights
from even_step.core.slicing.infill.infill import InfillSettings
from even_step.core.slicing.ledger import Ledger
from even_step.core.slicing.ordering import OrderSettings
from even_step.core.slicing.regions import RegionSettings
from even_step.core.slicing.skirt import Skirt, SkirtSettings, lay_skirt
from even_step.core.slicing.walls import WallSettings
from even_step.core.slicing.ways import WaySettings
from even_step.core.solid_stages import PosedSolid, SolidStages
from even_step.core.stages import Cache, StageRun
from even_step.core.toolpath.toolpath import Toolpath
from even_step.core.work import Crew

#: Settings that only the machine's code and the layer heads carry; they are read where these are written.
WRITTEN = ("heat.nozzle", "heat.first_nozzle", "heat.bed")


#: Settings that a part may have of its own.
OF_A_PART = tuple(key for key, setting in CATALOGUE.items() if "part" in setting.scopes)

Source = tuple[str, Repair]
Files = dict[Source, tuple[list[Model], str]]
ABSURD = 4.0  # machine sizes
STEPS_A_SOLID, STEPS_A_COPY, STEPS_OF_ALL = 7, 2, 5  # for progress: stages of a solid, of a copy, of the job


@dataclass(frozen=True)
class ReadSettings:
    """How far facets may lie off the curved faces of a STEP file, mm."""

    step_deflection: Annotated[float, mesh_keys.STEP_DEFLECTION]


#: Which records each stage reads; what an edit makes stale follows from this and is written nowhere else.
STAGES: dict[str, tuple[type, ...]] = {
    "read": (ReadSettings,),
    "heights": (HeightSettings,),
    "hanging": (),
    "contours": (ContourSettings,),
    "regions": (RegionSettings,),
    "walls": (WallSettings,),
    "covers": (CoverSettings, BridgeSettings),
    "infill": (InfillSettings,),
    "foot": (SkirtSettings,),
    "order": (OrderSettings, WaySettings, TravelSettings),
    "motion": (LineSettings, MotionSettings),
    "write": (FanSettings,),
}


def stage_of(key: str) -> str:
    """Return the first stage that a setting feeds."""
    for name, records in STAGES.items():
        if any(setting.key == key for record in records for setting in settings_read_by(record).values()):
            return name
    if key in WRITTEN:
        return "write"
    raise JobError("no stage reads this setting", subject=key)


@dataclass(frozen=True, eq=False)
class Sliced:
    """Everything a slice made."""

    job: Job
    scopes: Scopes
    heights: Heights
    solids: tuple[SlicedSolid, ...]
    placed: tuple[PlacedPart, ...]
    matrices: tuple[NDArray[np.float64], ...]
    ledgers: tuple[Ledger, ...]
    toolpath: Toolpath
    plan: MotionPlan
    lines: Records[LineSettings]
    motion: MotionSettings
    findings: tuple[Finding, ...]


def read_models(sources: Iterable[Source], run: StageRun, settings: ReadSettings | None = None) -> Files:
    """Read each file once for each way of mending; returns its parts and a hash of what they were made from.

    A file is read again only when its size or its time has changed.
    """
    out = {}
    for path, repair in dict.fromkeys(sources):
        fine = (settings or ReadSettings(STEP_DEFLECTION)).step_deflection if _is_step(path) else 0.0
        out[path, repair], _ = run.stage(
            "read",
            (path, _stamp(path), fine, repair),
            lambda path=path, fine=fine, repair=repair: _read(path, fine, repair, run.crew),  # type: ignore[misc]
        )
    return out


def _stamp(path: str) -> tuple[int, int]:
    """Return size and time of a file; zeros where there is none, which reading then tells."""
    try:
        about = Path(path).stat()
    except OSError:
        return 0, 0
    return about.st_size, about.st_mtime_ns


def _is_step(path: str) -> bool:
    """Tell whether a file is STEP, whose facets depend on how fine they are asked for."""
    try:
        with Path(path).open("rb") as file:
            return file.read(64).lstrip()[:12] == b"ISO-10303-21"
    except OSError:
        return False


def _read(path: str, deflection: float, repair: Repair, crew: Crew) -> tuple[list[Model], str]:
    data = file_bytes(Path(path))
    models = read_model(Path(path), data, deflection, repair, crew.look)
    return models, f"{digest(data)}-{deflection:g}-{repair}"


def model_of(part: Part, files: Files) -> Model:
    """Return the part's model, with the bodies that belong to it.

    Raises
    ------
    JobError
        When the file holds fewer parts or bodies than the job names.
    """
    models, _ = files[part.source]
    if part.object >= len(models):
        raise JobError(f"holds {len(models)} part(s), the job names part {part.object + 1}", subject=part.file)
    model = models[part.object]
    if max(part.bodies, default=0) >= len(model.bodies):
        raise JobError(f"has {len(model.bodies)} bodies, the job names body {max(part.bodies) + 1}", subject=part.name)
    return model.only(part.bodies)


def slice_job(job: Job, crew: Crew, cache: Cache, run: StageRun | None = None) -> Sliced:
    """Take a job through all stages up to its findings.

    Parameters
    ----------
    job
        With at least one part.
    crew
        Threads, progress and the stop flag.
    cache
        Results of earlier slices; whatever depends on nothing that changed is taken from it.
    run
        Where times and hits are noted.

    Raises
    ------
    EvenStepError
        When a file cannot be read, a setting is outside the machine's range, or the request is cancelled.
    """
    run = run or StageRun(crew, cache)
    _refuse_other_than_one_bed(job)
    scopes = resolve(job)
    resolved = scopes.job
    copies = sum(len(part.copies) for part in job.parts)
    crew.expect(STEPS_A_SOLID * len(job.parts) + STEPS_A_COPY * copies + STEPS_OF_ALL)
    files = _files(job, resolved, run)
    solids, placed = _stand(job, files, scopes, run)
    _refuse_absurd_sizes(job, solids, placed)
    nozzle = job.machine.extruders[0].layer_height
    settings = take(HeightSettings, resolved.values, least=nozzle[0], most=nozzle[1])
    tallest = max(float(solid.mesh.bounds[1, 2]) for solid in solids)
    heights, heights_key = run.stage("heights", (tallest, settings), lambda: fixed_heights(tallest, settings))
    bore, hang = job.machine.extruders[0].bore, job.machine.overhang_limit
    work = [SolidStages(solid, heights, heights_key, bore, hang, run) for solid in solids]
    sliced = tuple(one.result() for one in work)
    toolpath, order_key = _toolpath(work, sliced, placed, heights, resolved, run)
    lines, motion, plan = _planned(job, scopes, [sliced[part.solid] for part in placed], toolpath, order_key, run)
    ledgers = tuple(one.ledger() for one in work)
    with run.timed("findings"):
        lift = motion.lift if motion.lift > 0 else 0.0
        evidence = Evidence(job, heights, sliced, tuple(placed), ledgers, resolved.values, lift, toolpath, plan)
        found = findings(evidence)
    return Sliced(
        job,
        scopes,
        heights,
        sliced,
        tuple(placed),
        tuple(solid.matrix for solid in solids),
        ledgers,
        toolpath,
        plan,
        lines,
        motion,
        tuple(found),
    )


def _planned(
    job: Job, scopes: Scopes, of_copies: list[SlicedSolid], toolpath: Toolpath, order_key: str, run: StageRun
) -> tuple[Records[LineSettings], MotionSettings, MotionPlan]:
    """Time every move; lines are laid by the record of the copy they belong to."""
    motion = take(
        MotionSettings,
        scopes.job.values,
        melt_limit=job.materials[0].flow_limit,
        bore=job.machine.extruders[0].bore,
        filament=job.machine.filament_diameter,
        highest=job.machine.height,
    )
    own = [take(LineSettings, solid.settings) for solid in of_copies]
    lines = Records.of(take(LineSettings, scopes.job.values), own)
    limits = Limits.of(job.machine.motion)
    plan, _ = run.stage(
        "motion",
        (order_key, lines, motion, job.machine.motion),
        lambda: plan_motion(toolpath, lines, motion, limits, run.crew),
    )
    return lines, motion, plan


def _refuse_other_than_one_bed(job: Job) -> None:
    if not job.parts:
        raise JobError("has no parts", subject=job.name, remedy="bring in a model")
    if bed_count(job) > 1:
        raise JobError(f"has {bed_count(job)} beds", subject=job.name, remedy="slice one bed at a time")


def _files(job: Job, resolved: Resolved, run: StageRun) -> Files:
    """Read the files of a job's parts."""
    return read_models((part.source for part in job.parts), run, take(ReadSettings, resolved.values))


def _posed(job: Job, files: Files, scopes: Scopes, run: StageRun) -> tuple[list[PosedSolid], dict[Spot, int]]:
    """Pose every part, equal ones once; returns which of them each copy is.

    A solid is what is laid alike: one mesh in one pose with one set of settings. What does not depend on the settings
    in which they differ, solids of one mesh and pose share through the cache.
    """
    solids: dict[tuple[str, tuple[Value, ...]], PosedSolid] = {}
    numbers: dict[tuple[str, tuple[Value, ...]], int] = {}
    meshes: dict[str, Mesh] = {}
    solid_of: dict[Spot, int] = {}
    for i, k in spots_of(job):
        part = job.parts[i]
        model, (_, content) = model_of(part, files), files[part.source]
        matrix = pose_matrix(part, part.copies[k]) * MM_PER[part.unit]
        made_from = content, part.object, part.bodies, matrix.tolist()
        stands = hashlib.blake2b(repr(made_from).encode(), digest_size=16).hexdigest()
        resolved = scopes.of(part)
        key = stands, tuple(resolved.values[one] for one in OF_A_PART)
        if stands not in meshes:
            with run.timed("read"):
                meshes[stands], _ = set_down(model.merged(), matrix)
        if key not in solids:
            numbers[key] = len(solids)
            solids[key] = PosedSolid(model, meshes[stands], matrix, stands, resolved, part.name)
        solid_of[i, k] = numbers[key]
    return list(solids.values()), solid_of


def _stand(job: Job, files: Files, scopes: Scopes, run: StageRun) -> tuple[list[PosedSolid], list[PlacedPart]]:
    """Pose every part and find a place for the copies that have none, on the bed or beside it."""
    in_order, solid_of = _posed(job, files, scopes, run)
    if any(copy_at(job, spot).at is None for spot in solid_of):
        with run.timed("read"):
            job = with_places(job, _outlines(solid_of, in_order))
    placed = []
    for (i, k), number in solid_of.items():
        part, copy = job.parts[i], job.parts[i].copies[k]
        x, y = copy.at or (0.0, 0.0)
        placed.append(PlacedPart(number, part.id, part.name, k + 1, (round(x, 3), round(y, 3)), copy.turn))
    return in_order, placed


def _outlines(solid_of: dict[Spot, int], solids: list[PosedSolid]) -> dict[Spot, Shadow]:
    """Return what each copy covers; alone, its bounds will do."""
    if len(solid_of) == 1:
        size = np.ptp(solids[0].mesh.bounds[:, :2], axis=0)
        return dict.fromkeys(solid_of, box_shadow(float(size[0]), float(size[1])))
    outlines = [shadow_of(solid.mesh) for solid in solids]
    return {spot: outlines[number] for spot, number in solid_of.items()}


def settled(job: Job, run: StageRun) -> Job:
    """Return the job with a place for every copy that had none, on as many beds as it takes."""
    if all(copy_at(job, spot).at is not None for spot in spots_of(job)):
        return job
    whole = cascade(job)
    scopes = Scopes(whole, {part.id: whole for part in job.parts})
    solids, solid_of = _posed(job, _files(job, whole, run), scopes, run)
    return over_beds(job, _outlines(solid_of, solids))


def models_of(job: Job, run: StageRun) -> list[Model]:
    """Return the model of each part of a job, with all its bodies."""
    files = _files(job, cascade(job), run)
    return [model_of(part.model_copy(update={"bodies": ()}), files) for part in job.parts]


def _refuse_absurd_sizes(job: Job, solids: list[PosedSolid], placed: list[PlacedPart]) -> None:
    """Refuse what is many times larger than the machine: too large is a finding, absurd is a wrong unit."""
    most = ABSURD * max(*job.machine.bed.size, job.machine.height)
    for part in placed:
        low, high = solids[part.solid].mesh.bounds
        largest = float((high - low).max())
        if largest > most:
            raise JobError(
                f"is {largest / 1000:.3g} m large, many times the size of {job.machine.name}",
                subject=part.name,
                remedy="was another unit meant? scale it",
            )


def _toolpath(
    work: list[SolidStages],
    sliced: tuple[SlicedSolid, ...],
    placed: list[PlacedPart],
    heights: Heights,
    resolved: Resolved,
    run: StageRun,
) -> tuple[Toolpath, str]:
    """Lay the skirt, fill and order each placed part, and put all together."""
    stick, travel = take(SkirtSettings, resolved.values), take(TravelSettings, resolved.values)
    # By what each copy is laid of, not by its solid's number: solids that differ in their speeds alone are laid alike.
    places = tuple(part.at for part in placed)
    feet_key = (tuple(work[part.solid].wall_key for part in placed), places, float(heights.thick[0]))

    def skirt_round() -> Skirt:
        feet = [
            region.shifted(sliced[part.solid].outlines.outline[sliced[part.solid].outlines.which[0]], *part.at)
            for part in placed
            if len(sliced[part.solid].outlines.which)
        ]
        return lay_skirt(feet, float(heights.thick[0]), stick)

    skirt, skirt_key = run.stage("foot", (feet_key, stick), skirt_round)
    blocks = [work[part.solid].blocks_at(part.at, part.turn) for part in placed]
    standing = [Placed(one, part.at, i) for i, ((one, _), part) in enumerate(zip(blocks, placed, strict=True))]
    return run.stage(
        "order",
        (tuple(key for _, key in blocks), skirt_key, places, travel),
        lambda: assemble(standing, skirt, heights, travel, run.crew),
    )
