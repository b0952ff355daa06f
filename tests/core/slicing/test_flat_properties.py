"""Properties of the stages in the plane, on many shapes."""

from __future__ import annotations

import itertools

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.plane.bead import plastic_width
from even_step.core.slicing.patterns.pattern import PatternLayout, Rooms, fill
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.walls import WallSettings, walls
from even_step.core.work import Crew

MANY = settings(max_examples=200, deadline=None, derandomize=True)
HEIGHT = 0.2


def millimetres(low, high):
    return st.floats(low, high).map(lambda value: round(value, 3))


@st.composite
def plans(draw):
    """A region of bars, discs and holes, thin and thick, that touch or lie apart."""
    pieces = []
    for _ in range(draw(st.integers(1, 4))):
        x, y = draw(millimetres(-8, 8)), draw(millimetres(-8, 8))
        if draw(st.booleans()):
            bar = shapely.box(x - draw(millimetres(0.5, 8)), y, x, y + draw(millimetres(0.15, 4)))
            pieces.append(shapely.affinity.rotate(bar, draw(millimetres(0, 180)), origin=(x, y)))
        else:
            pieces.append(shapely.Point(x, y).buffer(draw(millimetres(0.2, 5)), quad_segs=draw(st.integers(2, 16))))
    shape = shapely.union_all(pieces)
    if draw(st.booleans()):
        shape = shape.difference(
            shapely.Point(draw(millimetres(-6, 6)), draw(millimetres(-6, 6))).buffer(draw(millimetres(0.3, 3)))
        )
    shape = shapely.transform(shapely.simplify(shape, 0.0125), lambda xy: np.round(xy, 3) + 0.0)
    shape = shapely.make_valid(shape, method="structure", keep_collapsed=False)
    parts = [part for part in shapely.get_parts(shape) if part.geom_type == "Polygon" and part.area > 0.01]
    return shapely.MultiPolygon(parts)


def laid(plan, count, **more):
    outlines = Outlines(np.zeros(1, np.int64), np.array([plan], object))
    chosen = WallSettings(
        count, 0.45, 0.45, thicken=False, vary=True, layers_at_once=1, more_on_slopes=0, bore=0.4, **more
    )
    return walls(outlines, np.array([HEIGHT]), chosen, Crew(1))


def drawn(made):
    """Every line of some walls as drawn."""
    out = []
    for a, b in itertools.pairwise(made.rings.start):
        ring = np.vstack((made.rings.xy[a:b], made.rings.xy[a : a + 1]))
        widths = made.width[a:b]
        out += [shapely.LineString(ring[i : i + 2]).buffer(w / 2) for i, w in enumerate(widths)]
    strands = made.strands
    for a, b in itertools.pairwise(strands.start):
        out += [shapely.LineString(strands.xy[i : i + 2]).buffer(strands.width[i] / 2) for i in range(a, b - 1)]
    return shapely.union_all(out)


@MANY
@given(plans(), st.integers(1, 4))
def test_no_walls_edge_lies_outside_the_outline(plan, count):
    outside = drawn(laid(plan, count)).difference(plan.buffer(0.02))
    assert outside.area < 0.0001, plan.wkt


@MANY
@given(plans(), st.integers(1, 4))
def test_walls_and_what_they_leave_fill_the_outline(plan, count):
    made = laid(plan, count)
    filled = shapely.union_all([drawn(made), made.inner[0].buffer(0.05), made.lost[0].buffer(0.05)])
    missing = plan.difference(filled)
    # Corners that a round line does not reach: at most a quarter of a line's square less its disc at each.
    corners = sum(len(ring.coords) for part in plan.geoms for ring in (part.exterior, *part.interiors))
    assert missing.area <= 0.02 * plan.area + 0.02 * min(corners, 40)


@MANY
@given(plans(), st.integers(1, 3))
def test_no_line_is_narrower_or_wider_than_the_nozzle_lays(plan, count):
    made = laid(plan, count)
    both = np.concatenate((made.width, made.strands.width))
    assert np.isfinite(both).all()
    if len(both):
        assert both.min() >= 0.24 - 1e-6
        assert both.max() <= 0.72 + 1e-6


@MANY
@given(
    plans(),
    st.sampled_from(["lines", "grid", "triangles", "kagome", "cubic", "honeycomb", "gyroid", "concentric", "hilbert"]),
    st.floats(0.05, 1.0),
    st.floats(0, 180),
    st.sampled_from([0.0, 3.0, 20.0]),
)
def test_no_pattern_leaves_its_room(plan, pattern, share, angle, end_run):
    filled = plastic_width(0.45, np.full(1, HEIGHT))
    rooms = Rooms(np.array([plan], object), filled, np.array([1.7]), np.array([3]))
    share_of = "lines" if share >= 0.9 else pattern
    made = fill(rooms, PatternLayout(share_of, share, angle, (-3.3, 1.9), end_run=end_run), Crew(1))
    lines = [shapely.LineString(made.xy[a:b]) for a, b in itertools.pairwise(made.start)]
    assert made.cell.tolist() == [0, len(lines)]
    assert shapely.union_all(lines).difference(plan.buffer(0.003)).length < 0.01 * max(
        1.0, sum(x.length for x in lines)
    )
