"""Walls laid in a plan, and what they cover, by areas alone."""

from __future__ import annotations

import itertools

import numpy as np
import shapely

from even_step.core.plane import region
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.walls import WallSettings, walls
from even_step.core.work import Crew

HEIGHT = 0.2
ROUNDING = HEIGHT * (1 - np.pi / 4)
ON_EDGE = 0.02  # mm, so near the outline an edge counts as on it


def laid(plan, count=3, *, thicken=False, vary=True):
    """Walls of 0.45 mm from a nozzle of 0.4 mm in one layer."""
    outlines = Outlines(np.zeros(1, np.int64), np.array([region.multi(plan)], object))
    chosen = WallSettings(count, 0.45, 0.45, thicken=thicken, vary=vary, layers_at_once=1, more_on_slopes=0, bore=0.4)
    return walls(outlines, np.array([HEIGHT]), chosen, Crew(1))


def lines_of(made):
    """Each line: points, and the width from each to the next; closed ones repeat their first point."""
    for a, b in itertools.pairwise(made.rings.start):
        if b - a < 2:
            continue
        yield np.vstack((made.rings.xy[a:b], made.rings.xy[a : a + 1])), made.width[a:b]
    for a, b in itertools.pairwise(made.strands.start):
        yield made.strands.xy[a:b], made.strands.width[a : b - 1]


def most_step(made):
    """The share by which a line's width changes at the most from a stretch to the next."""
    steps = [np.abs(np.diff(widths)) / np.minimum(widths[1:], widths[:-1]) for _, widths in lines_of(made)]
    return max((step.max() for step in steps if len(step)), default=0.0)


def drawn(made, less=0.0):
    """Each line as drawn, or narrower by so much."""
    return [
        shapely.union_all([shapely.LineString(xy[i : i + 2]).buffer((w - less) / 2) for i, w in enumerate(widths)])
        for xy, widths in lines_of(made)
    ]


def shares(plan, made, near=None):
    """What is void, lies twice (in plastic), and lies outside, as shares of the plan; or of what of it is near."""
    near = plan.buffer(1) if near is None else near
    whole = shapely.union_all(drawn(made))
    void = plan.difference(shapely.union_all([whole, made.inner[0].buffer(ON_EDGE), made.lost[0].buffer(0.05)]))
    plastic = [one.intersection(near) for one in drawn(made, ROUNDING)]
    twice = sum(one.area for one in plastic) - shapely.union_all(plastic).area
    outside = whole.difference(plan.buffer(ON_EDGE)).intersection(near).area
    area = plan.intersection(near).area
    return void.intersection(near).area / area, twice / area, outside / area


def roughened(plan, off, every, seed):
    """A polygon whose edges go in and out by so much on an average, each so many mm."""
    rng = np.random.default_rng(seed)
    rings = []
    for ring in (plan.exterior, *plan.interiors):
        at = np.arange(max(8, int(ring.length / every))) * ring.length / max(8, int(ring.length / every))
        xy = shapely.get_coordinates(shapely.line_interpolate_point(ring, at))
        ahead = shapely.get_coordinates(shapely.line_interpolate_point(ring, (at + 0.01) % ring.length)) - xy
        across = np.stack((ahead[:, 1], -ahead[:, 0]), axis=1) / np.hypot(*ahead.T)[:, None]
        rings.append(xy + across * rng.normal(0, off, (len(xy), 1)))
    return shapely.set_precision(shapely.make_valid(shapely.Polygon(rings[0], rings[1:])), 0.001)
