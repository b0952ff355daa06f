"""The graph of stages: what each one needs and makes, and the runner that walks it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import reduce
from typing import Any, Generic, Literal, TypeVar, cast

from even_step.core.catalogue.setting import Value, settings_read_by, take
from even_step.core.job.cascade import tools_of
from even_step.core.motion.records import Records
from even_step.core.stages import StageRun
from even_step.core.toolpath.roles import TABLE
from even_step.core.work import Crew

T = TypeVar("T")
R = TypeVar("R")
Of = Literal["solid", "copy", "bed"]


@dataclass(frozen=True, eq=False)
class Given(Generic[T]):
    """Something that solids, copies or the bed bring along: a mesh, a place."""

    name: str
    of: Of


@dataclass(frozen=True, eq=False)
class Stage(Generic[T]):
    """One step of the computation, pure and cached.

    Attributes
    ----------
    name
        As progress, report and settings call it; several may share a name.
    of
        Whether it is made once for each solid, for each copy, or for the bed.
    make
        Computes the result from its inputs.
    needs
        What it is made from: earlier stages, and what the unit brings along. Nothing else is to be had.
    records
        The records of settings it reads: a solid's or a copy's own, the job's for the bed.
    own
        Records a stage of the bed reads from each copy.
    by_role
        Records it reads for each role of lines, as they hold for the extruder that lays it.
    by_zone
        Records it reads for what lies in zones.
    borders
        Records whose zones' borders part what it makes, whatever holds within.
    zoned
        What it is made from besides where zones say anything of these.
    alike
        Tells results apart by what they hold rather than by what they came from, where that is said quickly.
    """

    name: str
    of: Of
    make: Callable[[Inputs], T]
    needs: tuple[Stage[Any] | Given[Any], ...] = ()
    records: tuple[type, ...] = ()
    own: tuple[type, ...] = ()
    by_role: tuple[type, ...] = ()
    by_zone: tuple[type, ...] = ()
    borders: tuple[type, ...] = ()
    zoned: tuple[Stage[Any] | Given[Any], ...] = ()
    alike: Callable[[T], str] | None = None


@dataclass(frozen=True, eq=False)
class Unit:
    """What stages are made of: one solid, one copy or the bed.

    Attributes
    ----------
    of
        Which of them.
    tables
        The values that hold for it, by extruder.
    fixed
        What records take that is no setting, by the names of their fields: the nozzle's bore and the like; by extruder.
    tools
        Which extruder lays what of it.
    given
        What it brings along, each with the text it is known by.
    under
        The solid of a copy; the copies of the bed, in order.
    title
        The name of its part; empty for the bed.
    zones
        The settings of each of its zones, in their order.
    """

    of: Of
    tables: tuple[Mapping[str, Value], ...]
    fixed: tuple[Mapping[str, Any], ...]
    tools: Mapping[str, int]
    given: Mapping[Given[Any], tuple[Any, str]]
    under: tuple[Unit, ...] = ()
    title: str = ""
    zones: tuple[Mapping[str, Value], ...] = ()
    _by_zone: dict[type, ByZone[Any]] = field(default_factory=dict, init=False, repr=False)

    def sources(self, of: Of) -> tuple[Unit, ...]:
        """Return the units of some kind that this one is made from."""
        if of == self.of:
            return (self,)
        return tuple(unit for one in self.under for unit in one.sources(of))

    @property
    def settings(self) -> Mapping[str, Value]:
        """The values that hold for its walls."""
        return self.tables[self.tools["walls"]]

    def record(self, kind: type[R], extruder: int | None = None, zones: tuple[int, ...] = ()) -> R:
        """Fill a record of settings, for an extruder or for the one that lays what the record is about.

        ``zones`` are those that lie over one another there; the later wins.
        """
        if extruder is None:
            extruder = self.tools_in(zones)[getattr(kind, "LAYS", "walls")]
        settings = settings_read_by(cast("type", kind))
        rest = {name: self.fixed[extruder][name] for name in _fields(kind) if name not in settings}
        return take(kind, self._values(extruder, zones), **rest)

    def _values(self, extruder: int, zones: tuple[int, ...]) -> Mapping[str, Value]:
        return reduce(lambda values, zone: {**values, **self.zones[zone]}, zones, self.tables[extruder])

    def tools_in(self, zones: tuple[int, ...]) -> Mapping[str, int]:
        """Return which extruder lays what where some zones lie over one another."""
        return tools_of(self._values(0, zones)) if zones else self.tools

    def needed_for(self, stage: Stage[Any]) -> tuple[Stage[Any] | Given[Any], ...]:
        """Return what a stage is made from here."""
        zoned = self.zones and any(self.by_zone(kind).about for kind in stage.by_zone + stage.borders)
        return stage.needs + stage.zoned if zoned else stage.needs

    def by_zone(self, kind: type[R]) -> ByZone[R]:
        """Return a record of settings for what lies in zones."""
        if kind not in self._by_zone:
            self._by_zone[kind] = self._found_by_zone(kind)
        return cast("ByZone[R]", self._by_zone[kind])

    def _found_by_zone(self, kind: type[R]) -> ByZone[R]:
        keys = {setting.key for setting in settings_read_by(cast("type", kind)).values()}
        base = self.tables[self.tools[getattr(kind, "LAYS", "walls")]]
        changed: set[str] = set()  # by zones before: one may say again what holds outside
        about, said = [], []
        for number, zone in enumerate(self.zones):
            mine = {key for key in keys & zone.keys() if zone[key] != base[key] or key in changed}
            if mine:
                changed |= mine
                about.append(number)
                said.append(sorted((key, zone[key]) for key in keys & zone.keys()))
        return ByZone(self, kind, tuple(about), tuple(said))

    def said_in_zones(self, stage: Stage[Any]) -> list[str]:
        """Return what zones say of the records of a stage, as text."""
        if self.of == "bed":
            return [repr(copy.by_zone(kind)) for kind in stage.own for copy in self.under if copy.zones]
        said = [repr(self.by_zone(kind)) for kind in stage.by_zone + stage.by_role if self.zones]
        return said + [repr(self.by_zone(kind).about) for kind in stage.borders if self.zones]

    def by_role(self, kind: type[R], zones: tuple[int, ...] = ()) -> tuple[R, ...]:
        """Fill a record of settings for each role of lines, with the extruder that lays it."""
        of_tool = {tool: self.record(kind, number, zones) for tool, number in self.tools_in(zones).items()}
        return tuple(of_tool.get(role.tool, of_tool["walls"]) for role in TABLE)

    def records(self, kind: type[R], zones: tuple[int, ...] = ()) -> list[R]:
        """Fill a record of settings for each extruder."""
        return [self.record(kind, extruder, zones) for extruder in range(len(self.tables))]


@dataclass(frozen=True, eq=False)
class ByZone(Generic[R]):
    """A record by zone: ``about`` are the numbers of those that say anything of it, ``said`` is what they say."""

    _unit: Unit = field(repr=False)
    _kind: type[R]
    about: tuple[int, ...]
    said: tuple[Any, ...]

    def says(self, zone: int) -> Hashable:
        """Return what a zone says of it, none where it says nothing."""
        return repr(self.said[self.about.index(zone)]) if zone in self.about else None

    def of(self, zones: tuple[int, ...]) -> R:
        """Return the record where some zones lie over one another."""
        return self._unit.record(self._kind, None, zones)


def _fields(kind: Any) -> Iterable[str]:
    return (item.name for item in dataclasses.fields(kind))


@dataclass(frozen=True, eq=False)
class Inputs:
    """What a stage may use: what it has declared and no more."""

    unit: Unit
    stage: Stage[Any]
    runner: Runner
    crew: Crew

    def __getitem__(self, needed: Stage[T] | Given[T]) -> T:
        """Return what the unit brings along, or what a stage of it, or of the solid under it, has made."""
        (one,) = self.each(needed)
        return one

    def each(self, needed: Stage[T] | Given[T]) -> list[T]:
        """Return what was made of each unit that this one is made from, in order."""
        if needed not in self.unit.needed_for(self.stage):
            raise KeyError(f"{self.stage.name} does not say that it needs {needed.name}")
        units = self.unit.sources(needed.of)
        if isinstance(needed, Given):
            return [unit.given[needed][0] for unit in units]
        return [self.runner.value(needed, unit) for unit in units]

    def record(self, kind: type[R]) -> R:
        """Return one of the stage's records."""
        if kind not in self.stage.records:
            raise KeyError(f"{self.stage.name} does not say that it reads {kind.__name__}")
        return self.unit.record(kind)

    def by_role(self, kind: type[R], zones: tuple[int, ...] = ()) -> tuple[R, ...]:
        """Return one of the stage's records for each role of lines."""
        if kind not in self.stage.by_role:
            raise KeyError(f"{self.stage.name} does not say that it reads {kind.__name__} by role")
        return self.unit.by_role(kind, zones)

    def borders(self) -> list[ByZone[Any]]:
        """Return the records whose zones' borders part what the stage makes."""
        return [self.unit.by_zone(kind) for kind in self.stage.borders]

    def by_zone(self, kind: type[R]) -> ByZone[R]:
        """Return one of the stage's records for what lies in zones."""
        if kind not in self.stage.by_zone:
            raise KeyError(f"{self.stage.name} does not say that it reads {kind.__name__} by zone")
        return self.unit.by_zone(kind)

    def records(self, kind: type[R], zones: Sequence[Sequence[tuple[int, ...]]] = ()) -> Records[R]:
        """Return a record for the job and one for each copy; see ``records_of``."""
        if kind not in self.stage.own:
            raise KeyError(f"{self.stage.name} does not say that it reads {kind.__name__} of each part")
        return records_of(self.unit, kind, zones)


def records_of(bed: Unit, kind: type[R], zones: Sequence[Sequence[tuple[int, ...]]] = ()) -> Records[R]:
    """Return a bed's record for the job, and for each of its copies one by zones, where these are given."""
    each = zones or [((),)] * len(bed.under)
    parts = [[copy.records(kind, some) for some in of] for copy, of in zip(bed.under, each, strict=True)]
    return Records.of(bed.records(kind), parts)


Guard = Callable[["Runner", Unit, Callable[[], Any]], Any]


@dataclass(eq=False)
class Runner:
    """Makes what is asked for, and what that needs, each once.

    ``guard`` makes what may fail at a unit's geometry.
    """

    run: StageRun
    guard: Guard | None = None
    _made: dict[tuple[Stage[Any], Unit], tuple[Any, str]] = field(default_factory=dict)

    def value(self, stage: Stage[T], unit: Unit) -> T:
        """Return what a stage makes of a unit."""
        return cast("T", self._of(stage, unit)[0])

    def given(self, needed: Given[T], unit: Unit) -> T:
        """Return what a unit brings along."""
        return cast("T", unit.given[needed][0])

    def preset(self, stage: Stage[T], unit: Unit, value: T) -> None:
        """Say what a stage makes of a unit instead of making it, or what that needs."""
        self._made[stage, unit] = value, stage.alike(value) if stage.alike else ""

    def _of(self, stage: Stage[Any], unit: Unit) -> tuple[Any, str]:
        place = stage, unit
        if place not in self._made:
            known = [key for needed in unit.needed_for(stage) for key in self._keys(needed, unit)]
            known += [repr(unit.record(kind)) for kind in stage.records]
            known += [repr(records_of(unit, kind)) for kind in stage.own]
            known += [repr(unit.by_role(kind)) for kind in stage.by_role]
            known += unit.said_in_zones(stage)
            value, key = self.run.stage(stage.name, (stage.of, *known), lambda: self._make(stage, unit))
            self._made[place] = value, stage.alike(value) or key if stage.alike else key
        return self._made[place]

    def _make(self, stage: Stage[Any], unit: Unit) -> Any:
        inputs = Inputs(unit, stage, self, self.run.crew)
        if self.guard is None:
            return stage.make(inputs)
        return self.guard(self, unit, lambda: stage.make(inputs))

    def _keys(self, needed: Stage[Any] | Given[Any], unit: Unit) -> list[str]:
        units = unit.sources(needed.of)
        if isinstance(needed, Given):
            return [one.given[needed][1] for one in units]
        return [self._of(needed, one)[1] for one in units]
