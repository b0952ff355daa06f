"""The stages in order: a job in, a toolpath with its times and findings out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.bed_stages import (
    GROUND,
    HEAD,
    MOTION,
    PLANNER,
    PURGED,
    STAGES_OF_BED,
    STANDING,
    TOOLPATH,
    TOWER,
    TOWER_AT,
    TOWER_WISH,
    WISHED,
    tower_shape,
)
from even_step.core.catalogue.setting import settings_read_by
from even_step.core.errors import JobError
from even_step.core.faults import guarded
from even_step.core.findings import findings
from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid
from even_step.core.graph import Given, Runner, Stage, Unit, records_of
from even_step.core.job.arrange import ground_of
from even_step.core.job.beds import bed_count
from even_step.core.job.cascade import Scopes, resolve, tools_of
from even_step.core.job.model import Job, Machine, purged
from even_step.core.line_stages import BLOCKS, COVERS, LEDGER, WALLS
from even_step.core.motion.fan import FanSettings
from even_step.core.motion.heat import HeatSettings, heats_of_zones
from even_step.core.motion.plan import MotionPlan
from even_step.core.motion.records import Records
from even_step.core.motion.speeds import LineSettings, MotionSettings
from even_step.core.outline_stages import (
    AT,
    BY_HAND,
    CONTOURS,
    CURVE,
    FOOTPRINTS,
    HEIGHTS,
    MESH,
    ONE_SHELL,
    OVERHANG,
    REGIONS,
    ROUNDED,
    STANDS,
    TURN,
    ZONES,
)
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.infill import Stand
from even_step.core.slicing.ledger import Ledger
from even_step.core.slicing.walls import WallSettings
from even_step.core.solid_stages import STAGES_OF_PARTS
from even_step.core.stages import Cache, StageCache, StageRun
from even_step.core.standing import PosedSolid, ReadSettings, files_of, stand
from even_step.core.support_stages import FOOT, HELD, REMOVAL, RESTING, SLIMNESS, SUPPORTS, SWAY, UNDERSIDES
from even_step.core.toolpath.toolpath import Toolpath
from even_step.core.walk import make_all
from even_step.core.work import Crew

#: Settings that only the machine's code and the layer heads carry; they are read where these are written.
WRITTEN = ("heat.nozzle", "heat.first_nozzle", "heat.bed", "heat.idle_nozzle")


GRAPH = (*STAGES_OF_PARTS, *STAGES_OF_BED)
#: What the findings look at of each solid, as ``SlicedSolid`` has it.
LOOKED_AT: tuple[Stage[Any], ...] = (
    *(HEIGHTS, CONTOURS, ROUNDED, REGIONS, WALLS, COVERS),
    *(UNDERSIDES, SUPPORTS, HELD, SLIMNESS, RESTING, REMOVAL, SWAY, FOOTPRINTS),
)

ABSURD = 4.0  # machine sizes


def _records_by_stage() -> dict[str, tuple[type, ...]]:
    """Return which records the stages of each name read, from the file to the G-code."""
    found: dict[str, tuple[type, ...]] = {"read": (ReadSettings,)}
    for stage in GRAPH:
        found[stage.name] = (*found.get(stage.name, ()), *stage.records, *stage.own, *stage.by_role, *stage.by_zone)
    return {**found, "write": (FanSettings,)}


STAGES = _records_by_stage()


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
    solids: tuple[SlicedSolid, ...]
    placed: tuple[PlacedPart, ...]
    matrices: tuple[NDArray[np.float64], ...]
    ledgers: tuple[Ledger, ...]
    toolpath: Toolpath
    plan: MotionPlan
    lines: Records[LineSettings]
    fans: Records[FanSettings]
    motion: MotionSettings
    heats: NDArray[np.float64]
    findings: tuple[Finding, ...]


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
    crew.expect(_steps(job))
    solids, placed = stand(job, files_of(job, scopes.job, run), scopes, run)
    _refuse_absurd_sizes(job, solids, placed)
    bed = bed_unit(job, scopes, solids, placed)
    runner = Runner(run, _guard)
    first = {part.solid: copy for part, copy in reversed(list(zip(placed, bed.under, strict=True)))}
    looked_at = [(stage, copy.under[0]) for copy in first.values() for stage in LOOKED_AT]
    make_all(runner, [(TOOLPATH, bed), (MOTION, bed), *looked_at, *((LEDGER, copy) for copy in first.values())])
    toolpath, plan = runner.value(TOOLPATH, bed), runner.value(MOTION, bed)
    sliced = tuple(_sliced_solid(solid, first[i].under[0], runner) for i, solid in enumerate(solids))
    ledgers = tuple(runner.value(LEDGER, first[i]) for i in range(len(solids)))
    motion, zones = bed.record(MotionSettings), [runner.value(BLOCKS, copy).zones for copy in bed.under]
    heats = heats_of_zones(toolpath, records_of(bed, HeatSettings, zones))
    with run.timed("findings"):
        tower = tower_shape(runner.value(TOWER, bed), runner.value(TOWER_AT, bed))
        standing, values = runner.value(STANDING, bed), scopes.job.values
        evidence = Evidence(
            job, sliced, tuple(placed), ledgers, values, motion.most_lift, toolpath, plan, tower, tuple(standing), heats
        )
        found = findings(evidence, crew)
    return Sliced(
        job,
        scopes,
        sliced,
        tuple(placed),
        tuple(solid.matrix for solid in solids),
        ledgers,
        toolpath,
        plan,
        records_of(bed, LineSettings, zones),
        records_of(bed, FanSettings, zones),
        motion,
        heats,
        tuple(found),
    )


def _steps(job: Job) -> int:
    """Return how many steps a slice takes, about, for progress."""
    units = {"solid": len(job.parts), "copy": sum(len(part.copies) for part in job.parts), "bed": 1}
    return len({part.source for part in job.parts}) + sum(units[stage.of] for stage in GRAPH)


def bed_unit(job: Job, scopes: Scopes, solids: list[PosedSolid], placed: list[PlacedPart]) -> Unit:
    """Return the bed with its copies over their solids: what the stages are walked for."""
    machine = job.machine
    fixed = tuple(
        {
            "bore": nozzle.bore,
            "nozzle_least": nozzle.layer_height[0],
            "nozzle_most": nozzle.layer_height[1],
            "overhang": min(machine.overhang_limit),
            "melt_limit": material.flow_limit,
            "filament": machine.filament_diameter,
            "highest": machine.height,
            "change_time": machine.change_time,
        }
        for nozzle, material in zip(machine.extruders, job.materials, strict=False)
    )
    of_solids = [_solid_unit(solid, machine, fixed) for solid in solids]
    copies = []
    for part in placed:
        solid = of_solids[part.solid]
        stands = Stand(part.at if _asks_for_the_bed(solid) else None, part.turn)
        of_copy: dict[Given[Any], tuple[Any, str]] = {
            one: (value, repr(value)) for one, value in ((AT, part.at), (STANDS, stands))
        }
        copies.append(Unit("copy", solid.tables, fixed, solid.tools, of_copy, (solid,), part.name, solid.zones))
    wished = tuple(job.order.index(part.part) if part.part in job.order else -1 for part in placed)
    brought = (
        (PLANNER, machine.motion),
        (HEAD, machine.head),
        (WISHED, wished),
        (PURGED, purged(job)),
        (TOWER_WISH, job.tower),
    )
    given: dict[Given[Any], tuple[Any, str]] = {one: (value, repr(value)) for one, value in brought}
    given[GROUND] = ground_of(machine.bed, job.layout), repr((machine.bed, job.layout))
    tables = tuple(one.values for one in scopes.whole)
    return Unit("bed", tables, fixed, tools_of(tables[0]), given, tuple(copies))


def bed_to_come(job: Job, crew: Crew, cache: Cache) -> tuple[list[PlacedPart], Unit, Runner]:
    """Return what stands on a bed, the bed with its copies over their solids, and a runner, before anything is sliced.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    run, scopes = StageRun(crew, cache), resolve(job)
    solids, placed = stand(job, files_of(job, scopes.job, run), scopes, run)
    return placed, bed_unit(job, scopes, solids, placed), Runner(run)


def _asks_for_the_bed(solid: Unit) -> bool:
    """Tell whether any infill of a solid lies in the bed's frame; else copies share it wherever they stand."""
    return "bed" in {table.get("infill.frame") for table in (*solid.tables, *solid.zones)}


def _solid_unit(solid: PosedSolid, machine: Machine, fixed: tuple[Mapping[str, Any], ...]) -> Unit:
    """Return a solid: what its stages are walked for."""
    return Unit(
        "solid",
        tuple(one.values for one in solid.resolved),
        fixed,
        tools_of(solid.resolved[0].values),
        {
            MESH: (solid.mesh, solid.key),
            ONE_SHELL: (solid.is_one_shell, ""),
            OVERHANG: (machine.overhang_limit, repr(machine.overhang_limit)),
            TURN: (solid.turn, repr(solid.turn)),
            ZONES: (solid.zone_shapes, solid.zones_key),
            CURVE: (solid.curve, repr(solid.curve)),
            BY_HAND: (solid.by_hand, repr((solid.by_hand.posts, solid.by_hand.marks))),
        },
        title=solid.title,
        zones=tuple(zone.holds for zone in solid.zones),
    )


def _guard(runner: Runner, unit: Unit, make: Callable[[], Any]) -> Any:
    """Tell the part and the layer when the geometry of one cannot be worked out."""
    if not unit.title:
        return make()
    solid = unit.sources("solid")[0]

    def attempt(heights: Heights) -> None:
        hands = Crew(cancelled=runner.run.crew.cancelled)
        again = Runner(StageRun(hands, StageCache(0)))
        again.preset(HEIGHTS, solid, heights)
        given: dict[Given[Any], tuple[Any, str]] = {STANDS: (Stand((0.0, 0.0), 0.0), "")}
        copy = Unit("copy", solid.tables, solid.fixed, solid.tools, given, (solid,), zones=solid.zones)
        again.value(FOOT, solid)
        again.value(LEDGER, copy)

    return guarded(make, unit.title, lambda: runner.value(HEIGHTS, solid), attempt)


def _sliced_solid(posed: PosedSolid, unit: Unit, runner: Runner) -> SlicedSolid:
    """Return what the findings look at."""
    return SlicedSolid(
        posed.model,
        posed.mesh,
        unit.settings,
        unit.record(WallSettings),
        posed.zone_shapes.idle,
        *(runner.value(stage, unit) for stage in LOOKED_AT),
    )


def _refuse_other_than_one_bed(job: Job) -> None:
    if not job.parts:
        raise JobError("has no parts", subject=job.name, remedy="bring in a model")
    if bed_count(job) > 1:
        raise JobError(f"has {bed_count(job)} beds", subject=job.name, remedy="slice one bed at a time")


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
