"""Stage 7, body: columns cut from the part with their gaps in true millimetres, in layers of their own."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import foot, support_lines, supports, trees
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.seeds import ColumnShapes
from even_step.core.slicing.supports.tops import TINY, Tops, levels, tops_of
from even_step.core.work import Crew, runs_of


@dataclass(frozen=True)
class BodySettings:
    """The gaps of supports and how they stand, mm; layers keep within the nozzle's limits."""

    LAYS: ClassVar[str] = "supports"

    gap_above: Annotated[float, supports.GAP_ABOVE]
    gap_below: Annotated[float, supports.GAP_BELOW]
    gap_beside: Annotated[float, supports.GAP_BESIDE]
    least_beside: Annotated[float, supports.LEAST_BESIDE]
    gap_raft: Annotated[float, supports.GAP_RAFT]
    over_raft: Annotated[float, foot.RAFT_GAP]
    step: Annotated[float, supports.STEP]
    growth: Annotated[float, supports.GROWTH]
    layers_at_once: Annotated[int, supports.LAYERS_AT_ONCE]
    contact_layers: Annotated[int, support_lines.CONTACT_LAYERS]
    contact_below: Annotated[int, support_lines.CONTACT_BELOW]
    grading: Annotated[int, support_lines.GRADING]
    grading_depth: Annotated[float, support_lines.GRADING_DEPTH]
    line_width: Annotated[float, support_lines.LINE_WIDTH]
    kind: Annotated[str, supports.KIND]
    branch_angle: Annotated[float, trees.ANGLE]
    nozzle_least: float
    nozzle_most: float

    @property
    def lean(self) -> float:
        """How far bodies go aside per height."""
        return float(np.tan(np.radians(self.branch_angle))) if self.kind == "tree" else 0.0

    def bottom(self, base: float) -> float:
        """Return what supports of a part that stands ``base`` mm over the bed stand on, mm."""
        return round(base - self.over_raft + self.gap_raft, 3) if base > 0.0 else 0.0


@dataclass(frozen=True, eq=False)
class SupportBody:
    """What supports fill, course by course from the bed up.

    Attributes
    ----------
    top, thick : (C,) float64
        Of each course, mm.
    number : (C,) int64
        The part's layer that holds its top.
    which : (C,) int64
        Which shape a course has.
    shape : (n,) regions
        Where middles of lines may lie, half a line inside the body; mm, in the solid's frame.
    contact : (n,) regions
        What of the shape touches the part above or below, but for the gaps.
    rest : of (n,) regions
        What remains of it, by how often its line distance has doubled.
    """

    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    number: Index
    which: Index
    shape: Regions
    contact: Regions
    rest: tuple[Regions, ...]


def no_body() -> SupportBody:
    """Return none."""
    number, none = np.empty(0, np.int64), np.empty(0)
    return SupportBody(none, none, number, number, region.nothing(0), region.nothing(0), (region.nothing(0),))


class _Cut(NamedTuple):
    """How a shape is cut: a column's shape; the outlines it keeps off by a hair, beside; where slopes are near."""

    column: int
    layers: tuple[int, ...]
    beside: tuple[int, ...]
    slopes: int
    reaches_out: bool


class _Course(NamedTuple):
    """What a course is: how it is cut, less what ends higher from the same level.

    Less also what is laid ``instead`` up to a little over its top, where nothing goes ``onward`` from there; what is
    over and under it; what goes on how far over it; whether it is the wider first layer.
    """

    cut: int
    less: tuple[int, ...]
    instead: tuple[int, ...]
    onward: tuple[int, ...]
    over: int
    under: int
    deeper: tuple[int, ...]
    is_wide: bool


def body_of(
    columns: ColumnShapes,
    outlines: Outlines,
    heights: Heights,
    ceilings: Index,
    settings: BodySettings,
    crew: Crew,
) -> SupportBody:
    """Cut columns from the part.

    Parameters
    ----------
    columns
        Where they are wanted.
    outlines, heights
        Of the part's layers.
    ceilings : (n,) int64
        Layers in which flat undersides or islands begin: the gap under them is exact.
    settings
        Gaps and layers.
    """
    if columns.are_none:
        return no_body()
    bottom = settings.bottom(heights.base)
    level = levels(heights, bottom, settings.layers_at_once, settings.nozzle_most)
    under = heights.top[ceilings[ceilings > 0] - 1] - settings.gap_above
    tops = tops_of(level, under, settings.nozzle_least)
    desk = _Desk(columns, outlines, heights, settings)
    cuts = [desk.cut(tops, k) for k in range(len(tops.top))]
    courses = _courses(tops, cuts, settings)
    shapes = desk.shapes(crew)
    return _made(tops, courses, shapes, heights, settings, crew)


@dataclass(eq=False)
class _Desk:
    """What shapes are cut from; equal ones are cut once."""

    columns: ColumnShapes
    outlines: Outlines
    heights: Heights
    settings: BodySettings
    known: dict[_Cut, int] = field(default_factory=dict)

    def cut(self, tops: Tops, k: int) -> int:
        """Return the number of the shape that ends at a top, below 0 for none."""
        own, z = self.settings, float(tops.top[k])
        low = float(tops.level[tops.base[k]])
        column = self._column(z + own.gap_above)
        if column < 0:
            return -1
        bottom = float(tops.level[0])
        foot = bottom + np.floor((low - bottom) / own.step + TINY) * own.step if own.step > 0.0 else low
        beside = self._between(low, z)
        layers = self._between(foot - own.gap_below, z + own.gap_above) - beside
        number = min(int(np.searchsorted(self.heights.top, z - TINY)), len(self.heights.top) - 1)
        slopes = int(self.columns.under_slopes[number])
        wide = tops.base[k] == 0 and own.growth > 0.0
        key = _Cut(column, tuple(sorted(layers)), tuple(sorted(beside)), slopes, bool(wide))
        return self.known.setdefault(key, len(self.known))

    def _column(self, z: float) -> int:
        """Return the shape of the columns at a height."""
        layer = int(np.searchsorted(self.heights.top, z - TINY))
        return int(self.columns.which[layer]) if layer < len(self.columns.which) else -1

    def _between(self, low: float, high: float) -> set[int]:
        """Return the outlines of the layers between two heights."""
        top = self.heights.top
        first = int(np.searchsorted(top, low + TINY, side="right"))
        last = int(np.searchsorted(top - self.heights.thick, high - TINY))
        return set(self.outlines.which[first:last].tolist())

    def shapes(self, crew: Crew) -> Regions:
        """Cut all shapes."""
        cuts, own = list(self.known), self.settings
        used = np.array(sorted({one for cut in cuts for one in cut.beside}), np.int64)
        near, far = (self._grown(used, gap, crew) for gap in (min(own.least_beside, own.gap_beside), own.gap_beside))

        def make(first: int, last: int) -> Regions:
            some = cuts[first:last]
            out = self.columns.shape[[cut.column for cut in some]]
            wide = [i for i, cut in enumerate(some) if cut.reaches_out]
            out[wide] = region.offset_round(out[wide], own.growth)
            out = region.without_all(out, [cut.layers for cut in some], self.outlines.outline)
            out = region.without_all(out, [cut.beside for cut in some], near)
            return self._off_walls(out, some, far)

        weights = region.size_in_points(self.columns.shape)[[cut.column for cut in cuts]] + 50
        done = crew.each(make, runs_of(weights, most=20_000))
        return np.concatenate(done) if done else region.nothing(0)

    def _off_walls(self, shapes: Regions, cuts: list[_Cut], far: Regions) -> Regions:
        """Keep the gap beside, but for where slopes hang right above."""
        slopes = region.nothing(len(cuts))
        for i, cut in enumerate(cuts):
            if cut.slopes >= 0 and not cut.reaches_out:
                slopes[i] = self.columns.slopes[cut.slopes]
        for place in range(max((len(cut.beside) for cut in cuts), default=0)):
            some = [i for i, cut in enumerate(cuts) if len(cut.beside) > place]
            walls = far[[cuts[i].beside[place] for i in some]]
            shapes[some] = region.difference(shapes[some], region.difference(walls, slopes[some]))
        return shapes

    def _grown(self, used: Index, distance: float, crew: Crew) -> Regions:
        """Return the outlines that are used, grown; nothing in the place of others."""
        out, some = region.nothing(len(self.outlines.outline)), self.outlines.outline[used]
        if len(used):
            weights = region.size_in_points(some)
            out[used] = np.concatenate(
                crew.each(lambda a, b: region.offset_rough(some[a:b], distance), runs_of(weights, 20_000))
            )
        return out


def _courses(tops: Tops, cuts: list[int], settings: BodySettings) -> dict[int, _Course]:
    """Say what each top's course is made of, by the number of the top; those without any are left out."""
    at_level = {int(tops.base[k]): cuts[k] for k in range(len(cuts)) if tops.is_level[k]}

    def at(level: int) -> int:
        return at_level.get(level, -1)

    of_base: dict[int, list[int]] = {}
    for k, base in enumerate(tops.base.tolist()):
        of_base.setdefault(base, []).append(k)
    out = {}
    for k, cut in enumerate(cuts):
        if cut < 0:
            continue
        base, z = int(tops.base[k]), float(tops.top[k])
        next_level = float(tops.level[base + 1])
        onward = [cuts[i] for i in of_base.get(base + 1, [])]
        higher = [i for i in of_base[base] if tops.top[i] > z + TINY]
        less = [cuts[i] for i in higher if tops.top[i] <= next_level + TINY]
        instead = [cuts[i] for i in higher if tops.top[i] > next_level + TINY]
        if z > next_level + TINY:
            less, instead = [*onward, *instead], []
        over = at(base + settings.contact_layers) if tops.is_level[k] else -1
        if settings.contact_layers == 0:
            over = cut
        under = at(base - settings.contact_below) if base >= settings.contact_below > 0 else cut
        deep = [
            int(np.searchsorted(tops.level[1:], z + step * settings.grading_depth - TINY))
            for step in range(1, settings.grading + 1)
        ]
        deeper = tuple(at(one) for one in deep)
        wide = base == 0 and settings.growth > 0.0
        out[k] = _Course(cut, _some(less), _some(instead), _some(onward), over, under, deeper, wide)
    return out


def _some(cuts: list[int]) -> tuple[int, ...]:
    return tuple(one for one in cuts if one >= 0)


def _made(
    tops: Tops,
    courses: dict[int, _Course],
    shapes: Regions,
    heights: Heights,
    settings: BodySettings,
    crew: Crew,
) -> SupportBody:
    """Make the courses that hold something; equal ones once."""
    recipes = list(dict.fromkeys(courses.values()))
    place = {recipe: i for i, recipe in enumerate(recipes)}

    def make(first: int, last: int) -> tuple[Regions, ...]:
        return _parted(recipes[first:last], shapes, settings)

    weights = region.size_in_points(shapes)[[one.cut for one in recipes]] + 50
    done = crew.each(make, runs_of(weights, most=20_000))
    whole, *parts = (np.concatenate(some) for some in zip(*done, strict=True))
    some = ~region.is_empty(whole)
    kept = [k for k, course in courses.items() if some[place[course]]]
    if not kept:
        return no_body()
    top, thick, which = [], [], []
    for k in kept:
        for z, high in _laid(tops, k, settings.nozzle_most):
            top.append(z)
            thick.append(high)
            which.append(place[courses[k]])
    rising = np.argsort(top, kind="stable")
    tops_, number = np.round(np.array(top)[rising], 3), np.array(which, np.int64)[rising]
    own = np.minimum(np.searchsorted(heights.top, tops_ - TINY), len(heights.top) - 1)
    return SupportBody(tops_, np.round(np.array(thick)[rising], 3), own, number, whole, parts[0], tuple(parts[1:]))


def _laid(tops: Tops, k: int, most: float) -> list[tuple[float, float]]:
    """Return top and thickness of what is laid from a top's base up: two layers where one would be too thick."""
    z, low = float(tops.top[k]), float(tops.level[tops.base[k]])
    if z - low <= most + TINY:
        return [(z, z - low)]
    half = (z - low) / 2
    return [(low + half, half), (z, half)]


def _parted(recipes: list[_Course], shapes: Regions, settings: BodySettings) -> tuple[Regions, ...]:
    """Return the shapes of some courses half a line within, their contacts, and what remains by how deep it lies."""
    nothing = region.nothing(1)
    padded = np.concatenate((shapes, nothing))  # number −1 is nothing
    body = region.without_all(padded[[one.cut for one in recipes]], [one.less for one in recipes], padded)
    for i, one in enumerate(recipes):
        if one.instead:
            there = np.array([region.union_all(padded[list(one.instead)])], object)
            there = region.without_all(there, [one.onward], padded)
            body[i : i + 1] = region.difference(body[i : i + 1], there)
    whole = region.offset(body, -settings.line_width / 2)
    wide = np.array([one.is_wide for one in recipes])

    def others(numbers: list[int]) -> Regions:
        some = padded[numbers]
        some[wide] = region.offset_round(some[wide], settings.growth)
        # A branch that goes on aside does not end where it leaves its place.
        aside = settings.lean * settings.contact_layers * settings.nozzle_most
        return region.offset_round(some, aside) if aside else some

    contact = region.difference(whole, others([one.over for one in recipes]))
    if settings.contact_below:
        contact = region.union(contact, region.difference(whole, others([one.under for one in recipes])))
    contact[[one.over == one.cut and one.under == one.cut for one in recipes]] = nothing
    left = region.difference(whole, contact)
    rest = []
    for step in range(settings.grading):
        deeper = others([one.deeper[step] for one in recipes])
        rest.append(region.difference(left, deeper))
        left = region.intersection(left, deeper)
    return (whole, contact, *rest, left)
