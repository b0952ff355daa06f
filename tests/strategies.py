"""Solids and recipes for property tests."""

from __future__ import annotations

import numpy as np
import shapely
from hypothesis import strategies as st

from tests.shapes import ball, box, extruded


@st.composite
def prisms(draw):
    """A star-shaped prism, with a shaft sometimes."""
    corners = draw(st.integers(3, 9))
    radii = draw(st.lists(st.floats(6, 14), min_size=corners, max_size=corners))
    turn = np.linspace(0, 2 * np.pi, corners, endpoint=False) + draw(st.floats(0, 1))
    shape = shapely.Polygon(np.stack((np.cos(turn), np.sin(turn)), axis=1) * np.array(radii)[:, None])
    if draw(st.booleans()) and shape.buffer(-3).contains(shapely.Point(0, 0)):
        shape = shape.difference(shapely.Point(0, 0).buffer(draw(st.floats(0.8, 2.5)), quad_segs=8))
    return extruded(shape, draw(st.floats(2.0, 5.0)))


@st.composite
def solids(draw):
    """Any of a few kinds of solid thicker than eight layers and ten lines."""
    kind = draw(st.sampled_from(["prism", "ball", "tower", "two"]))
    if kind == "prism":
        return draw(prisms())
    if kind == "ball":
        return ball(draw(st.floats(5, 9)), 3)
    if kind == "tower":
        side = draw(st.floats(9, 16))
        return np.concatenate((box(side, side, 2.5), box(side / 1.6, side / 1.6, 2.5, (0, 0, 2.45))))
    apart = draw(st.floats(0, 6))
    return np.concatenate((ball(6, 3), ball(6, 3, (apart, 0, 0))))


@st.composite
def recipes(draw):
    """Settings within the range of the Larch 220."""
    return {
        "skirt.loops": 0,
        "layers.height": draw(st.floats(0.12, 0.3)),
        "layers.first_height": draw(st.floats(0.12, 0.3)),
        "walls.count": draw(st.integers(0, 4)),
        "walls.outer_line_width": draw(st.floats(0.32, 0.6)),
        "walls.line_width": draw(st.floats(0.32, 0.6)),
        "walls.order": draw(st.sampled_from(["inner-first", "outer-first"])),
        "walls.seam": draw(st.sampled_from(["nearest", "back", "corner", "scattered"])),
        "infill.density": draw(st.sampled_from([0.0, 12.0, 35.0, 100.0])),
        "infill.pattern": draw(st.sampled_from(["lines", "grid"])),
        "infill.angle": draw(st.floats(-90, 90)),
        "infill.line_width": draw(st.floats(0.32, 0.6)),
        "infill.overlap": draw(st.floats(0, 20)),
        "top.layers": draw(st.integers(0, 4)),
        "bottom.layers": draw(st.integers(0, 4)),
        "travel.lift": draw(st.sampled_from([0.0, 0.4])),
    }
