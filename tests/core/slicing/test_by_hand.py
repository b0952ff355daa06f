"""Posts and marks: where they say so supports stand, and nowhere they say not."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from even_step.core.errors import JobError
from even_step.core.job.by_hand import Mark, Post
from even_step.core.mesh.patches import cut_by_ball, nearest, up_to_folds, within
from even_step.core.slicing.supports.by_hand import own_facets
from even_step.core.toolpath.roles import OF_PARTS
from tests.conftest import mended
from tests.core.findings.test_unheld import found, one
from tests.hung import HOLD, Laid, drawn, leaning, tee
from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of, slice_again

PLAIN = {"skirt.loops": 0, "supports.kind": "sheet", "foot.kind": "bare"}


def by_hand(folder, facets, settings=None, posts=(), marks=(), **part):
    job = job_of(write_stl(folder / "part.stl", facets), {**PLAIN, **(settings or {})})
    only = job.parts[0].model_copy(update={"posts": posts, "marks": marks, **part})
    return slice_again(folder, job.model_copy(update={"parts": (only,)}))


def covered(done):
    """What supports cover of the bed, in the solid's frame."""
    path, (placed,) = done.sliced.toolpath, done.sliced.placed
    all_of = shapely.union_all([drawn(path, layer, HOLD) for layer in range(path.layers)])
    return shapely.affinity.translate(all_of, -placed.at[0], -placed.at[1])


def corners_of(mesh):
    return mesh.vertices[mesh.faces]


def mark(kind, near, radius=3.0, **more):
    return Mark(kind=kind, near=near, radius=radius, **more)


def test_a_patch_round_a_spot_ends_where_its_ball_does():
    mesh = mended(box(40, 40, 10))
    spot = nearest(corners_of(mesh), np.array([3.0, -2.0, -0.5]))
    assert spot.at == pytest.approx([3.0, -2.0, 0.0])
    assert spot.away == pytest.approx(0.5)
    facets = within(mesh, spot, spot.at, 6.0)
    assert len(facets) == 2
    pieces, owner, inside = cut_by_ball(mesh.vertices[mesh.faces[facets]], spot.at, 6.0, 0.4)
    area = np.linalg.norm(np.cross(pieces[:, 1] - pieces[:, 0], pieces[:, 2] - pieces[:, 0]), axis=1) / 2
    assert area.sum() == pytest.approx(1600.0)
    assert area[inside].sum() == pytest.approx(36 * math.pi, rel=0.01)
    assert np.bincount(owner, area) == pytest.approx([800.0, 800.0])


def test_a_patch_goes_as_far_as_the_surface_carries():
    mesh = mended(np.concatenate((box(20, 20, 2), box(20, 20, 2, (0, 0, 4)))))
    spot = nearest(corners_of(mesh), np.array([0.0, 0.0, 4.0]))
    height = mesh.vertices[mesh.faces[within(mesh, spot, spot.at, 12.0)]][:, :, 2]
    assert height.min() >= 4.0 - 1e-9
    one_face = up_to_folds(mesh, spot.facet, 20.0)
    assert len(one_face) == 2
    assert len(up_to_folds(mesh, spot.facet, 91.0)) == 12


@pytest.mark.parametrize("spot", [(1.0, 2.0, 3.0), (0.2, 0.1, -4.0), (-3.0, 9.0, 0.0)])
def test_the_nearest_spot_of_a_surface_is_a_plain_searchs(spot):
    mesh, point = mended(ball(5.0, 3)), np.array(spot)
    corners = mesh.vertices[mesh.faces]
    share = np.array([(a, b, 20 - a - b) for a in range(21) for b in range(21 - a)]) / 20
    plain = np.linalg.norm((share @ corners).reshape(-1, 3) - point, axis=1).min()
    assert nearest(corners, point).away == pytest.approx(plain, abs=0.02)
    assert nearest(corners, point).away <= plain + 1e-9


def test_what_is_kept_clear_is_not_held_and_is_told(tmp_path):
    done = by_hand(tmp_path, tee(), marks=(mark("keep-clear", (13.0, 0.0, 20.0), crease=10.0),))
    # One underside reaches over both arms: the stem's top is not of it.
    assert done.sliced.toolpath.layers > 100
    assert covered(done).is_empty
    finding = one(done, "overhang-clear")
    assert finding["amount"] == pytest.approx(2 * 20 * 10, rel=0.02)
    assert finding["severity"] == "note"
    assert found(done, "overhang-unheld") == []
    assert done.report["parts"][0]["supports"]["kept_clear_mm2"] == pytest.approx(400, rel=0.02)
    assert done.report["parts"][0]["supports"]["unheld_mm2"] == pytest.approx(0.0, abs=1.0)


def test_a_ball_keeps_a_disc_clear_and_the_rest_is_held(tmp_path):
    done = by_hand(tmp_path, tee(), marks=(mark("keep-clear", (13.0, 0.0, 20.0), 4.0),))
    disc = shapely.Point(13.0, 0.0).buffer(4.0)
    assert one(done, "overhang-clear")["amount"] == pytest.approx(disc.area, rel=0.03)
    top = max(Laid(done).layers)
    highest = shapely.affinity.translate(
        Laid(done).layers[top][1], -done.sliced.placed[0].at[0], -done.sliced.placed[0].at[1]
    )
    assert highest.intersection(disc.buffer(-0.5)).area < 0.1
    assert highest.intersection(shapely.box(-23, -5, -3, 5)).area > 60.0
    assert highest.intersection(shapely.box(18, -5, 23, 5)).area > 10.0


def test_what_is_marked_to_be_held_is_held_within_the_limit(tmp_path):
    wall = leaning(30.0, 0.0)
    assert covered(by_hand(tmp_path, wall)).is_empty
    middle = (5.0 + 4.0 * math.tan(math.radians(30.0)), 0.0, 4.0)
    done = by_hand(tmp_path, wall, marks=(mark("hold", middle, 2.0),))
    laid = covered(done)
    assert not laid.is_empty
    assert laid.bounds[1] > -4.5
    assert laid.bounds[3] < 4.5
    assert done.sliced.solids[0].under.facets.total == pytest.approx(
        math.pi * 4 * math.sin(math.radians(30.0)), rel=0.05
    )
    assert found(done, "overhang-unheld") == []


def test_of_marks_over_each_other_the_later_holds(tmp_path):
    clear = mark("keep-clear", (13.0, 0.0, 20.0), crease=10.0)
    held = mark("hold", (13.0, 0.0, 20.0), 3.0)
    laid = covered(by_hand(tmp_path, tee(), marks=(clear, held)))
    assert laid.bounds[0] > 8.0
    assert laid.bounds[2] < 18.0
    assert covered(by_hand(tmp_path, tee(), marks=(held, clear))).is_empty


def test_marks_turn_and_size_with_their_part(tmp_path):
    marks = (mark("keep-clear", (13.0, 0.0, 20.0), 60.0), mark("hold", (13.0, 0.0, 20.0), 2.0))
    done = by_hand(tmp_path, tee(), marks=marks, turn=(0.0, 0.0, 90.0), scale=(1.5, 1.5, 1.5))
    middle = covered(done).centroid
    assert middle.x == pytest.approx(0.0, abs=0.8)
    assert middle.y == pytest.approx(19.5, abs=0.8)


def test_nothing_stands_on_a_face_that_is_kept_clear(tmp_path):
    """A roof over a slab: its columns stand on the slab, but not where that is kept clear."""
    facets = np.concatenate((box(40, 20, 4), box(6, 20, 8, (-17, 0, 3.99)), box(40, 20, 2, (0, 0, 11.99))))
    for kind in ("sheet", "tree"):
        free = by_hand(tmp_path, facets, {"supports.kind": kind, "skirt.loops": 0})
        assert covered(free).intersection(shapely.box(-10, -10, 18, 10)).area > 20.0
        assert free.sliced.solids[0].removal.stands > 2.0 or kind == "tree"
        done = by_hand(
            tmp_path, facets, {"supports.kind": kind}, marks=(mark("keep-clear", (10.0, 0.0, 4.0), crease=10.0),)
        )
        assert kind == "tree" or covered(done).intersection(shapely.box(-10, -9, 18, 9)).area < 1.0
        assert done.sliced.solids[0].removal.stands < 2.0
        assert one(done, "overhang-unheld")["amount"] > (300.0 if kind == "sheet" else 1.0)


def test_show_faces_are_touched_no_more_than_they_may(tmp_path):
    marks = (mark("show", (13.0, 0.0, 20.0), 4.0),)
    disc = 16 * math.pi
    done = by_hand(tmp_path, tee(), marks=marks)
    finding = one(done, "overhang-clear")
    assert finding["amount"] == pytest.approx(disc, rel=0.03)
    assert finding["fix"]["settings"]["supports.show_contact"] >= disc * 0.97
    assert done.report["parts"][0]["supports"]["contact_show_mm2"] < 0.12 * disc  # at its edge
    done = by_hand(tmp_path, tee(), {"supports.show_contact": 60.0}, marks=marks)
    assert found(done, "overhang-clear") == []
    shown = done.report["parts"][0]["supports"]["contact_show_mm2"]
    assert 5.0 < shown <= disc
    assert shown < done.report["parts"][0]["supports"]["contact_mm2"]


def test_a_post_stands_beneath_its_spot_and_nowhere_else(tmp_path):
    clear = (mark("keep-clear", (13.0, 0.0, 20.0), crease=10.0),)
    done = by_hand(tmp_path, tee(), posts=(Post(at=(-15.0, 1.0, 20.0), diameter=4.0),), marks=clear)
    laid, disc = covered(done), shapely.Point(-15.0, 1.0).buffer(2.0)
    growth = done.sliced.job.settings.get("supports.first_growth", 0.8)
    assert laid.difference(disc.buffer(growth + 0.05)).area < 0.05
    seen = Laid(done)
    assert seen.under((-15.0, 1.0, 20.0), 0.5) == pytest.approx(19.8, abs=0.01)
    inner = [shape for top, (_, shape) in seen.layers.items() if 2.0 < top < 19.0]
    at = done.sliced.placed[0].at
    assert all(abs(shapely.convex_hull(shape).area - disc.area) < 0.06 * disc.area for shape in inner)
    assert all(shapely.centroid(shape).distance(shapely.Point(at[0] - 15, at[1] + 1)) < 0.2 for shape in inner)


@pytest.mark.parametrize("kind", ["sheet", "grid", "tree"])
def test_a_post_leans_to_its_foot_and_nothing_begins_in_the_air(tmp_path, kind):
    clear = (mark("keep-clear", (13.0, 0.0, 20.0), crease=10.0),)
    post = Post(at=(-15.0, 0.0, 20.0), diameter=4.0, foot=(-25.0, 3.0))
    done = by_hand(tmp_path, tee(), {"supports.kind": kind}, posts=(post,), marks=clear)
    seen, at = Laid(done), done.sliced.placed[0].at
    for top, (_, shape) in [layer for layer in seen.layers.items() if layer[0] > 0.3]:  # wider on the bed
        down = 1.0 - top / 20.0
        wanted = shapely.Point(at[0] - 15.0 - 10.0 * down, at[1] + 3.0 * down)
        assert shapely.convex_hull(shape).centroid.distance(wanted) < 0.6
    assert seen.floating(0.6) < 0.05


def test_a_post_follows_a_slope_up_to_its_gap(tmp_path):
    spot = (5.0 + 4.0 * math.tan(math.radians(30.0)), 0.0, 4.0)
    done = by_hand(tmp_path, leaning(30.0, 0.0), posts=(Post(at=spot, diameter=3.0),))
    seen = Laid(done)
    middle = 2.0 * math.tan(math.radians(30.0)) * 2.0
    for aside in (-0.8, 0.0, 0.8):
        point = (spot[0] - middle + aside, 0.0, 4.0 + aside / math.tan(math.radians(30.0)))
        assert seen.under(point, 0.6) > point[2] - 1.3
    assert seen.bites(0.2, 0.2) < 0.05


def test_posts_and_marks_that_do_nothing_say_why(tmp_path):
    posts = (
        Post(at=(13.0, 0.0, 24.0)),
        Post(at=(13.0, 0.0, 31.0)),
        Post(at=(0.0, 0.0, 0.0)),
        Post(at=(-13.0, 0.0, 20.0), foot=(-60.0, 0.0)),
    )
    marks = (mark("hold", (60.0, 0.0, 0.0)), mark("hold", (0.0, 0.0, 24.0), crease=10.0))
    done = by_hand(tmp_path, tee(), posts=posts, marks=marks)
    told = " ".join(finding["message"] for finding in found(done, "by-hand-idle"))
    for why in (
        "faces up",
        "7.0 mm off the surface",
        "rests on the bed",
        "leans by more",
        "a mark to hold",
        "nothing of it faces down",
    ):
        assert why in told
    off = by_hand(tmp_path, tee(), {"supports.kind": "none"}, posts=posts)
    finding = one(off, "by-hand-idle")
    assert "supports are off" in finding["message"]
    assert finding["fix"]["settings"] == {"supports.kind": "sheet"}


def test_facets_are_counted_through_all_bodies():
    marks = (Mark(kind="hold", facets=(1, 5, 12)), Mark(kind="hold", facets=(3,)), mark("hold", (0.0, 0.0, 0.0)))
    whole, first, last = (own_facets(marks, (4, 4, 6), bodies) for bodies in ((), (0,), (1, 2)))
    assert whole == marks
    assert [one.facets for one in first] == [(1,), (3,), ()]
    assert [one.facets for one in last] == [(1, 8), ()]


def test_a_mark_on_a_facet_that_is_not_there_is_refused(tmp_path):
    with pytest.raises(JobError, match="has 24 facets, a mark names facet 99"):
        by_hand(tmp_path, tee(), marks=(Mark(kind="hold", facets=(99,)),))


def test_nothing_of_the_part_changes_by_hand(tmp_path):
    plain = by_hand(tmp_path, tee(), {"supports.kind": "none"}).sliced.toolpath
    hand = by_hand(tmp_path, tee(), posts=(Post(at=(-15.0, 0.0, 20.0)),)).sliced.toolpath
    mine = [int(np.isin(path.role, OF_PARTS).sum()) for path in (plain, hand)]
    assert mine[0] == mine[1]


def test_copies_of_a_mesh_pose_share_it_and_not_their_hands(tmp_path):
    path = write_stl(tmp_path / "part.stl", tee())
    job = job_of(path, PLAIN)
    other = job.parts[0].model_copy(update={"id": "", "marks": (mark("keep-clear", (13.0, 0.0, 20.0), crease=10.0),)})
    done = slice_again(tmp_path, job.model_copy(update={"parts": (*job.parts, other)}))
    clear = [solid.under.marked.clear.any() for solid in done.sliced.solids]
    assert clear == [False, True]
    assert len({part.id for part in done.sliced.job.parts}) == 2
