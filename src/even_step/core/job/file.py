"""The job as one file: a 3MF that any reader opens as plain geometry, with our record in it."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np

from even_step.core.errors import InputError
from even_step.core.job.beds import GAP
from even_step.core.job.bring_in import pose_matrix
from even_step.core.job.kept_trials import KeptTrial, trials_from, trials_text
from even_step.core.job.model import MM_PER, Copy, Job, Part
from even_step.core.job.shipped import record_of
from even_step.core.job.text import job_from_record, job_text
from even_step.core.job.zones import Zone
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.mesh.pose import set_down
from even_step.core.mesh.read.archive import JOB_ENTRY, SOME_BODIES, TRIALS_ENTRY, job_text_in, text_in

FIXED_DATE = (1980, 1, 1, 0, 0, 0)  # the same job gives the same bytes
CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
RELATION = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
PACKAGE = "http://schemas.openxmlformats.org/package/2006"
TYPES = (
    f'<?xml version="1.0" encoding="UTF-8"?>\n<Types xmlns="{PACKAGE}/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>'
    '<Default Extension="toml" ContentType="application/toml"/>'
    '<Default Extension="json" ContentType="application/json"/></Types>\n'
)
LINKS = (
    f'<?xml version="1.0" encoding="UTF-8"?>\n<Relationships xmlns="{PACKAGE}/relationships">'
    f'<Relationship Target="/3D/3dmodel.model" Id="model" Type="{RELATION}"/></Relationships>\n'
)


def read_job_file(path: Path, told: list[str] | None = None) -> Job:
    """Open a job saved as 3MF; ``told`` gets a line where a newer version wrote it.

    Raises
    ------
    InputError
        When it is no 3MF, carries no job, or its record is damaged.
    """
    text = job_text_in(path)
    if text is None:
        raise InputError("carries no job of ours", subject=path, remedy="bring it in as a model")
    try:
        record = record_of(text, path)
    except InputError as error:
        raise InputError(f"carries a damaged job record: it {error.message}", subject=path) from error
    outside = next((file for file in _files_named_in(record) if file), None)
    if outside is not None:
        raise InputError(
            f"contains a job that names a file outside it: {outside[:80]}",
            subject=path,
            remedy="a saved job contains all its models; save it again",
        )
    return job_from_record(record, path, told)


def _files_named_in(record: Mapping[str, Any]) -> Iterator[str]:
    """Go through the files that a record names: of models, and of machines, materials and recipes."""
    for part in _tables(record.get("parts")):
        yield str(part.get("file", ""))
        yield from (str(zone.get("file", "")) for zone in _tables(part.get("zones")))
    materials = record.get("materials")
    profiles = [record.get("machine"), record.get("recipe"), *(materials if isinstance(materials, list) else [])]
    yield from (one for one in profiles if isinstance(one, str) and one.lower().endswith(".toml"))


def _tables(found: object) -> list[dict[str, Any]]:
    return [one for one in found if isinstance(one, dict)] if isinstance(found, list) else []


def read_trials(path: Path, job: Job, told: list[str]) -> tuple[KeptTrial, ...]:
    """Read the trials that were kept with a job, which was read before; what cannot be read is told and left out."""
    try:
        text = text_in(path, TRIALS_ENTRY)
    except InputError as error:
        told.append(str(error))
        return ()
    return trials_from(text, path, job.beds, told) if text else ()


def job_file(job: Job, models: list[Model], trials: tuple[KeptTrial, ...] = ()) -> bytes:
    """Return a job as the bytes of a 3MF file.

    Parameters
    ----------
    job
        Any job whose copies have their places.
    models
        The model of each part of the job, with all its bodies, then that of each zone that has a file of its own.
    trials
        Those whose models are all in the job are kept with it.

    Notes
    -----
    Each model becomes an object per body and one that joins them, in the unit of its file; a part with only some of
    the bodies has a joining object of its own. Each copy is a build item whose transform holds unit and pose. The
    record refers to the joining objects of whole models by number.
    """
    wholes = list({id(model): model for model in models}.values())
    numbers = {id(model): number for number, model in enumerate(wholes)}
    places = {source: numbers[id(model)] for source, model in zip(_sources(job), models, strict=True)}
    own = _referring(job, places)
    kept = [one for one in trials if all(source in places for source in _sources(one.job))]
    kept = [one.model_copy(update={"job": _referring(one.job, places)}) for one in kept]
    model = _model_xml(own.parts, wholes, GAP * job.machine.bed.size[0])
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for name, text in (
            ("[Content_Types].xml", TYPES),
            ("_rels/.rels", LINKS),
            ("3D/3dmodel.model", model),
            (JOB_ENTRY, job_text(own)),
            *([(TRIALS_ENTRY, trials_text(tuple(kept)))] if kept else []),
        ):
            entry = zipfile.ZipInfo(name, FIXED_DATE)
            entry.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(entry, text)
    return buffer.getvalue()


def _source(one: Part | Zone) -> tuple[object, ...]:
    return one.source, one.object


def _sources(job: Job) -> list[tuple[object, ...]]:
    """Return where the models of a job come from: of its parts, then of zones that have a file of their own."""
    return [*map(_source, job.parts), *(_source(zone) for part in job.parts for zone in part.zones_of_files)]


def _referring(job: Job, places: Mapping[tuple[object, ...], int]) -> Job:
    """Return the job with its parts and zones referring to the models of the file it is saved in."""

    def zone_of(zone: Zone) -> Zone:
        here = {"file": "", "object": places[_source(zone)]} if zone.file is not None else {}
        return zone.model_copy(update=here)

    def part_of(part: Part) -> Part:
        here = {"file": "", "object": places[_source(part)], "zones": tuple(map(zone_of, part.zones))}
        return part.model_copy(update=here)

    return job.model_copy(update={"parts": tuple(map(part_of, job.parts))})


def _model_xml(parts: tuple[Part, ...], wholes: list[Model], apart: float) -> str:
    """Write each model once, whole; then what parts leave of a model; then where all copies stand.

    ``apart`` is how far it is from one bed to the next, mm.
    """
    objects: list[str] = []
    bodies_of: list[list[int]] = []
    for model in wholes:
        bodies_of.append([])
        for body in model.bodies:
            bodies_of[-1].append(len(objects) + 1)
            objects.append(_object(len(objects) + 1, body.name, _mesh_xml(body.mesh)))
    wanted: list[tuple[int, tuple[int, ...]]] = [(number, ()) for number in range(len(wholes))]
    wanted += [(part.object, part.bodies) for part in parts if part.bodies]
    joins: dict[tuple[int, tuple[int, ...]], int] = {}
    for number, chosen in dict.fromkeys(wanted):
        bodies = [bodies_of[number][body] for body in chosen] if chosen else bodies_of[number]
        named = [part.name for part in parts if (part.object, part.bodies) == (number, chosen)]
        links = "".join(f'<component objectid="{body}"/>' for body in bodies)
        joins[number, chosen] = len(objects) + 1
        name = named[0] if named else wholes[number].name
        part = f' partnumber="{SOME_BODIES}"' if chosen else ""
        objects.append(_object(len(objects) + 1, name, f"<components>{links}</components>", part))
    items = [
        f'<item objectid="{joins[part.object, part.bodies]}" transform="{_transform(part, copy, model, apart)}"/>'
        for part in parts
        for model in (wholes[part.object].only(part.bodies),)
        for copy in part.copies
    ]
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="millimeter" xml:lang="en" xmlns="{CORE}">'
        f"<resources>{''.join(objects)}</resources><build>{''.join(items)}</build></model>\n"
    )


def _object(number: int, name: str, inside: str, more: str = "") -> str:
    return f'<object id="{number}" type="model" name={_name(name)}{more}>{inside}</object>'


def _name(text: str) -> str:
    """Return a name as an XML attribute; what XML cannot hold becomes a blank."""
    return quoteattr("".join(letter if letter.isprintable() else " " for letter in text))


def _mesh_xml(mesh: Mesh) -> str:
    vertices = "".join(f'<vertex x="{x:.9g}" y="{y:.9g}" z="{z:.9g}"/>' for x, y, z in mesh.vertices.tolist())
    facets = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in mesh.faces.tolist())
    return f"<mesh><vertices>{vertices}</vertices><triangles>{facets}</triangles></mesh>"


def _transform(part: Part, copy: Copy, model: Model, apart: float) -> str:
    """Return a copy's pose as twelve numbers: images of the axes, then the shift."""
    matrix = pose_matrix(part, copy) * MM_PER[part.unit]
    _, shift = set_down(model.merged(), matrix)
    x, y = copy.at or (0.0, 0.0)
    rows = np.vstack((matrix.T, shift + np.array([x + copy.bed * apart, y, 0.0])))
    return " ".join(f"{value:.9g}" for value in rows.ravel())
