"""Any solid, any supports: no line nearer to the part than it may be, none in the air, none outside the volume."""

from __future__ import annotations

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from even_step.core.job import edits
from even_step.core.job.by_hand import Mark, Post
from tests.hung import Laid, leaning
from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of, slice_again, slice_it


@st.composite
def hanging(draw):
    """A solid of which something hangs."""
    kind = draw(st.sampled_from(["ball", "tee", "leaning", "shelf"]))
    if kind == "ball":
        return ball(draw(st.floats(5, 9)), 3)
    if kind == "tee":
        arm, high = draw(st.floats(2, 9)), draw(st.floats(1.5, 9))
        return np.concatenate((box(5, 7, high), box(5 + 2 * arm, draw(st.floats(3, 9)), 2, (0, 0, high - 0.01))))
    if kind == "leaning":
        return leaning(draw(st.floats(30, 80)), draw(st.floats(0, 360)), rise=draw(st.floats(2, 6)))
    low = draw(st.floats(1, 4))
    return np.concatenate((box(14, 12, low), box(3, 3, 5, (0, 0, low - 0.01)), box(13, 8, 2, (1, 0, low + 4.9))))


@st.composite
def holding(draw):
    """Settings of supports within their range."""
    return {
        "skirt.loops": 0,
        "infill.density": 0,
        "supports.kind": draw(st.sampled_from(["sheet", "grid", "tree"])),
        "supports.from": draw(st.sampled_from(["everywhere", "bed"])),
        "supports.gap_above": draw(st.floats(0.0, 0.6)),
        "supports.gap_below": draw(st.floats(0.0, 0.6)),
        "supports.gap_beside": draw(st.floats(0.2, 1.5)),
        "supports.margin_goes": draw(st.sampled_from(["level", "rising"])),
        "supports.gap_wins": draw(st.sampled_from(["above", "beside"])),
        "supports.margin": draw(st.floats(0.0, 2.0)),
        "supports.merge_within": draw(st.floats(0.0, 3.0)),
        "supports.slim_width": draw(st.floats(0.0, 3.0)),
        "supports.line_distance": draw(st.floats(1.0, 4.0)),
        "supports.grading": draw(st.integers(0, 2)),
        "supports.outline": draw(st.integers(0, 2)),
        "supports.contact_layers": draw(st.integers(0, 3)),
        "supports.contact_layers_below": draw(st.integers(0, 2)),
        "supports.contact_pattern": draw(st.sampled_from(["lines", "grid", "concentric"])),
        "supports.layers_at_once": draw(st.integers(1, 3)),
        "supports.direction": draw(st.floats(-90, 90)),
        "layers.height": draw(st.floats(0.1, 0.3)),
    }


@st.composite
def hands(draw):
    """Posts and marks at some facets: which one, counted in thousandths of all, how large, and what."""
    posts = st.tuples(
        st.integers(0, 999), st.floats(0.6, 5.0), st.none() | st.tuples(st.floats(-4, 4), st.floats(-4, 4))
    )
    kinds = st.sampled_from(["hold", "keep-clear", "show"])
    marks = st.tuples(st.integers(0, 999), st.floats(0.6, 6.0), kinds, st.booleans())
    return draw(st.lists(posts, max_size=2)), draw(st.lists(marks, max_size=3))


def spot(facets, share):
    return tuple(np.round(facets[share * len(facets) // 1000].mean(axis=0), 4).tolist())


def put(job, facets, hand):
    """The job with posts and marks on its part."""
    posts = tuple(
        Post(at=(x, y, z), diameter=wide, foot=(x + aside[0], y + aside[1]) if aside else None)
        for share, wide, aside in hand[0]
        for x, y, z in [spot(facets, share)]
    )
    marks = tuple(
        Mark(kind=kind, near=spot(facets, share), radius=radius, crease=20.0 if face else None)
        for share, radius, kind, face in hand[1]
    )
    return edits.with_part(job, job.parts[0].id, posts=posts, marks=marks)


@settings(max_examples=12, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
@given(facets=hanging(), asked=holding())
def test_no_support_bites_floats_or_leaves_the_volume(tmp_path_factory, facets, asked):
    sound(slice_it(tmp_path_factory.mktemp("held"), facets, asked), asked)


@settings(max_examples=12, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
@given(facets=hanging(), asked=holding(), hand=hands())
def test_nor_does_one_by_hand(tmp_path_factory, facets, asked, hand):
    folder = tmp_path_factory.mktemp("held")
    job = put(job_of(write_stl(folder / "part.stl", facets), asked), facets, hand)
    sound(slice_again(folder, job), asked)


def sound(done, asked):
    held = Laid(done)
    assert held.bites(asked["supports.gap_above"], min(0.2, asked["supports.gap_beside"])) < 0.05
    apart = asked["supports.line_distance"] * 2 ** asked["supports.grading"]
    assert held.floating(apart + 0.8) < 0.3
    codes = {finding["code"] for finding in done.report["findings"]}
    low, high = done.sliced.toolpath.xy.min(axis=0), done.sliced.toolpath.xy.max(axis=0)
    assert ((low >= 0).all() and (high <= 220).all()) or "outside-volume" in codes
    assert np.isfinite(done.sliced.toolpath.xy).all()
