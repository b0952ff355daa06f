"""What of that which hangs is held by supports, facet by facet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import support_lines, supports, trees
from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.body import SupportBody
from even_step.core.slicing.supports.growing import grown
from even_step.core.slicing.supports.seeds import ColumnShapes
from even_step.core.slicing.supports.undersides import Undersides
from even_step.core.slicing.supports.volume import Frame, Words, filled, layer_masks
from even_step.core.work import Crew

SLACK = 0.1  # mm, by which supports may end lower than their gap says


@dataclass(frozen=True)
class HeldSettings:
    """How far beside and beneath what hangs a support holds it, mm."""

    gap_above: Annotated[float, supports.GAP_ABOVE]
    margin: Annotated[float, supports.MARGIN]
    line_width: Annotated[float, support_lines.LINE_WIDTH]
    kind: Annotated[str, supports.KIND]
    spacing: Annotated[float, trees.SPACING]

    @property
    def reach(self) -> float:
        """How far beside a support it holds, mm; what lies between the contacts of a tree is held by all of them."""
        return float(self.spacing / np.sqrt(2.0)) if self.kind == "tree" else self.margin

    @property
    def deep(self) -> float:
        """How far beneath what it holds a contact may lie besides, mm: on a slope, as far as beside it."""
        return self.reach if self.kind == "tree" else 0.0


@dataclass(frozen=True, eq=False)
class Held:
    """How much is held.

    Attributes
    ----------
    share : (n,) float64
        Of each hanging facet, 0 to 1.
    lies : (n,) float64
        What share of each lies on supports, without any margin.
    islands : (m,) bool
        Which islands.
    """

    share: NDArray[np.float64]
    lies: NDArray[np.float64]
    islands: NDArray[np.bool_]


def held(
    under: Undersides,
    body: SupportBody,
    outlines: Outlines,
    frame: Frame,
    heights: Heights,
    settings: HeldSettings,
    crew: Crew,
) -> Held:
    """Find what of a solid's hanging facets and islands has supports beneath, within the margin."""
    if len(body.top) == 0:
        return _nothing_held(under)
    within = filled(frame, body.shape, course_masks(body, heights, frame.words), crew)
    # A support ends no deeper under a layer than its gap and its own thickest course.
    deep = settings.gap_above + float(body.thick.max()) + SLACK
    return _over_cells(under, within, outlines, _Below(frame, heights, deep), settings, crew)


def held_by_columns(
    under: Undersides, columns: ColumnShapes, outlines: Outlines, heights: Heights, settings: HeldSettings, crew: Crew
) -> Held:
    """Find what has columns beneath before they are cut from the part: nearly what is held."""
    if columns.are_none:
        return _nothing_held(under)
    frame = columns.frame
    within = filled(frame, columns.shape, layer_masks(columns.which, len(columns.shape), frame.words), crew)
    return _over_cells(under, within, outlines, _Below(frame, heights, SLACK), settings, crew)


def _nothing_held(under: Undersides) -> Held:
    none = np.zeros(len(under.facets.facet))
    return Held(none, none, np.zeros(len(under.islands.layer), bool))


class _Below(NamedTuple):
    """Cells, the part's layers, and how deep under a layer a support that holds it may end, mm."""

    frame: Frame
    heights: Heights
    deep: float


def _over_cells(
    under: Undersides, within: Words, outlines: Outlines, below: _Below, settings: HeldSettings, crew: Crew
) -> Held:
    """Find what has filled cells beneath."""
    (frame, heights, deep), none = below, _nothing_held(under)
    share, islands = none.share, none.islands
    near = grown(frame, within, settings.line_width / 2 + max(settings.reach, frame.cell) + frame.cell, crew)
    lowest, deepest = (_lowest(heights, most) for most in (deep, deep + settings.deep))
    corners = under.facets.corners
    part = filled(frame, outlines.outline, layer_masks(outlines.which, len(outlines.outline), frame.words), crew)
    lies = share
    if len(corners):
        exact = grown(frame, within, settings.line_width / 2, crew)
        share, lies = (
            np.asarray(_shares(corners, heights.cuts, low, *frame.corner, frame.cell, some, part))
            for low, some in ((deepest, near), (lowest, exact))
        )
    if len(islands):
        middles = region.centres(under.islands.shape)
        islands = np.asarray(_over(middles, under.islands.layer, deepest, *frame.corner, frame.cell, near))
    return Held(share, lies, islands)


def _lowest(heights: Heights, deep: float) -> Index:
    """Return the lowest layer that lies no deeper than so many mm under each, and is not the layer itself, (L,)."""
    lowest = np.searchsorted(heights.top, heights.top - heights.thick - deep)
    return np.minimum(lowest, np.maximum(np.arange(len(lowest)) - 1, 0))


def course_masks(body: SupportBody, heights: Heights, words: int) -> Words:
    """Return in which of the part's layers each shape of the body has a course, (n, words)."""
    out = np.zeros((len(body.shape), words), np.uint64)
    first = np.searchsorted(heights.top, body.top - body.thick + 1e-6, side="right")
    first = np.minimum(first, body.number)
    for shape, low, high in zip(body.which.tolist(), first.tolist(), body.number.tolist(), strict=True):
        for layer in range(low, high + 1):
            out[shape, layer // 64] |= np.uint64(1 << (layer % 64))
    return out


@kernel
def _there(words, column, row, first, last):  # type: ignore[no-untyped-def]
    """Whether a cell is filled in some layer from the first to before the last."""
    for layer in range(first, last):
        if (words[layer // 64, row, column] >> np.uint64(layer % 64)) & np.uint64(1) != 0:
            return True
    return False


@kernel
def _shares(corners, cuts, lowest, x0, y0, cell, words, part):  # type: ignore[no-untyped-def]
    """Return for each facet the share of its points, a cell apart or less, that have filled cells beneath.

    Points of the first layer and such as lie on the part itself do not count.
    """
    rows, columns = words.shape[1], words.shape[2]
    out = np.zeros(corners.shape[0])
    for t in range(corners.shape[0]):
        tri = corners[t]
        low = min(tri[0, 2], tri[1, 2], tri[2, 2])
        high = max(tri[0, 2], tri[1, 2], tri[2, 2])
        long = 0.0
        for i in range(3):
            j = (i + 1) % 3
            long = max(long, np.hypot(tri[j, 0] - tri[i, 0], tri[j, 1] - tri[i, 1]))
        n = min(64, max(1, int(np.ceil(long / cell))))
        some, all_ = 0, 0
        for i in range(n):
            for j in range(n - i):
                for half in range(2):
                    # The middles of the n² like triangles that make up the facet.
                    if half == 1 and i + j > n - 2:
                        continue
                    a = (i + (1.0 + half) / 3.0) / n
                    b = (j + (1.0 + half) / 3.0) / n
                    x = tri[0, 0] + a * (tri[1, 0] - tri[0, 0]) + b * (tri[2, 0] - tri[0, 0])
                    y = tri[0, 1] + a * (tri[1, 1] - tri[0, 1]) + b * (tri[2, 1] - tri[0, 1])
                    z = tri[0, 2] + a * (tri[1, 2] - tri[0, 2]) + b * (tri[2, 2] - tri[0, 2])
                    layer = np.searchsorted(cuts, min(max(z, low), high), side="right")
                    column = min(max(int(np.floor((x - x0) / cell)), 0), columns - 1)
                    row = min(max(int(np.floor((y - y0) / cell)), 0), rows - 1)
                    if layer == 0 or (layer < lowest.shape[0] and _there(part, column, row, layer - 1, layer)):
                        continue
                    all_ += 1
                    if layer >= lowest.shape[0] or _there(words, column, row, lowest[layer], layer):
                        some += 1
        out[t] = some / all_ if all_ > 0 else 1.0
    return out


@kernel
def _over(points, layers, lowest, x0, y0, cell, words):  # type: ignore[no-untyped-def]
    """Tell which points have filled cells beneath their layers."""
    rows, columns = words.shape[1], words.shape[2]
    out = np.zeros(points.shape[0], np.bool_)
    for i in range(points.shape[0]):
        column = min(max(int(np.floor((points[i, 0] - x0) / cell)), 0), columns - 1)
        row = min(max(int(np.floor((points[i, 1] - y0) / cell)), 0), rows - 1)
        out[i] = _there(words, column, row, lowest[layers[i]], layers[i])
    return out
