"""The report of a slice, as the command line's contract lays it down."""

from __future__ import annotations

import dataclasses
import resource
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step import __version__
from even_step.core.findings.finding import PlacedPart, SlicedSolid
from even_step.core.heights_report import heights_of
from even_step.core.hole_report import holes_of
from even_step.core.job.cascade import bed_heat
from even_step.core.job.model import Part
from even_step.core.mesh.measure import measure
from even_step.core.motion.comments import GcodeJob
from even_step.core.motion.fan import path_fans
from even_step.core.motion.plan import heat_up_time, retractions, time_by_role, volume_by_role
from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.slicing.ledger import COLUMNS
from even_step.core.stages import StageRun
from even_step.core.texture_report import texture_time
from even_step.core.toolpath.roles import GAP_FILL, ROLES, SUPPORT, SUPPORT_CONTACT
from even_step.core.zone_report import zones_of

REPORT_VERSION = 1


def material_used(sliced: Sliced) -> list[dict[str, Any]]:
    """Return length, volume, mass and cost of each material in use, with its extruder counted from 1."""
    volumes = np.bincount(sliced.toolpath.extruder, sliced.plan.volume, len(sliced.job.materials))
    used = []
    for i in sliced.toolpath.extruders or [0]:
        material, volume = sliced.job.materials[i], float(volumes[i])
        mass = volume / 1000.0 * material.density
        used.append(
            {
                "name": material.name,
                "extruder": i + 1,
                "length_mm": volume / sliced.motion.filament_area,
                "volume_mm3": volume,
                "mass_g": mass,
                "cost": mass / 1000.0 * material.price_per_kg,
            }
        )
    return used


def gcode_job(sliced: Sliced) -> GcodeJob:
    """Return what the writer needs of a slice."""
    return GcodeJob(
        sliced.job,
        sliced.scopes.whole,
        sliced.toolpath,
        sliced.plan,
        sliced.motion,
        tuple((part.name, part.copy) for part in sliced.placed),
        sum(used["mass_g"] for used in material_used(sliced)),
        dict(sliced.job.settings),
        path_fans(sliced.toolpath, sliced.fans),
        sliced.heats,
    )


def report(sliced: Sliced, run: StageRun, *, ledger_by_layer: bool = False) -> dict[str, Any]:
    """Return the report as a record that JSON can hold."""
    told = outcome(sliced, ledger_by_layer=ledger_by_layer)
    return {
        "version": REPORT_VERSION,
        "program": f"even-step {__version__}",
        "job": {
            "machine": sliced.job.machine.name,
            "materials": [m.name for m in sliced.job.materials],
            "recipe": sliced.job.recipe.name,
            "changed": dict(sliced.job.settings),
        },
        **told,
        "parts": [{**one, **more} for one, more in zip(_parts(sliced), told["parts"], strict=True)],
        "texture_s": texture_time(sliced, run),
        "heat_up_s": _heat_up(sliced, told["material"]),
        "stages_s": {name: {"wall": run.wall[name], "cpu": run.cpu[name]} for name in run.wall},
        "peak_rss_mb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0,
        "cache": run.hits(),
        "trials": [],
    }


def outcome(sliced: Sliced, *, ledger_by_layer: bool = False) -> dict[str, Any]:
    """Return what of the report trials are compared by; of parts, where they stand and their layers.

    A sweep asks for no more at each of its steps: the rest takes as long as a stage.
    """
    return {
        "parts": _layers_of_parts(sliced),
        "layers": {
            "count": sliced.toolpath.layers,
            "z_mm": _listed(sliced.toolpath.top),
            "height_mm": _listed(sliced.toolpath.courses.thickest()),
            "time_s": _listed(sliced.plan.layer_time),
        },
        "time_s": sliced.plan.total,
        "time_by_role_s": time_by_role(sliced.toolpath, sliced.plan),
        "material": material_used(sliced),
        "retractions": retractions(sliced.toolpath, sliced.plan.speeds, sliced.motion),
        "gap_fill_strokes": sliced.toolpath.strokes(GAP_FILL),
        "changes_of_extruder": int((sliced.plan.speeds.changes > 0).sum()),
        "volume_by_role_mm3": volume_by_role(sliced.toolpath, sliced.plan),
        "mass_by_role_g": _mass_by_role(sliced),
        "ledger": _ledger(sliced, by_layer=ledger_by_layer),
        "unsupported_area_mm2": sum(_unheld(sliced.solids[part.solid]) for part in sliced.placed),
        "support_contact_mm2": sum(_lies(sliced.solids[part.solid]) for part in sliced.placed),
        "contact_area_mm2": sum(_contact(sliced.solids[part.solid]) for part in sliced.placed),
        "findings": [dataclasses.asdict(finding) for finding in sliced.findings],
    }


def _heat_up(sliced: Sliced, materials: Sequence[dict[str, Any]]) -> float:
    """Return what the hottest nozzle in use and the bed take to get hot, s."""
    used = [sliced.scopes.whole[one["extruder"] - 1] for one in materials]
    hottest = max(float(table.values["heat.first_nozzle"]) for table in used)
    return heat_up_time(sliced.job.machine.heating, hottest, bed_heat(used))


def _mass_by_role(sliced: Sliced) -> dict[str, float]:
    """Return the mass of each role that occurs, g."""
    density = np.array([material.density for material in sliced.job.materials]) / 1000.0
    mass = sliced.plan.volume * density[sliced.toolpath.extruder]
    totals = np.bincount(sliced.toolpath.role, mass, len(ROLES))
    return {name: float(total) for name, total in zip(ROLES, totals, strict=True) if total > 0}


def _listed(values: Any) -> list[float]:
    return [float(value) for value in values]


def _copies(sliced: Sliced) -> Iterator[tuple[Part, int, Sequence[PlacedPart]]]:
    """Go through the parts of the job: each with the number of its first copy, and its copies."""
    number = 0
    for part in sliced.job.parts:
        yield part, number, sliced.placed[number : number + len(part.copies)]
        number += len(part.copies)


def _layers_of_parts(sliced: Sliced) -> list[dict[str, Any]]:
    """Return where the copies of each part stand, and its layers."""
    return [
        {
            "placements": [_placement(sliced, copy.solid, copy.at) for copy in copies],
            **heights_of(sliced, first, len(copies)),
        }
        for _, first, copies in _copies(sliced)
    ]


def _parts(sliced: Sliced) -> list[dict[str, Any]]:
    """Describe each part of the job."""
    out: list[dict[str, Any]] = []
    for part, first, copies in _copies(sliced):
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
                "supports": _supports(sliced, first, copies),
                "zones": zones_of(sliced, first),
                "true_size": holes_of(solid),
                "repairs": list(solid.model.repairs),
                "warnings": list(solid.model.warnings),
            }
        )
    return out


def _supports(sliced: Sliced, first: int, copies: Sequence[PlacedPart]) -> dict[str, Any]:
    """Return what of a part's copies hangs, is held and lies on supports, and what those take."""
    solids = [sliced.solids[copy.solid] for copy in copies]
    path, plan = sliced.toolpath, sliced.plan
    mine = (path.part >= first) & (path.part < first + len(copies)) & np.isin(path.role, (SUPPORT, SUPPORT_CONTACT))
    density = np.array([material.density for material in sliced.job.materials]) / 1000.0
    told = {
        "hanging_mm2": sum(solid.under.facets.total for solid in solids),
        "unheld_mm2": sum(_unheld(solid) for solid in solids),
        "kept_clear_mm2": sum(solid.kept_clear for solid in solids),
        "contact_mm2": sum(_lies(solid) for solid in solids),
        "mass_g": float((plan.volume[mine] * density[path.extruder[mine]]).sum()),
        "time_s": float((plan.path_time[mine] + plan.way_time[mine]).sum()),
    }
    shown = [solid for solid in solids if solid.under.marked.show.any() or len(solid.under.marked.seen)]
    if shown:
        told["contact_show_mm2"] = sum(_lies(one, one.under.marked.show) + one.removal.on_show for one in shown)
    slim = max((solid.slimness for solid in solids), key=lambda one: one.slenderness.max(initial=0.0))
    if slim.slimmest >= 0:
        told |= {
            "slimmest_mm": float(slim.width[slim.slimmest]),
            "slimmest_height_mm": float(slim.height[slim.slimmest]),
        }
    return told


def _unheld(solid: SlicedSolid) -> float:
    """Return what nothing holds, of that which nobody wants to be left alone, mm²."""
    return float(solid.unheld[~solid.under.marked.clear].sum())


def _lies(solid: SlicedSolid, some: NDArray[np.bool_] | slice = slice(None)) -> float:
    return float((solid.under.facets.area * solid.held.lies)[some].sum())


def _placement(sliced: Sliced, solid: int, at: tuple[float, float]) -> list[list[float]]:
    """Return the 4×4 that takes the file's coordinates to the bed."""
    matrix = np.eye(4)
    matrix[:3, :3] = sliced.matrices[solid]
    model = sliced.solids[solid].model.merged()
    turned = sliced.matrices[solid] @ model.vertices[model.faces[0, 0]]
    stands = sliced.solids[solid].mesh.vertices[model.faces[0, 0]]
    matrix[:3, 3] = stands - turned + (*at, sliced.solids[solid].heights.base)
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
