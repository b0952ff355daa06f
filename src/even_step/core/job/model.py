"""A job is a value: frozen, compared by content; an edit makes a new one that shares what stayed."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from even_step.core.catalogue import checked
from even_step.core.job.by_hand import Mark, Post
from even_step.core.job.ids import Id, identified
from even_step.core.job.pins import MOST_PINS, Pin, SetAside
from even_step.core.job.step_curve import MOST_KNOTS, Knot
from even_step.core.job.tables import (
    JobSettings,
    MachineSettings,
    MaterialSettings,
    PartSettings,
    RecipeSettings,
    Table,
)
from even_step.core.job.value import FileName, Finite, Frozen, Name, Number, Pair, Positive
from even_step.core.job.zones import MOST_ZONES, Zone
from even_step.core.mesh.mesh import Repair

JOB_VERSION = 1
MOST_BEDS = 50
MOST_BY_HAND = 1000
MOST_COPIES = 1000
MOST_PARTS = MOST_IN_ALL = 2000
MOST_KEPT_FREE = 200
Bodies = Annotated[tuple[Number, ...], AfterValidator(lambda bodies: tuple(sorted(set(bodies))))]
Unit = Literal["mm", "cm", "m", "inch"]
Length = Annotated[float, Field(ge=1, le=10_000, allow_inf_nan=False)]
Fine = Annotated[float, Field(ge=0.01, le=20, allow_inf_nan=False)]
Scale = Annotated[float, Field(ge=1e-5, le=1e5, allow_inf_nan=False)]
MM_PER: dict[str, float] = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4}


class Bed(Frozen):
    """The plate. ``size`` is width and depth in mm; a round bed's are both its diameter."""

    shape: Literal["rectangle", "round"] = "rectangle"
    size: tuple[Length, Length]
    origin: Literal["corner", "centre"] = "corner"

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Least x, least y, largest x, largest y in mm."""
        x, y = (0.0, 0.0) if self.origin == "corner" else (-self.size[0] / 2, -self.size[1] / 2)
        return x, y, x + self.size[0], y + self.size[1]

    @property
    def centre(self) -> tuple[float, float]:
        """The middle in mm."""
        x0, y0, x1, y1 = self.bounds
        return (x0 + x1) / 2, (y0 + y1) / 2


class Extruder(Frozen):
    """A nozzle and what it can lay: limits of layer height and line width in mm.

    ``offset`` is how far it sits from the first one, mm; the writer takes it off, so that lines meet.
    """

    bore: Fine
    layer_height: tuple[Fine, Fine]
    line_width: tuple[Fine, Fine]
    offset: Pair = (0.0, 0.0)


class Head(Frozen):
    """What moves with the nozzle and may strike what stands: how far it reaches from the nozzle, mm.

    ``bar`` is how high over the nozzle's tip the bar is that carries it across the whole bed, mm.
    """

    left: Positive = 35.0
    right: Positive = 35.0
    front: Positive = 35.0
    back: Positive = 35.0
    bar: Positive = 25.0


class MotionLimits(Frozen):
    """What the machine's planner keeps to; per axis x, y, z, e in mm/s and mm/s²."""

    speed: tuple[Positive, Positive, Positive, Positive]
    acceleration: tuple[Positive, Positive, Positive, Positive]
    junction_deviation: Annotated[float, Field(gt=0, le=1)] = 0.02


class Heating(Frozen):
    """How hot and how fast: °C and °C/s from a room of 20 °C."""

    nozzle_limit: Positive
    bed_limit: Annotated[float, Field(ge=0)]
    nozzle_rate: Positive
    bed_rate: Positive


class Machine(Frozen):
    """A printer. ``overhang_limit`` holds degrees from the vertical toward +x, +y, -x and -y."""

    name: Name
    bed: Bed
    height: Length
    extruders: Annotated[tuple[Extruder, ...], Field(min_length=1, max_length=16)]
    filament_diameter: Annotated[float, Field(ge=0.2, le=20, allow_inf_nan=False)] = 1.75
    fan_side: Literal["front", "back", "left", "right"] = "front"
    overhang_limit: tuple[Finite, Finite, Finite, Finite] = (45.0, 45.0, 45.0, 45.0)
    head: Head = Head()
    motion: MotionLimits
    heating: Heating
    start: str = ""
    end: str = ""
    change: str = ""
    change_time: Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)] = 0.0
    settings: MachineSettings = {}


Amounts = Annotated[
    dict[Name, Annotated[float, Field(ge=0, allow_inf_nan=False)]], AfterValidator(Table), Field(validate_default=True)
]


class Material(Frozen):
    """A plastic: density in g/cm³, price per kg, melt flow limit in mm³/s.

    ``purge_after`` says, by the name of the material that was laid before, how much of this one is purged, mm³.
    """

    name: Name
    polymer: str
    density: Annotated[float, Field(ge=0.01, le=50, allow_inf_nan=False)]
    price_per_kg: Annotated[float, Field(ge=0, allow_inf_nan=False)]
    flow_limit: Positive
    purge_after: Amounts = {}
    settings: MaterialSettings = {}


class Recipe(Frozen):
    """A named set of process settings."""

    name: Name
    settings: RecipeSettings = {}


class Copy(Frozen):
    """One part on a bed: the middle of its outline in mm (none: to be arranged) and its turn in degrees.

    ``bed`` counts the beds of the job. What is locked stays as it is; what is hidden is not drawn on the bed, but
    printed.
    """

    id: Id = ""
    at: Pair | None = None
    bed: Annotated[int, Field(ge=0, lt=MOST_BEDS)] = 0
    turn: Finite = 0.0
    locked: bool = False
    hidden: bool = False


class Part(Frozen):
    """A model from a file, as it is to stand on the bed.

    ``object`` counts the parts within the file; ``bodies`` are the numbers of those of its bodies that belong here
    (none named: all), ``hidden_bodies`` those that are not drawn, but printed; ``repair`` says what of its meshes is
    mended. ``mirrored`` says along which axes of the file it is turned inside out; ``turn`` is about x, then y, then
    z, in degrees. ``settings`` hold for all its copies, and for nothing else; so do its ``zones``, of which the later
    wins, setting by setting, the ``posts`` and ``marks`` that a hand put on its surface, and the knots of its step
    ``curve``.
    """

    id: Id = ""
    name: Name
    file: FileName = ""
    object: Number = 0
    bodies: Bodies = ()
    hidden_bodies: Bodies = ()
    repair: Repair = "winding"
    unit: Unit = "mm"
    scale: tuple[Scale, Scale, Scale] = (1.0, 1.0, 1.0)
    mirrored: tuple[bool, bool, bool] = (False, False, False)
    turn: tuple[Finite, Finite, Finite] = (0.0, 0.0, 0.0)
    settings: PartSettings = {}
    zones: Annotated[tuple[Zone, ...], Field(max_length=MOST_ZONES)] = ()
    posts: Annotated[tuple[Post, ...], Field(max_length=MOST_BY_HAND)] = ()
    marks: Annotated[tuple[Mark, ...], Field(max_length=MOST_BY_HAND)] = ()
    curve: Annotated[tuple[Knot, ...], Field(max_length=MOST_KNOTS)] = ()
    copies: Annotated[tuple[Copy, ...], Field(min_length=1, max_length=MOST_COPIES)] = (Copy(),)

    @property
    def source(self) -> tuple[str, Repair]:
        """The file, and how its meshes are mended."""
        return self.file, self.repair

    @property
    def zones_of_files(self) -> tuple[Zone, ...]:
        """Those of its zones that have a file of their own."""
        return tuple(zone for zone in self.zones if zone.file is not None)

    @property
    def stretch(self) -> tuple[float, float, float]:
        """The scale along the axes of the file, below 0 where it is mirrored."""
        x, y, z = (-scale if flips else scale for scale, flips in zip(self.scale, self.mirrored, strict=True))
        return x, y, z

    @model_validator(mode="before")
    @classmethod
    def _one_scale_for_all(cls, data: Any) -> Any:
        if isinstance(data, dict) and isinstance(data.get("scale"), int | float):
            data = {**data, "scale": (data["scale"],) * 3}
        if isinstance(data, dict) and isinstance(data.get("copies"), int):
            if not 1 <= data["copies"] <= MOST_COPIES:
                raise ValueError(f"copies: from 1 to {MOST_COPIES} of a part")
            data = {**data, "copies": ({},) * data["copies"]}
        return data


class Layout(Frozen):
    """How parts are arranged: mm between them, whether they may be turned, and what of the bed stays free.

    ``keep_out`` are rectangles: least x, least y, largest x, largest y, mm.
    """

    spacing: Annotated[float, Field(ge=0, le=200, allow_inf_nan=False)] = 6.0
    turning: bool = True
    keep_out: Annotated[tuple[tuple[Finite, Finite, Finite, Finite], ...], Field(max_length=MOST_KEPT_FREE)] = ()

    @model_validator(mode="after")
    def _areas_reach_from_least_to_largest(self) -> Self:
        for x0, y0, x1, y1 in self.keep_out:
            if not (x0 < x1 and y0 < y1):
                raise ValueError(f"keep_out: {x0:g}, {y0:g}, {x1:g}, {y1:g} is no rectangle; least x, y come first")
        return self


class Job(Frozen):
    """Everything to be printed, with all its settings.

    ``order`` holds the ids of parts in the order in which they are laid one by one; those it leaves out come after, in
    the safest order. ``tower`` is where the middle of the purge tower stands, mm; none: where there is room. ``beds``
    are the ids of its beds in their order, ``ids_given`` how many ids were given so far.
    """

    following: ClassVar[tuple[str, ...]] = ("beds", "ids_given")

    version: Annotated[int, Field(ge=1)] = JOB_VERSION
    name: Name = "job"
    machine: Machine
    materials: Annotated[tuple[Material, ...], Field(min_length=1, max_length=16)]
    recipe: Recipe
    settings: JobSettings = {}
    layout: Layout = Layout()
    parts: Annotated[tuple[Part, ...], Field(max_length=MOST_PARTS)] = ()
    order: Annotated[tuple[Id, ...], Field(max_length=10_000)] = ()
    tower: Pair | None = None
    beds: Annotated[tuple[Id, ...], Field(max_length=MOST_BEDS)] = ()
    ids_given: Number = 0
    pins: Annotated[tuple[Pin, ...], Field(max_length=MOST_PINS)] = ()
    set_aside: Annotated[tuple[SetAside, ...], Field(max_length=MOST_PINS)] = ()

    def with_settings(self, changes: dict[str, object]) -> Self:
        """Return the job with some settings changed, each checked against the catalogue."""
        return self.model_copy(update={"settings": {**self.settings, **checked(changes)}})

    @model_validator(mode="after")
    def _each_has_an_id(self) -> Self:
        parts, beds, given = identified(self.parts, self.beds, self.ids_given)
        # The value is still being made.
        self.__dict__.update(parts=parts, beds=beds, ids_given=given)
        return self

    @model_validator(mode="after")
    def _no_more_than_can_be_placed(self) -> Self:
        count = sum(len(part.copies) for part in self.parts)
        if count > MOST_IN_ALL:
            raise ValueError(f"{count} copies in all, more than {MOST_IN_ALL}")
        return self

    @model_validator(mode="after")
    def _one_material_an_extruder(self) -> Self:
        if len(self.materials) > len(self.machine.extruders):
            raise ValueError(
                f"{len(self.materials)} materials for the {len(self.machine.extruders)} "
                f"extruder(s) of {self.machine.name}"
            )
        return self


def purged(job: Job) -> dict[tuple[int, int], float]:
    """Return what materials say of the plastic that is purged between two extruders, before and after, mm³."""
    return {
        (a, b): after.purge_after[before.name]
        for a, before in enumerate(job.materials)
        for b, after in enumerate(job.materials)
        if before.name in after.purge_after
    }
