"""Properties of the stages in the plane, on many shapes."""

from __future__ import annotations

import itertools

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.plane.bead import plastic_width
from even_step.core.slicing.patterns.pattern import PatternLayout, Rooms, fill
from even_step.core.work import Crew
from tests.narrow_help import ROUNDING, drawn, laid, most_step

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


@settings(max_examples=500, deadline=None, derandomize=True)
@given(plans(), st.integers(1, 4))
def test_walls_and_what_they_leave_fill_the_outline_and_stay_within(plan, count):
    made = laid(plan, count)
    whole = shapely.union_all(drawn(made))
    assert whole.difference(plan.buffer(0.02)).area < 0.0001, plan.wkt
    missing = plan.difference(shapely.union_all([whole, made.inner[0].buffer(0.05), made.lost[0].buffer(0.05)]))
    # Corners that a round line does not reach: at most a quarter of a line's square less its disc at each.
    corners = sum(len(ring.coords) for part in plan.geoms for ring in (part.exterior, *part.interiors))
    assert missing.area <= 0.02 * plan.area + 0.02 * min(corners, 40), plan.wkt
    plastic = drawn(made, ROUNDING)
    twice = sum(line.area for line in plastic) - shapely.union_all(plastic).area
    # A round spot is filled by two short lines, whose ends stand out of it.
    assert twice <= 0.02 * plan.area + 0.25 * len(plan.geoms), plan.wkt
    both = np.concatenate((made.width, made.strands.width))
    assert np.isfinite(both).all()
    if len(both):
        assert both.min() >= 0.24 - 1e-6
        assert both.max() <= 0.72 + 1e-6
    assert most_step(made) < 0.25, plan.wkt


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
