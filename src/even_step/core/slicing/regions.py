"""Stage 3: what of each layer is the part's, with allowances for how plastic spreads and shrinks."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Annotated

import numpy as np

from even_step.core.catalogue import foot, outline
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Rings
from even_step.core.plane.region import Regions
from even_step.core.plane.slits import equal_ones, without_slits
from even_step.core.slicing.contours import Contours
from even_step.core.work import Crew, runs_of


@dataclass(frozen=True)
class RegionSettings:
    """Allowances, mm; over a raft the first layer is not pressed onto the bed."""

    allowance: Annotated[float, outline.ALLOWANCE]
    hole_allowance: Annotated[float, outline.HOLE_ALLOWANCE]
    first_allowance: Annotated[float, outline.FIRST_ALLOWANCE]
    foot: Annotated[str, foot.KIND]


@dataclass(frozen=True, eq=False)
class Outlines:
    """The part's region in each layer, equal ones once.

    Attributes
    ----------
    which : (L,) int64
        Which outline a layer has.
    outline : (U,) regions
        The distinct outlines.
    """

    which: Index
    outline: Regions

    @cached_property
    def rings(self) -> Rings:
        """The rings of the distinct outlines."""
        return region.rings(self.outline)

    @cached_property
    def of_outline(self) -> Index:
        """Where the rings of each distinct outline begin, (U + 1,)."""
        return self.rings.starts_by_item(len(self.outline))


def outlines_of(contours: Contours, settings: RegionSettings, crew: Crew) -> Outlines:
    """Close slits and apply the allowances."""
    return with_allowances(closed_outlines(contours, crew), settings, crew)


def closed_outlines(contours: Contours, crew: Crew) -> Outlines:
    """Close slits; without any the contours are taken as they are."""
    return Outlines(*_without_slits(contours, crew))


def with_allowances(closed: Outlines, settings: RegionSettings, crew: Crew) -> Outlines:
    """Apply the allowances."""
    which, outlines = closed.which, closed.outline
    if settings.allowance or settings.hole_allowance:
        outlines = _allowed(outlines, settings.allowance, settings.hole_allowance, crew)
    if settings.first_allowance and settings.foot != "raft" and len(which):
        first = region.offset(outlines[which[:1]], settings.first_allowance)
        outlines = np.concatenate((outlines, first))
        which = which.copy()
        which[0] = len(outlines) - 1
    return Outlines(which, outlines)


def _without_slits(contours: Contours, crew: Crew) -> tuple[Index, Regions]:
    """Close slits; outlines that come out equal are one from here on."""
    some = contours.outline
    done = crew.each(lambda a, b: without_slits(some[a:b]), runs_of(region.size_in_points(some), most=50_000))
    if not any(changed.any() for _, changed in done):
        return contours.which, some
    outlines = np.concatenate([one for one, _ in done])
    same = equal_ones(outlines, np.concatenate([changed for _, changed in done]))
    kept, place = np.unique(same, return_inverse=True)
    return place[contours.which], outlines[kept]


def _allowed(outlines: Regions, outside: float, holes: float, crew: Crew) -> Regions:
    """Move the outside and the holes apart: holes grow as regions of their own."""

    def move(first: int, last: int) -> Regions:
        some = outlines[first:last]
        filled = region.without_holes(some)
        hollow = region.difference(filled, some)
        if outside:
            filled = region.offset(filled, outside)
        if holes:
            hollow = region.offset(hollow, holes)
        return region.difference(filled, hollow)

    parts = crew.each(move, runs_of(region.size_in_points(outlines), most=20_000))
    return np.concatenate(parts) if parts else outlines
