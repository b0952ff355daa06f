"""From files to what stands on the bed: models read, parts posed, places found."""

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
from even_step.core.catalogue.setting import take
from even_step.core.errors import InputError, JobError
from even_step.core.findings.finding import PlacedPart
from even_step.core.input import size_of
from even_step.core.job.arrange import over_beds, with_places
from even_step.core.job.bring_in import pose_matrix
from even_step.core.job.by_hand import Mark
from even_step.core.job.cascade import Resolved, Scopes, cascade
from even_step.core.job.model import MM_PER, Job, Part
from even_step.core.job.spots import Spot, stood
from even_step.core.job.step_curve import Knot
from even_step.core.job.zones import Zone
from even_step.core.layout.shadow import Shadow, box_shadow, shadow_of
from even_step.core.mesh.mesh import Mesh, Model, Repair
from even_step.core.mesh.pose import set_down
from even_step.core.mesh.read.digest import digest
from even_step.core.mesh.read.model import STEP_DEFLECTION, file_bytes, read_model
from even_step.core.slicing.supports.by_hand import ByHand, own_facets
from even_step.core.slicing.zones import ZoneShapes
from even_step.core.stages import StageRun
from even_step.core.work import Crew
from even_step.core.zone_shapes import Posed, zone_shapes

#: Settings that a part may have of its own.
OF_A_PART = tuple(key for key, setting in CATALOGUE.items() if "part" in setting.scopes)

#: What of a zone its shape does not depend on.
OF_NO_SHAPE = {"id", "name", "settings"}

Source = tuple[str, Repair]
Files = dict[Source, tuple[list[Model], str]]


@dataclass(frozen=True)
class ReadSettings:
    """How far facets may lie off the curved faces of a STEP file, mm."""

    step_deflection: Annotated[float, mesh_keys.STEP_DEFLECTION]


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
    except (OSError, ValueError):
        return 0, 0
    return about.st_size, about.st_mtime_ns


def _is_step(path: str) -> bool:
    """Tell whether a file is STEP, whose facets depend on how fine they are asked for."""
    try:
        size_of(Path(path))
        with Path(path).open("rb") as file:
            return file.read(64).lstrip()[:12] == b"ISO-10303-21"
    except (OSError, InputError):
        return False  # reading tells


def _read(path: str, deflection: float, repair: Repair, crew: Crew) -> tuple[list[Model], str]:
    data = file_bytes(Path(path))
    models = read_model(Path(path), data, deflection, repair, crew)
    return models, f"{digest(data, crew)}-{deflection:g}-{repair}"


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


def files_of(job: Job, resolved: Resolved, run: StageRun) -> Files:
    """Read the files of a job's parts, and of zones that have one of their own."""
    sources = [part.source for part in job.parts]
    sources += [zone.source for part in job.parts for zone in part.zones_of_files]
    return read_models(sources, run, take(ReadSettings, resolved.values))


@dataclass(frozen=True, eq=False)
class PosedSolid:
    """A posed mesh with the hash of what it was made from, and its part's name.

    ``turn`` is by how many degrees patterns of full lines turn with it, ``resolved`` what holds for it by extruder,
    ``by_hand`` what a hand put on it, ``zones`` those of its part with their shapes in its frame and the key of these,
    ``curve`` its step curve.
    """

    model: Model
    mesh: Mesh
    matrix: NDArray[np.float64]
    key: str
    turn: float
    resolved: tuple[Resolved, ...]
    title: str
    by_hand: ByHand
    zones: tuple[Zone, ...]
    zone_shapes: ZoneShapes
    zones_key: str
    curve: tuple[Knot, ...]

    @property
    def is_one_shell(self) -> bool:
        """Whether all facets are known to be of one surface."""
        return [body.shells for body in self.model.bodies] == [1]


def _posed(job: Job, files: Files, scopes: Scopes, run: StageRun) -> tuple[list[PosedSolid], dict[Spot, int]]:
    """Pose every part, equal ones once; returns which of them each copy is.

    A solid is what is laid alike: one mesh in one pose with one set of settings. What does not depend on the settings
    in which they differ, solids of one mesh and pose share through the cache.
    """
    solids: dict[tuple[object, ...], PosedSolid] = {}
    numbers: dict[tuple[object, ...], int] = {}
    meshes: dict[str, tuple[Mesh, NDArray[np.float64]]] = {}
    solid_of: dict[Spot, int] = {}
    for spot, part, copy in stood(job):
        model, (_, content) = model_of(part, files), files[part.source]
        matrix = pose_matrix(part, copy) * MM_PER[part.unit]
        made_from = content, part.object, part.bodies, matrix.tolist()
        stands = hashlib.blake2b(repr(made_from).encode(), digest_size=16).hexdigest()
        resolved = scopes.of(part)
        hand = part.zones, part.posts, part.marks, part.curve
        key = stands, copy.turn, hand, *(table.values[one] for table in resolved for one in OF_A_PART)
        if stands not in meshes:
            with run.timed("read"):
                meshes[stands] = set_down(model.merged(), matrix)
        if key not in solids:
            mesh, shift = meshes[stands]
            by_hand = ByHand(part.posts, _own_marks(part, files), pose_matrix(part, copy), shift)
            numbers[key] = len(solids)
            posed = Posed(model, mesh, matrix, by_hand, lambda zone: _model_of_zone(zone, files).merged())
            zones = part.zones, *_zone_shapes(part, posed, (stands, copy.turn), run)
            own = part.name, by_hand, *zones, part.curve
            solids[key] = PosedSolid(model, mesh, matrix, stands, copy.turn, resolved, *own)
        solid_of[spot] = numbers[key]
    return list(solids.values()), solid_of


def _zone_shapes(part: Part, posed: Posed, stands: object, run: StageRun) -> tuple[ZoneShapes, str]:
    """Return the shapes of a part's zones, and the key of what they were made from."""
    if not part.zones:
        return ZoneShapes(), ""
    told = [zone.model_dump(exclude=OF_NO_SHAPE) for zone in part.zones]
    times = [_stamp(zone.file) for zone in part.zones if zone.file]
    return run.stage("read", (stands, repr(told), times), lambda: zone_shapes(part, posed))


def _model_of_zone(zone: Zone, files: Files) -> Model:
    """Return the model of a zone that has a file of its own."""
    models, _ = files[zone.source]
    if zone.object >= len(models):
        lacks = f"holds {len(models)} part(s), zone {zone.title} names part {zone.object + 1}"
        raise JobError(lacks, subject=zone.source[0])
    return models[zone.object]


def _own_marks(part: Part, files: Files) -> tuple[Mark, ...]:
    """Return the part's marks, with facets counted through those bodies that belong to it.

    Raises
    ------
    JobError
        When a mark names a facet that the model does not have.
    """
    if not part.marks:
        return ()
    counts = tuple(len(body.mesh.faces) for body in files[part.source][0][part.object].bodies)
    last = max((mark.facets[-1] for mark in part.marks if mark.facets), default=-1)
    if last >= sum(counts):
        raise JobError(
            f"has {sum(counts)} facets, a mark names facet {last}",
            subject=part.name,
            remedy="mark the part again, or name a spot instead of facets",
        )
    return own_facets(part.marks, counts, part.bodies)


def stand(job: Job, files: Files, scopes: Scopes, run: StageRun) -> tuple[list[PosedSolid], list[PlacedPart]]:
    """Pose every part and find a place for the copies that have none, on the bed or beside it."""
    in_order, solid_of = _posed(job, files, scopes, run)
    if any(copy.at is None for _, _, copy in stood(job)):
        with run.timed("read"):
            job = with_places(job, _outlines(solid_of, in_order))
    placed = []
    for part in job.parts:
        for count, copy in enumerate(part.copies, 1):
            x, y = copy.at or (0.0, 0.0)
            at, solid = (round(x, 3), round(y, 3)), solid_of[Spot(part.id, copy.id)]
            placed.append(PlacedPart(solid, part.id, part.name, copy.id, count, at, copy.turn))
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
    if all(copy.at is not None for _, _, copy in stood(job)):
        return job
    whole = cascade(job)
    scopes = Scopes((whole,), {part.id: (whole,) for part in job.parts})
    solids, solid_of = _posed(job, files_of(job, whole, run), scopes, run)
    return over_beds(job, _outlines(solid_of, solids))


def models_of(job: Job, run: StageRun) -> list[Model]:
    """Return the model of each part of a job, with all its bodies, then of each zone that has a file of its own."""
    files = files_of(job, cascade(job), run)
    of_parts = [model_of(part.model_copy(update={"bodies": ()}), files) for part in job.parts]
    return of_parts + [_model_of_zone(zone, files) for part in job.parts for zone in part.zones_of_files]
