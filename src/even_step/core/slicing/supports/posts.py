"""Stage 7, posts: columns that a hand put, as circles, added to those that what hangs asked for."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Geometry
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.by_hand import StandingPost
from even_step.core.slicing.supports.columns import ColumnSettings
from even_step.core.slicing.supports.seeds import ColumnShapes

BARE = 0.05  # of a post's section: what is left of it in the part does not go on


def reach(posts: Sequence[StandingPost]) -> float:
    """Return how far from the middle of the part posts stand, mm."""
    out = [float(np.abs(np.stack((post.at[:2], post.foot))).max()) + post.radius for post in posts]
    return max(out, default=0.0)


def with_posts(
    columns: ColumnShapes,
    posts: Sequence[StandingPost],
    outlines: Outlines,
    heights: Heights,
    settings: ColumnSettings,
) -> ColumnShapes:
    """Return columns with posts, each down to the bed, or to the part where that is in its way.

    Parameters
    ----------
    columns
        Wherever they are wanted already.
    posts
        Those to add.
    outlines, heights
        Of the part's layers.
    settings
        The gaps of columns.
    """
    if not posts:
        return columns
    higher = [_under_the_part(one, outlines, heights) for one in posts]
    sections = [_sections(one, outlines, heights) | over for one, over in zip(posts, higher, strict=True)]
    where, shape = _added(columns.which, columns.shape, sections)
    if settings.gap_wins == "beside":
        return ColumnShapes(columns.frame, where, shape, columns.under_slopes, columns.slopes)
    near = [_tops(one, heights, settings) | over for one, over in zip(posts, higher, strict=True)]
    return ColumnShapes(columns.frame, where, shape, *_added(columns.under_slopes, columns.slopes, near))


class _Section(NamedTuple):
    """What a post is in a layer; ``name`` tells equal ones."""

    name: object
    shape: Geometry


def _added(which: Index, shape: region.Regions, more: list[dict[int, _Section]]) -> tuple[Index, region.Regions]:
    """Return which shape each layer has, and the shapes, with sections by layer added."""
    place: dict[tuple[object, ...], int] = {}
    shapes: list[Geometry] = []
    out = np.full(len(which), -1, np.int64)
    for layer, before in enumerate(which.tolist()):
        here = [(number, one[layer]) for number, one in enumerate(more) if layer in one]
        if before < 0 and not here:
            continue
        key = (before, *((number, section.name) for number, section in here))
        if key not in place:
            place[key] = len(shapes)
            all_of = [*([shape[before]] if before >= 0 else []), *(section.shape for _, section in here)]
            shapes.append(all_of[0] if len(all_of) == 1 else region.union_all(np.array(all_of, object)))
        out[layer] = place[key]
    return out, np.array(shapes, object)


def _sections(post: StandingPost, outlines: Outlines, heights: Heights) -> dict[int, _Section]:
    """Return the sections of a post from its spot down."""
    begins, cuts, out = _begins(post, heights), heights.cuts, {}
    leans = bool(np.hypot(*(post.foot - post.at[:2])) > 1e-6)
    disc = region.disc(post.at[0], post.at[1], post.radius)
    area, last = float(region.area(_alone(disc))[0]), -1
    for layer in range(begins - 1, -1, -1):
        if leans:
            down = 1.0 - float(cuts[layer]) / float(post.at[2])
            x, y = post.at[:2] + (post.foot - post.at[:2]) * min(max(down, 0.0), 1.0)
            disc = region.disc(float(x), float(y), post.radius)
        if leans or outlines.which[layer] != last:
            last = int(outlines.which[layer])
            bare = region.difference(_alone(disc), outlines.outline[[last]])
            if region.area(bare)[0] < BARE * area:
                break
        out[layer] = _Section(layer if leans else "straight", disc)
    return out


def _tops(post: StandingPost, heights: Heights, settings: ColumnSettings) -> dict[int, _Section]:
    """Return where a slope over a post's spot is kept as near as what lies on it."""
    begins = _begins(post, heights)
    deep = int(np.ceil((settings.gap_above + settings.gap_beside) / float(heights.thick.min()))) + 1
    disc = region.disc(post.at[0], post.at[1], post.radius)
    return {layer: _Section("top", disc) for layer in range(max(begins - deep, 0), begins)}


def _under_the_part(post: StandingPost, outlines: Outlines, heights: Heights) -> dict[int, _Section]:
    """Return what of a post reaches higher than its spot: where the part over it rises aside, up to its radius."""
    begins = _begins(post, heights)
    upto = int(np.searchsorted(heights.tops, post.at[2] + post.radius, side="right"))
    disc, over, out = _alone(region.disc(post.at[0], post.at[1], post.radius)), region.nothing(1), {}
    for layer in range(min(upto, len(heights.top)) - 1, begins - 1, -1):
        if layer + 1 < len(heights.top):
            over = region.union(over, region.intersection(disc, outlines.outline[outlines.which[[layer + 1]]]))
        if not region.is_empty(over)[0]:
            out[layer] = _Section(layer, over[0])
    return out


def _begins(post: StandingPost, heights: Heights) -> int:
    """Return the first layer of the part over a post's spot."""
    return int(np.searchsorted(heights.cuts, post.at[2], side="right"))


def _alone(shape: Geometry) -> region.Regions:
    return np.array([shape], object)
