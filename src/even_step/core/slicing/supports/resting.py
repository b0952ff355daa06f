"""What of a part rests on supports and may suffer by it: broad flats, thin arms, and spikes that hang down."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points
from even_step.core.plane.region import Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.body import SupportBody
from even_step.core.slicing.supports.held import HeldSettings
from even_step.core.slicing.supports.seeds import ceilings
from even_step.core.slicing.supports.undersides import Undersides
from even_step.core.work import Crew, runs_of

LEAST_AREA = 1.0  # mm² of a flat that is looked at
DEEPEST = 5.0  # mm over a flat; what goes on so far is thick
STILL = 0.5  # of a flat that has part over it, to count as going on
EDGE = 0.1  # mm, by which the layer beneath is grown to find where a flat goes out from it
TIP = 1.0  # mm over the point of a spike, where it is measured
SLACK = 0.1  # mm


@dataclass(frozen=True, eq=False)
class Flats:
    """Flat undersides that lie on supports.

    Attributes
    ----------
    layer : (n,) int64
        The part's layer that begins there.
    at : (n, 2) float64
        Middle, mm.
    lies : (n,) float64
        What of it lies on supports, mm².
    broad : (n,) float64
        Diameter of the largest disc within what lies on supports, mm, about.
    thick : (n,) float64
        How far the part goes on over it, mm; no more than ``DEEPEST`` is looked at.
    root : (n,) float64
        Length of the edge at which it goes out from the layer beneath, mm.
    round : (n,) float64
        Length of its edges, mm.
    """

    layer: Index
    at: Points
    lies: NDArray[np.float64]
    broad: NDArray[np.float64]
    thick: NDArray[np.float64]
    root: NDArray[np.float64]
    round: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Spikes:
    """Points that begin on supports.

    Attributes
    ----------
    layer : (n,) int64
        The layer each begins in.
    at : (n, 2) float64
        Where, mm.
    wide : (n,) float64
        Of a circle as large as its section a little higher up, mm.
    contact : (n,) float64
        Of a circle as large as the top of the support that it begins on, mm.
    """

    layer: Index
    at: Points
    wide: NDArray[np.float64]
    contact: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Resting:
    """What rests on supports."""

    flats: Flats
    spikes: Spikes


def resting(
    under: Undersides, body: SupportBody, outlines: Outlines, heights: Heights, settings: HeldSettings, crew: Crew
) -> Resting:
    """Measure what rests on supports: flat undersides and islands of a solid."""
    ground = _Ground(body, heights, settings)
    flat = under.facets.flat & (under.facets.area > 0.0) & (len(body.shape) > 0)
    return Resting(_flats(under, flat, ground, outlines, heights, crew), _spikes(under, ground, outlines, heights))


class _Ground:
    """What supports cover just beneath each layer of the part."""

    def __init__(self, body: SupportBody, heights: Heights, settings: HeldSettings) -> None:
        self._body, self._heights, self._half = body, heights, settings.line_width / 2
        self._deep = settings.gap_above + float(body.thick.max(initial=0.0)) + SLACK

    def under(self, layers: Index) -> Regions:
        """Return what lies beneath some layers, (n,), mm."""
        known, place = np.unique(layers, return_inverse=True)
        out = region.nothing(len(known))
        for i, layer in enumerate(known.tolist()):
            z = float(self._heights.top[layer] - self._heights.thick[layer])
            near = (self._body.top > z - self._deep) & (self._body.top < z + 1e-6)
            shapes = self._body.shape[np.unique(self._body.which[near])]
            if len(shapes):
                out[i] = shapes[0] if len(shapes) == 1 else region.union_all(shapes)
        return out[place]

    def widened(self, shapes: Regions) -> Regions:
        """Return shapes that middles of lines may lie in, as far as lines reach."""
        return region.offset(shapes, self._half)


def _flats(
    under: Undersides, flat: NDArray[np.bool_], ground: _Ground, outlines: Outlines, heights: Heights, crew: Crew
) -> Flats:
    levels, shapes = ceilings(under, flat, outlines, heights)
    on_supports = region.intersection(shapes, ground.widened(ground.under(levels)))
    pieces, owner = region.pieces(shapes)
    lies = region.area(region.intersection(pieces, on_supports[owner]))
    some = np.flatnonzero(lies >= LEAST_AREA)
    pieces, layer, lies = pieces[some], levels[owner[some]], lies[some]
    held = region.intersection(pieces, on_supports[owner[some]])
    below = outlines.outline[outlines.which[layer - 1]]
    root = region.area(region.intersection(pieces, region.offset(below, EDGE))) / EDGE

    def thick(first: int, last: int) -> NDArray[np.float64]:
        return np.array([_goes_on(pieces[i], int(layer[i]), outlines, heights) for i in range(first, last)])

    high = crew.each(thick, runs_of(region.size_in_points(pieces), most=500))
    deep = np.concatenate(high) if high else np.empty(0)
    return Flats(layer, region.centres(pieces), lies, _broad(held), deep, root, region.perimeter(pieces))


def _broad(shapes: Regions) -> NDArray[np.float64]:
    """Return the diameters of the largest discs within, mm, rounded down to steps of a millimetre and a half."""
    wide = np.zeros(len(shapes))
    for step in range(1, 21):
        some = np.flatnonzero(wide == 1.5 * (step - 1))
        wide[some[~region.is_empty(region.offset(shapes[some], -0.75 * step))]] = 1.5 * step
    return wide


def _goes_on(piece: region.Geometry, layer: int, outlines: Outlines, heights: Heights) -> float:
    """Return how far over a flat the part goes on, mm."""
    bottom = float(heights.top[layer] - heights.thick[layer])
    last = int(np.searchsorted(heights.top, bottom + DEEPEST, side="right"))
    which = outlines.which[layer : max(last, layer + 1)]
    shapes, back = np.unique(which, return_inverse=True)
    same = np.array([piece] * len(shapes), object)
    share = region.area(region.intersection(outlines.outline[shapes], same))[back]
    gone = np.flatnonzero(share < STILL * region.area(same[:1])[0])
    upto = layer + (int(gone[0]) if len(gone) else len(which)) - 1
    return float(heights.top[max(upto, layer)]) - bottom


def _spikes(under: Undersides, ground: _Ground, outlines: Outlines, heights: Heights) -> Spikes:
    layer, shape = under.islands.layer, under.islands.shape
    higher = np.searchsorted(heights.top, heights.top[layer] - heights.thick[layer] + TIP)
    higher = np.minimum(higher, len(heights.top) - 1)
    section = _touching(outlines.outline[outlines.which[higher]], shape)
    contact = _touching(ground.under(layer), ground.widened(shape), ground.widened)
    held = np.flatnonzero(contact > 0.0)
    wide, on = (2.0 * np.sqrt(some[held] / np.pi) for some in (section, contact))
    return Spikes(layer[held], region.centres(shape[held]), wide, on)


def _touching(
    shapes: Regions, pieces: Regions, grown: Callable[[Regions], Regions] = np.asarray
) -> NDArray[np.float64]:
    """Return the area of what of each shape hangs together with a piece, mm²; as it is once it is ``grown``."""
    parts, owner = region.pieces(shapes)
    there = region.touches(parts, pieces[owner])
    area = region.area(grown(parts[there]))
    return np.bincount(owner[there], area, minlength=len(shapes)).astype(np.float64)
