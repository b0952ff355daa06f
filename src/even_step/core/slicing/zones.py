"""Zones: what of each layer lies within the shapes of a part's zones, and rooms cut into cells at their borders."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh
from even_step.core.plane import region
from even_step.core.plane.cut import alike, boxes_overlap, union_of_some_apart
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.backing import Backing, backing_outlines
from even_step.core.slicing.contours import ContourSettings, contours_of_each
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.work import Crew

R = TypeVar("R", bound=Hashable)
#: Which zones lie over one another somewhere, in their order; none where that is no zone.
Zones: TypeAlias = tuple[int, ...]


@dataclass(frozen=True, eq=False)
class ZoneShapes:
    """The shapes of a solid's zones in its own frame, in their order, and what each snaps to.

    ``idle`` says why some lie nowhere, by number.
    """

    shapes: tuple[Mesh | Backing, ...] = ()
    snaps: tuple[str, ...] = ()
    idle: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Footprints:
    """What lies within each zone, layer by layer.

    Attributes
    ----------
    which : (Z, L) int64
        Which outline a zone has in a layer.
    outline : (U,) regions
        The outlines, mm.
    """

    which: Index
    outline: Regions


@dataclass(frozen=True, eq=False)
class Cells:
    """Rooms cut at the borders of zones.

    Attributes
    ----------
    which : (L,) int64
        Which row of cells a layer has.
    room : (C,) int64
        The room that each row was cut from.
    zones : of tuples of int
        Which zones each kind of cell lies in; of the first, none.
    shape : of (C,) regions
        The cells of each kind.
    """

    which: Index
    room: Index
    zones: tuple[Zones, ...]
    shape: tuple[Regions, ...]

    def by(self, record: Callable[[Zones], R]) -> dict[R, Regions]:
        """Put cells together for which the same holds."""
        kinds: dict[R, list[Regions]] = {}
        for zones, shape in zip(self.zones, self.shape, strict=True):
            kinds.setdefault(record(zones), []).append(shape)
        return {kind: _united(some) for kind, some in kinds.items()}


@dataclass(frozen=True, eq=False)
class Borders:
    """Where what holds changes within the layers of a solid: its outlines, zones, and what some of these say of it."""

    outlines: Outlines
    prints: Footprints
    said: Mapping[int, Hashable]

    def cells(self) -> Cells:
        """Cut the outlines at the borders; zones next to each other that say the same are as one."""
        first: dict[int, list[int]] = {}
        for zone in sorted(self.said):
            last = next(reversed(first), None)
            if last is not None and self.said[last] == self.said[zone]:
                first[last].append(zone)
            else:
                first[zone] = [zone]
        which, outline = self.prints.which.copy(), [self.prints.outline]
        count = len(self.prints.outline)
        for zone, some in first.items():
            if len(some) > 1:
                rows, place = np.unique(self.prints.which[some], axis=1, return_inverse=True)
                which[zone] = count + place.ravel()
                outline.append(np.array([union_of_some_apart(self.prints.outline[row]) for row in rows.T], object))
                count += rows.shape[1]
        prints = Footprints(which, np.concatenate(outline))
        return cells(self.outlines.outline, self.outlines.which, prints, tuple(first))


def footprints(
    shapes: ZoneShapes,
    heights: Heights,
    settings: ContourSettings,
    crew: Crew,
    cuts: NDArray[np.float64] | None = None,
) -> Footprints:
    """Cut the shapes of zones at the middle of each layer, or at some heights."""
    cuts = heights.cuts if cuts is None else cuts
    of_mesh = [number for number, shape in enumerate(shapes.shapes) if isinstance(shape, Mesh)]
    meshes = [
        snapped(shape, snap, heights)
        for shape, snap in zip(shapes.shapes, shapes.snaps, strict=True)
        if isinstance(shape, Mesh)
    ]
    found, outline = contours_of_each(meshes, cuts, settings, crew)
    which, outlines = np.zeros((len(shapes.shapes), len(cuts)), np.int64), [outline]
    which[of_mesh] = found
    count = len(outline)
    for number, shape in enumerate(shapes.shapes):
        if isinstance(shape, Backing):
            own, outline = backing_outlines(shape, cuts, crew)
            which[number] = own + count
            outlines.append(outline)
            count += len(outline)
    return Footprints(which, np.concatenate(outlines))


def snapped(mesh: Mesh, snap: str, heights: Heights) -> Mesh:
    """Move a shape to begin with the first layer or end with the last, or stretch it to whole layers."""
    if len(mesh.faces) == 0:
        return mesh
    low, high = mesh.bounds[:, 2]
    z, edges = mesh.vertices[:, 2], np.concatenate(([heights.tops[0] - heights.thick[0]], heights.tops))
    if snap == "first":
        z = z - low + edges[0]
    elif snap == "last":
        z = z - high + edges[-1]
    elif snap == "layers":
        first = min(int(np.abs(edges - low).argmin()), len(edges) - 2)
        last = max(int(np.abs(edges - high).argmin()), first + 1)
        z = edges[first] + (z - low) * ((edges[last] - edges[first]) / (high - low))
    return mesh if z is mesh.vertices[:, 2] else Mesh(np.column_stack((mesh.vertices[:, :2], z)), mesh.faces)


def cells(rooms: Regions, which: Index, prints: Footprints, zones: Sequence[int]) -> Cells:
    """Cut the rooms of layers at the borders of some zones; what lies in none stays one cell.

    Parameters
    ----------
    rooms : (R,) regions
        mm.
    which : (L,) int64
        Which room a layer has.
    zones
        By number, in their order.
    """
    columns = [which, *(prints.which[zone] for zone in zones)]
    rows, row_of = np.unique(np.stack(columns, axis=1), axis=0, return_inverse=True)
    kinds: dict[Zones, int] = {(): 0}
    shape, row, kind = rooms[rows[:, 0]].copy(), np.arange(len(rows)), np.zeros(len(rows), np.int64)
    for column, zone in enumerate(zones, 1):
        print_ = prints.outline[rows[:, column]]
        some = np.flatnonzero(boxes_overlap(region.bounds(shape), region.bounds(print_)[row]))
        within = region.intersection(shape[some], print_[row[some]])
        met = ~region.is_empty(within)
        some, within = some[met], within[met]
        shape[some] = region.difference(shape[some], print_[row[some]])
        names = list(kinds)
        for old in np.unique(kind[some]).tolist():
            kinds.setdefault((*names[old], zone), len(kinds))
        inner = np.array([kinds[*names[old], zone] for old in kind[some].tolist()], np.int64)
        shape, row, kind = np.append(shape, within), np.append(row, row[some]), np.append(kind, inner)
        left = ~region.is_empty(shape)
        shape, row, kind = shape[left], row[left], kind[left]
    out = [region.nothing(len(rows)) for _ in kinds]
    for number, made in enumerate(out):
        made[row[kind == number]] = shape[kind == number]
    return Cells(row_of.ravel(), rows[:, 0], tuple(kinds), tuple(out))


def cells_united(regions: Sequence[Regions], cells: Sequence[Regions]) -> Regions:
    """Put together what each record has of some region in its cells, row by row.

    Where all that have a cell have the same region it is not cut.

    Parameters
    ----------
    regions, cells : of (n,) regions
        Of each record, as if it held everywhere, and where it holds; cells of a row leave nothing of it.
    """
    here = [~region.is_empty(cell) for cell in cells]
    first = np.argmax(here, axis=0)
    out: Regions = np.stack(regions)[first, np.arange(len(first))]
    differ = np.any([some & ~alike(own, out) for own, some in zip(regions, here, strict=True)], axis=0)
    out[differ] = region.nothing(1)
    for own, cell, some in zip(regions, cells, here, strict=True):
        mine = some & differ
        out[mine] = region.union(out[mine], region.intersection(own[mine], cell[mine]))
    return out


def _united(some: list[Regions]) -> Regions:
    out = some[0]
    for more in some[1:]:
        out = region.union(out, more)
    return out
