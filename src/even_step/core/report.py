"""The report of a slice, as the command line's contract lays it down."""

from __future__ import annotations

import dataclasses
import resource
from typing import Any

import numpy as np

from even_step import __version__
from even_step.core.catalogue.setting import take
from even_step.core.findings.finding import SlicedSolid
from even_step.core.mesh.measure import measure
from even_step.core.motion.comments import GcodeJob
from even_step.core.motion.fan import FanSettings, path_fans
from even_step.core.motion.plan import heat_up_time, time_by_role, volume_by_role
from even_step.core.motion.records import Records
from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.slicing.ledger import COLUMNS
from even_step.core.stages import StageRun

REPORT_VERSION = 1


def material_used(sliced: Sliced) -> list[dict[str, Any]]:
    """Return length, volume, mass and cost for each material; the first lays everything."""
    used = []
    for i, material in enumerate(sliced.job.materials):
        volume = float(sliced.plan.volume.sum()) if i == 0 else 0.0
        mass = volume / 1000.0 * material.density
        used.append(
            {
                "name": material.name,
                "length_mm": volume / sliced.motion.filament_area,
                "volume_mm3": volume,
                "mass_g": mass,
                "cost": mass / 1000.0 * material.price_per_kg,
            }
        )
    return used


def gcode_job(sliced: Sliced) -> GcodeJob:
    """Return what the writer needs of a slice."""
    own = [take(FanSettings, sliced.solids[part.solid].settings) for part in sliced.placed]
    fans = Records.of(take(FanSettings, sliced.scopes.job.values), own)
    return GcodeJob(
        sliced.job,
        sliced.scopes.job,
        sliced.toolpath,
        sliced.plan,
        sliced.motion,
        tuple((part.name, part.copy) for part in sliced.placed),
        material_used(sliced)[0]["mass_g"],
        dict(sliced.job.settings),
        path_fans(sliced.toolpath, fans),
    )


def report(sliced: Sliced, run: StageRun, *, ledger_by_layer: bool = False) -> dict[str, Any]:
    """Return the report as a record that JSON can hold."""
    heat = sliced.job.machine.heating
    values = sliced.scopes.job.values
    return {
        "version": REPORT_VERSION,
        "program": f"even-step {__version__}",
        "job": {
            "machine": sliced.job.machine.name,
            "materials": [m.name for m in sliced.job.materials],
            "recipe": sliced.job.recipe.name,
            "changed": dict(sliced.job.settings),
        },
        "parts": _parts(sliced),
        "layers": {
            "count": sliced.toolpath.layers,
            "z_mm": _listed(sliced.toolpath.top),
            "height_mm": _listed(sliced.toolpath.courses.thickest()),
            "time_s": _listed(sliced.plan.layer_time),
        },
        "time_s": sliced.plan.total,
        "time_by_role_s": time_by_role(sliced.toolpath, sliced.plan),
        "heat_up_s": heat_up_time(heat, float(values["heat.first_nozzle"]), float(values["heat.bed"])),
        "material": material_used(sliced),
        "volume_by_role_mm3": volume_by_role(sliced.toolpath, sliced.plan),
        "ledger": _ledger(sliced, by_layer=ledger_by_layer),
        "unsupported_area_mm2": sum(sliced.solids[part.solid].hanging.total for part in sliced.placed),
        "contact_area_mm2": sum(_contact(sliced.solids[part.solid]) for part in sliced.placed),
        "findings": [dataclasses.asdict(finding) for finding in sliced.findings],
        "stages_s": {name: {"wall": run.wall[name], "cpu": run.cpu[name]} for name in run.wall},
        "peak_rss_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0,
        "cache": run.hits(),
        "trials": [],
    }


def _listed(values: Any) -> list[float]:
    return [float(value) for value in values]


def _parts(sliced: Sliced) -> list[dict[str, Any]]:
    """Describe each part of the job with the placements of its copies."""
    out: list[dict[str, Any]] = []
    number = 0
    for part in sliced.job.parts:
        copies = sliced.placed[number : number + len(part.copies)]
        number += len(part.copies)
        solid = sliced.solids[copies[0].solid]
        low, high = solid.mesh.bounds
        out.append(
            {
                "id": part.id,
                "name": part.name,
                "changed": dict(part.settings),
                "source": part.file,
                "triangles": solid.model.triangles,
                "volume_mm3": measure(solid.mesh).volume,
                "size_mm": _listed(high - low),
                "placements": [_placement(sliced, copy.solid, copy.at) for copy in copies],
                "repairs": list(solid.model.repairs),
                "warnings": list(solid.model.warnings),
            }
        )
    return out


def _placement(sliced: Sliced, solid: int, at: tuple[float, float]) -> list[list[float]]:
    """Return the 4×4 that takes the file's coordinates to the bed."""
    matrix = np.eye(4)
    matrix[:3, :3] = sliced.matrices[solid]
    model = sliced.solids[solid].model.merged()
    turned = sliced.matrices[solid] @ model.vertices[model.faces[0, 0]]
    stands = sliced.solids[solid].mesh.vertices[model.faces[0, 0]]
    matrix[:3, 3] = stands - turned + (*at, 0.0)
    return [_listed(row) for row in matrix]


def _ledger(sliced: Sliced, *, by_layer: bool) -> dict[str, Any]:
    rows = np.zeros((sliced.toolpath.layers, len(COLUMNS)))
    for number, part in enumerate(sliced.placed):
        one = sliced.ledgers[part.solid].rows
        rows[sliced.toolpath.courses.layers_of(number)[: len(one)]] += one
    summed: dict[str, Any] = dict(zip(COLUMNS, _listed(rows.sum(axis=0)), strict=True))
    if by_layer:
        summed["layers"] = [dict(zip(COLUMNS, _listed(row), strict=True)) for row in rows]
    return summed


def _contact(solid: SlicedSolid) -> float:
    return float(region.area(solid.outlines.outline[solid.outlines.which[:1]]).sum())
