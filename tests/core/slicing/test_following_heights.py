"""Heights that follow the surface: limits, stairs, flats, ease."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.errors import JobError
from even_step.core.job.model import Copy
from even_step.core.mesh.measure import measure
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.solids import ball, box
from even_step.core.slicing.heights import HeightSettings, HeightSpan, fixed_heights, following_heights
from even_step.core.slicing.stairs import stairs_of
from even_step.core.slicing.surface import FLAT, facets_of, surface_of
from tests import shapes
from tests.shapes import write_stl
from tests.slicing_help import job_of, slice_again, slice_it

LEAST, MOST = 0.06, 0.3


def turned_about_z(profile, around=96):
    """A solid of revolution of (radius, height) corners from the bottom up."""
    angle = np.arange(around) * 2 * np.pi / around
    rings = np.stack([np.outer([np.cos(a), np.sin(a), 1.0], [1, 1, 1])[:, 0] for a in angle])
    points = np.concatenate([rings * (r, r, 0) + (0, 0, z) for r, z in profile])
    faces = []
    for k in range(len(profile) - 1):
        a = k * around + np.arange(around)
        b = k * around + (np.arange(around) + 1) % around
        faces += [np.stack((a, b, b + around), axis=1), np.stack((a, b + around, a + around), axis=1)]
    low, high = len(points), len(points) + 1
    points = np.concatenate((points, [(0, 0, profile[0][1]), (0, 0, profile[-1][1])]))
    a, b = np.arange(around), (np.arange(around) + 1) % around
    faces.append(np.stack((b, a, np.full(around, low)), axis=1))
    top = (len(profile) - 1) * around
    faces.append(np.stack((top + a, top + b, np.full(around, high)), axis=1))
    return Mesh(points, np.concatenate(faces).astype(np.int32))


def followed(mesh, stair=0.06, ease=0.04, first=0.2, spans=(), allowed=""):
    own = HeightSettings(0.2, first, 0.0, 0.0, LEAST, MOST, True, stair, ease, allowed)
    return following_heights(float(mesh.bounds[1, 2]), surface_of(facets_of(mesh)), own, spans)


def worst_stair(mesh, found, least=1.15 * LEAST):
    """The largest stair on a facet that is cut by a layer that could be thinner.

    The last ones before a flat may be a little thicker than the least, for one more would be thinner than it.
    """
    facets, worst = facets_of(mesh), 0.0
    low = found.top - found.thick
    for bottom, top, thick in zip(low[1:], found.top[1:], found.thick[1:], strict=True):
        cut = (facets.low < top - 1e-5) & (facets.high > bottom + 1e-5) & (facets.rise < FLAT)
        if thick > least and cut.any():
            worst = max(worst, float((thick * facets.rise[cut]).max()))
    return worst


def on_bed(mesh):
    return Mesh(mesh.vertices - (0, 0, mesh.bounds[0, 2]), mesh.faces)


DOME = [(20 * np.cos(t), 20 * np.sin(t)) for t in np.radians(np.linspace(0, 89, 60))]
CAP = [(20 * np.cos(t), 20 * np.sin(t) - 17.0) for t in np.radians(np.linspace(60, 88, 40)) if 20 * np.sin(t) > 17.0]
FILLET = [
    (20.0, 0.0),
    (20.0, 6.0),
    *[(16 + 4 * np.cos(t), 6 + 4 * np.sin(t)) for t in np.radians(np.linspace(4, 86, 24))],
    (16.0, 10.0),
]
STAIRS = [(20, 0), (20, 3.03), (15, 3.03), (15, 5.01), (10, 5.01), (10, 8.37), (6, 8.37), (6, 11.0)]
CONE = [(15, 0), (3, 20)]


@pytest.mark.parametrize("profile", [DOME, CAP, FILLET, STAIRS, CONE], ids=["dome", "cap", "fillet", "stairs", "cone"])
def test_stairs_and_limits_are_kept_and_the_part_is_as_tall_as_drawn(profile):
    mesh = on_bed(turned_about_z(profile))
    found = followed(mesh)
    assert found.thick[1:].min() >= LEAST - 1e-3
    assert found.thick.max() <= MOST + 1e-3
    assert worst_stair(mesh, found) <= 0.06 + 1e-3
    assert found.top[-1] == pytest.approx(mesh.bounds[1, 2], abs=1.5e-3)
    for flat in surface_of(facets_of(mesh)).flats:
        if flat > 0.2:
            assert np.abs(found.top - flat).min() <= LEAST / 2 + 1e-3


def test_a_ball_is_fine_at_its_ends_and_thick_about_its_middle():
    mesh = on_bed(ball(np.array([20.0, 20.0, 20.0])))
    found = followed(mesh)
    assert worst_stair(mesh, found) <= 0.06 + 1e-3
    assert found.thick[np.abs(found.cuts - 10).argmin()] == pytest.approx(MOST)
    assert found.thick[found.cuts > 18.5].max() < 0.12


def test_upright_walls_are_laid_as_thick_as_they_may_be():
    found = followed(on_bed(box(np.array([10.0, 10.0, 12.2]))))
    np.testing.assert_allclose(found.thick[1:], MOST, atol=1e-6)


def test_heights_differ_from_their_neighbours_by_no_more_than_the_ease():
    mesh = on_bed(turned_about_z(DOME))
    for ease in (0.004, 0.02, 0.04, 0.1):
        found = followed(mesh, ease=ease)
        assert np.abs(np.diff(found.thick[1:])).max() <= ease + 0.011  # a grain of the grid
    block = followed(on_bed(turned_about_z(FILLET)), ease=0.004)
    assert block.thick[1:].max() > 0.2  # it rises as far as six upright millimetres let it
    loose, eased = followed(mesh, ease=0.0), followed(mesh, ease=0.02)
    at = np.linspace(0.5, 19.5, 200)
    thick = [one.thick[np.searchsorted(one.top, at)] for one in (loose, eased)]
    assert (thick[1] <= thick[0] + 0.05).mean() > 0.95


def test_a_flat_of_every_stair_ends_a_layer_exactly():
    found = followed(on_bed(turned_about_z(STAIRS)))
    for flat in (3.03, 5.01, 8.37, 11.0):
        assert np.abs(found.top - flat).min() < 1.5e-3


def test_spans_are_as_high_as_they_say_whatever_the_slope():
    mesh = on_bed(turned_about_z(CONE))
    found = followed(mesh, spans=[HeightSpan(5.0, 8.0, 0.1)])
    inside = (found.cuts > 5.0) & (found.cuts < 8.0)
    np.testing.assert_allclose(found.thick[inside], 0.1, atol=1e-3)
    assert inside.sum() == 30


@pytest.mark.parametrize("ease", [0.02, 0.04])
def test_layers_ease_to_a_knot_from_both_sides_though_they_end_where_it_does(ease):
    mesh, rng = on_bed(box(np.array([8.0, 8.0, 20.0]))), np.random.default_rng(5)
    for _ in range(60):
        low, own = round(rng.uniform(3, 13), 3), float(rng.choice([0.08, 0.1, 0.15]))
        high = round(low + rng.uniform(0.5, 4), 3)
        found = followed(mesh, ease=ease, spans=[HeightSpan(low, high, own)])
        assert np.abs(np.diff(found.thick[1:])).max() <= ease + 0.011  # a grain of the grid
        for end in (low, high, 20.0):
            assert np.abs(found.top - end).min() < 1.5e-3


def test_of_set_heights_a_layer_ends_near_every_flat():
    mesh = on_bed(turned_about_z(STAIRS))
    for allowed, least in (("0.08 0.16 0.24", 0.08), ("0.12 0.28", 0.12), ("0.1", 0.1)):
        found = followed(mesh, allowed=allowed)
        for flat in (3.03, 5.01, 8.37, 11.0):
            assert np.abs(found.top - flat).min() <= least / 2 + 1e-3


def test_only_set_heights_are_used():
    found = followed(on_bed(turned_about_z(DOME)), allowed="0.08 0.16 0.24")
    assert set(np.round(found.thick[1:], 3)) == {0.08, 0.16, 0.24}
    assert found.top[-1] == pytest.approx(20 * np.sin(np.radians(89)), abs=0.05)
    for tall in (10.01, 10.05, 10.1, 10.17):
        found = followed(on_bed(box(np.array([8.0, 8.0, tall]))), allowed="0.12 0.28")
        assert found.top[-1] == pytest.approx(tall, abs=0.0601)
        assert found.cuts[-1] < tall


def test_set_heights_are_used_without_following_too_and_must_be_possible():
    own = HeightSettings(0.25, 0.2, 0.0, 0.0, LEAST, MOST, set_heights="0.12 0.2 0.9")
    assert own.allowed.tolist() == [0.12, 0.2]
    found = fixed_heights(10.07, own)
    np.testing.assert_allclose(found.thick, 0.2, atol=1e-6)
    assert found.top[-1] == pytest.approx(10.0)
    with pytest.raises(JobError, match=r"none of 0\.9 mm"):
        fixed_heights(10.0, HeightSettings(0.2, 0.2, 0.0, 0.0, LEAST, MOST, set_heights="0.9"))


@settings(max_examples=100, deadline=None, derandomize=True)
@given(
    st.lists(st.tuples(st.floats(3, 20), st.floats(0.05, 6.0)), min_size=2, max_size=8),
    st.floats(0.02, 0.3),
    st.sampled_from([0.0, 0.02, 0.05]),
)
def test_any_turned_solid_keeps_its_limits(steps, stair, ease):
    z = np.concatenate(([0.0], np.cumsum([rise for _, rise in steps[1:]])))
    mesh = turned_about_z(
        [(round(radius, 3), round(float(height), 3)) for (radius, _), height in zip(steps, z, strict=True)], 24
    )
    found = followed(mesh, stair, ease)
    assert found.thick[1:].min(initial=1.0) >= LEAST - 1e-3
    assert found.thick[1:].max(initial=0.0) <= MOST + 1e-3
    assert worst_stair(mesh, found, 2 * LEAST) <= stair + 2e-3
    assert found.top[-1] == pytest.approx(max(mesh.bounds[1, 2], LEAST), abs=LEAST / 2 + 1e-3)


def roughest(done):
    return max(stairs_of(facets_of(one.mesh), one.heights).largest for one in done.sliced.solids)


FOLLOWING = {"layers.follow_surface": True, "layers.stair_step": 0.06}


def test_two_blocks_and_a_copy_are_quicker_than_all_fine_and_no_rougher_each_as_when_alone(tmp_path):
    other = [
        (14.0, 0.0),
        (14.0, 9.0),
        *[(12 + 2 * np.cos(t), 9 + 2 * np.sin(t)) for t in np.radians(np.linspace(4, 86, 16))],
    ]
    files = [
        write_stl(tmp_path / f"{name}.stl", on_bed(mesh).vertices[on_bed(mesh).faces])
        for name, mesh in (("wide", turned_about_z(FILLET)), ("slim", turned_about_z(other)))
    ]
    fine = {"layers.height": LEAST}

    def both(values):
        jobs = [job_of(file, values) for file in files]
        twice = jobs[0].parts[0].model_copy(update={"copies": (Copy(at=(50, 60)), Copy(at=(50, 150)))})
        slim = jobs[1].parts[0].model_copy(update={"id": "slim", "copies": (Copy(at=(150, 100)),)})
        return slice_again(tmp_path, jobs[0].model_copy(update={"parts": (twice, slim)}))

    following, finest = both(FOLLOWING), both(fine)
    assert following.sliced.plan.total < 0.75 * finest.sliced.plan.total
    assert roughest(following) <= max(roughest(finest), 0.06) + 1e-3
    for file, together in zip(files, following.sliced.solids, strict=True):
        alone = slice_again(tmp_path, job_of(file, FOLLOWING)).sliced.solids[0]
        np.testing.assert_array_equal(alone.heights.thick, together.heights.thick)


def test_the_report_tells_the_heights_in_use_and_how_rough_slopes_come_out(tmp_path):
    mesh = on_bed(turned_about_z(CONE))
    file = write_stl(tmp_path / "cone.stl", mesh.vertices[mesh.faces])
    done = slice_again(tmp_path, job_of(file, {"layers.height": 0.2}))
    (part,) = done.report["parts"]
    (only,) = part["heights"]
    assert (only["height_mm"], only["layers"]) == (0.2, 100)
    assert only["time_s"] == pytest.approx(done.sliced.plan.total, rel=0.1)
    rise = 12 / np.hypot(12, 20)  # the cone's side leans so far
    assert part["stair_mean_mm"] == pytest.approx(0.2 * rise, rel=1e-3)
    assert part["stair_largest_mm"] == pytest.approx(0.2 * rise, rel=1e-3)
    side = np.pi * (15 + 3) * np.hypot(12, 20)
    assert [row["to_mm"] for row in part["stair_areas"]] == [0.05, 0.1, 0.2, None]
    for told in ("area_mm2", "even_area_mm2"):
        assert [row[told] for row in part["stair_areas"]] == pytest.approx([0, 0, side, 0], rel=0.01)
    assert part["rough_area_mm2"] == pytest.approx(side, rel=0.01)
    followed_one = slice_again(tmp_path, job_of(file, FOLLOWING)).report["parts"][0]
    assert sum(row["layers"] for row in followed_one["heights"]) == pytest.approx(20 * rise / 0.06, rel=0.12)
    assert followed_one["stair_mean_mm"] <= 0.06 + 1e-3
    lowest = np.pi * (15 + 14.88) * np.hypot(0.12, 0.2)  # what the first layer has of it
    assert followed_one["rough_area_mm2"] == pytest.approx(lowest, rel=0.02)
    assert followed_one["rough_even_area_mm2"] == pytest.approx(side, rel=0.01)
    assert followed_one["stair_largest_mm"] == pytest.approx(0.2 * rise, rel=1e-3)  # that of the first layer


def test_everything_inside_fits_heights_that_change(tmp_path):
    """Four full layers over all infill, walls that fill their room, the volume of the part: as with equal layers."""
    mesh = on_bed(turned_about_z(FILLET))
    file = write_stl(tmp_path / "block.stl", mesh.vertices[mesh.faces])
    done = slice_again(tmp_path, job_of(file, FOLLOWING))
    ledger = done.sliced.ledgers[0].rows
    assert ledger[:, 2].sum() < 0.01 * ledger[:, 0].sum()
    assert ledger[:, 3].sum() < 0.02 * ledger[:, 1].sum()
    assert ledger[:, 4].sum() < 0.001 * ledger[:, 0].sum()
    volume = float((ledger[:, 0] * done.sliced.solids[0].heights.thick).sum())
    assert volume == pytest.approx(measure(mesh).volume, rel=0.01)
    thick = done.sliced.solids[0].heights.thick
    full = slice_again(tmp_path, job_of(file, {**FOLLOWING, "infill.density": 100})).sliced.ledgers[0].rows
    plastic = float((full[:, 1] * thick).sum())
    assert plastic == pytest.approx(volume, rel=0.02)


def test_the_slopes_at_which_heights_change_are_told(tmp_path):
    """From where a stair of 0.08 asks for less than the thickest in use, and where for the thinnest."""
    facets = shapes.ball(10.0, 4) + (0, 0, 10)
    told = slice_it(tmp_path, facets, {"layers.follow_surface": True}).report["parts"][0]
    thick = [row["height_mm"] for row in told["heights"]]
    assert told["finer_from_deg"] == pytest.approx(np.degrees(np.arcsin(0.08 / max(thick))), abs=0.5)
    assert told["finest_from_deg"] == pytest.approx(np.degrees(np.arcsin(min(1.0, 0.08 / min(thick)))), abs=0.5)
    assert "finer_from_deg" not in slice_it(tmp_path, facets).report["parts"][0]


@pytest.mark.parametrize("sagitta", [2.9, 3.0, 3.01])
def test_a_shallow_dome_on_a_body_is_smooth_and_takes_no_longer(tmp_path, sagitta):
    """What the dome's fine layers cost, the thick ones of the upright wall below it give back."""
    radius = (30.0**2 + sagitta**2) / (2 * sagitta)
    turn = np.linspace(np.arcsin(30.0 / radius), 0.0, 60)
    rim = zip(radius * np.sin(turn), 10.0 + sagitta - radius + radius * np.cos(turn), strict=True)
    facets = shapes.turned([(30.0, 0.0), *list(rim)[:-1], (0.0, 10.0 + sagitta)])
    plain = slice_it(tmp_path, facets, {"layers.height": 0.2})
    fine = slice_it(tmp_path, facets, {**FOLLOWING, "layers.least": 0.06, "layers.most": 0.3})
    assert roughest(fine) <= 0.0625, "the least height, and what is left at the top shared among many"
    assert fine.report["time_s"] <= plain.report["time_s"]


def test_a_thinner_layer_is_given_less_time_to_set(tmp_path):
    """It brings less heat: of half the usual height it is given half of the time, and none is given more than that."""
    facets = shapes.ball(6.0, 4) + (0, 0, 6)
    usual = {"layers.height": 0.2, "cooling.least_layer_time": 20, "cooling.least_speed": 1}
    done = slice_it(tmp_path, facets, {**FOLLOWING, **usual}).sliced
    courses, plan = done.toolpath.courses, done.plan
    assert courses.thick.min() < 0.1
    assert courses.thick.max() > 0.2
    assert plan.wanted == pytest.approx(20 * np.minimum(courses.thick / 0.2, 1.0))
    assert (plan.layer_time[:-3] > 0.98 * plan.wanted[:-3]).all()
