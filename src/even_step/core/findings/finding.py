"""A finding: one fault or caution with place, amount and remedy; and what a check may look at."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue.setting import Value
from even_step.core.job.cascade import tools_of
from even_step.core.job.model import Job
from even_step.core.job.zones import Zone
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.motion.plan import MotionPlan
from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.contours import Contours
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.ledger import Ledger
from even_step.core.slicing.ordering import Blocks
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.held import Held
from even_step.core.slicing.supports.lines import Supports
from even_step.core.slicing.supports.removal import Removal
from even_step.core.slicing.supports.resting import Resting
from even_step.core.slicing.supports.slimness import Slimness
from even_step.core.slicing.supports.undersides import Undersides
from even_step.core.slicing.sway import Sway
from even_step.core.slicing.true_size import FewSided
from even_step.core.slicing.walls import Walls, WallSettings
from even_step.core.slicing.zones import Footprints
from even_step.core.toolpath.roles import OF_PARTS
from even_step.core.toolpath.toolpath import Toolpath

Severity = Literal["stop", "warn", "note"]


@dataclass(frozen=True)
class Fix:
    """A remedy that can be applied: what a button says, and the settings the part is to have of its own.

    And the posts that are put to it: the spot each holds in the part's frame, and its diameter, mm. With the id of a
    ``zone`` the settings are that zone's.
    """

    title: str
    settings: Mapping[str, Value]
    posts: tuple[tuple[float, float, float, float], ...] = ()
    zone: str = ""


@dataclass(frozen=True)
class Finding:
    """One fault or caution. ``layer`` is −1 where it is about a whole part, ``part`` empty where it is about the job.

    ``at_mm`` is on the bed; ``part_id`` and ``copy_id`` say which copy it is about, ``zone`` the title of
    the zone in which its place lies.
    """

    code: str
    severity: Severity
    part: str
    layer: int
    z_mm: float
    at_mm: tuple[float, float]
    amount: float
    unit: str
    message: str
    remedy: str
    part_id: str = ""
    copy_id: str = ""
    fix: Fix | None = None
    zone: str = ""


@dataclass(frozen=True, eq=False)
class SlicedSolid:
    """One posed solid, the settings that hold for it, and its stages, in its own frame (its middle over the origin).

    ``idle_zones`` says why some of its zones lie nowhere, by number.
    """

    model: Model
    mesh: Mesh
    settings: Mapping[str, Value]
    wall: WallSettings
    idle_zones: Mapping[int, str]
    heights: Heights
    contours: Contours
    few_sided: FewSided
    outlines: Outlines
    walls: Walls
    covers: Covers
    under: Undersides
    supports: Supports
    held: Held
    slimness: Slimness
    resting: Resting
    removal: Removal
    sway: Sway
    prints: Footprints

    @property
    def unheld(self) -> NDArray[np.float64]:
        """What of each hanging facet has no supports beneath, mm²."""
        return self.under.facets.area * (1.0 - self.held.share)

    @property
    def kept_clear(self) -> float:
        """What hangs and is to have no supports beneath, mm²."""
        return float(self.under.facets.area[self.under.marked.clear].sum())

    def layer_at(self, z: float) -> int:
        """Return which of its layers holds a height, mm; the last one over the top."""
        return min(int(np.searchsorted(self.heights.top, z - 1e-6)), len(self.heights.top) - 1)

    def zones_at(self, layer: int, at: tuple[float, float]) -> list[int]:
        """Return the numbers of the zones that hold a place of a layer, in their order."""
        prints = self.prints.outline[self.prints.which[:, layer]]
        return np.flatnonzero(region.holds(prints, np.tile(at, (len(prints), 1)))).tolist()

    def dense(self, layer: int) -> Regions:
        """Return what of a layer is to be full, (1,)."""
        outline = self.outlines.outline[self.outlines.which[[layer]]]
        return region.difference(outline, self.covers.open[self.covers.which[[layer]]])


@dataclass(frozen=True)
class PlacedPart:
    """A copy on the bed: its solid's number, its part's id and name, its own id, which copy it is, where it stands.

    Its middle in mm, its turn in degrees.
    """

    solid: int
    part: str
    name: str
    id: str
    copy: int
    at: tuple[float, float]
    turn: float = 0.0

    @property
    def title(self) -> str:
        """Name the copy, with its number from the second on."""
        return self.name if self.copy == 1 else f"{self.name} {self.copy}"

    @property
    def ids(self) -> tuple[str, str]:
        """The ids of its part and of the copy itself."""
        return self.part, self.id


NOBODY = "", ""  # the ids of what is about no copy


@dataclass(frozen=True, eq=False)
class Evidence:
    """All a check may look at; ``standing`` are the supports of each placed part as far as there is room for them.

    ``heats`` (L,) are those that zones ask for, °C, NaN where none does.
    """

    job: Job
    solids: tuple[SlicedSolid, ...]
    placed: tuple[PlacedPart, ...]
    ledgers: tuple[Ledger, ...]
    settings: Mapping[str, Value]
    lift: float
    toolpath: Toolpath
    plan: MotionPlan
    tower: Regions
    standing: tuple[Blocks, ...]
    heats: NDArray[np.float64]

    @property
    def bore(self) -> float:
        """The bore of the nozzle that lays walls, mm."""
        return self.job.machine.extruders[tools_of(self.settings)["walls"]].bore

    def first_of_each(self) -> list[tuple[PlacedPart, SlicedSolid]]:
        """Return each solid with the first place it stands at."""
        seen: dict[int, PlacedPart] = {}
        for part in self.placed:
            seen.setdefault(part.solid, part)
        return [(part, self.solids[number]) for number, part in seen.items()]

    def zones(self) -> Iterator[tuple[PlacedPart, SlicedSolid, int, Zone]]:
        """Yield each zone, with its number, its solid and the first place that stands at."""
        of_part = {part.id: part.zones for part in self.job.parts}
        for part, solid in self.first_of_each():
            for number, zone in enumerate(of_part[part.part]):
                yield part, solid, number, zone

    def laid_span(self, part: PlacedPart) -> tuple[int, int] | None:
        """Return the first and the last of a placed part's own layers that hold a line; none where nothing is laid."""
        path = self.toolpath
        mine = (path.part == self.placed.index(part)) & np.isin(path.role, OF_PARTS)
        own = path.own[mine]
        return (int(own.min()), int(own.max())) if len(own) else None

    def layer_of(self, part: PlacedPart, own: int) -> tuple[int, float]:
        """Return in which layer of the bed one of a part's own layers is laid, and its top, mm."""
        layer = int(self.toolpath.courses.layers_of(self.placed.index(part))[own])
        return layer, float(self.toolpath.top[layer])


def about_whole(part: PlacedPart, code: str, severity: Severity, words: str, remedy: str) -> Finding:
    """Return a finding about a part that has neither place nor amount."""
    return Finding(code, severity, part.title, -1, 0.0, part.at, 0.0, "", words, remedy, *part.ids)


def hold(part: PlacedPart, solid: SlicedSolid) -> Fix | None:
    """Return the remedy that gives a part supports, where it has none."""
    if solid.settings["supports.kind"] != "none":
        return None
    return Fix(f"Give {part.name} supports", {"supports.kind": "sheet"})


def to_bed(part: PlacedPart, xy: NDArray[np.float64]) -> tuple[float, float]:
    """Return a point of a solid's frame on the bed, rounded to a micrometre."""
    return round(float(xy[0]) + part.at[0], 3), round(float(xy[1]) + part.at[1], 3)


def misplaced(part: PlacedPart, at: NDArray[np.float64], amount: float, unit: str, words: str, remedy: str) -> Finding:
    """Return the finding about a part that stands where it may not; ``at`` is on the bed, mm."""
    place = round(float(at[0]), 3), round(float(at[1]), 3)
    return Finding(
        "off-bed",
        "stop",
        part.title,
        -1,
        0.0,
        place,
        round(amount, 3),
        unit,
        f"{part.title} {words}",
        remedy,
        *part.ids,
    )
