"""What prints in the air is told, with how much, where and in which layer."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of, slice_again

BARE = {"skirt.loops": 0}


def found(done, code):
    return [finding for finding in done.report["findings"] if finding["code"] == code]


def one(done, code):
    finding, *more = found(done, code)
    assert more == []
    return finding


def cone(radius, height, tip_down=False):
    mesh = trimesh.creation.cone(radius=radius, height=height, sections=64)
    facets = np.asarray(mesh.triangles)
    return (facets * (1, 1, -1))[:, ::-1] + (0, 0, height) if tip_down else facets


def united(*boxes):
    """One closed mesh, as a modeller makes it: the floors of what stands on another part are not in it."""
    return np.asarray(trimesh.boolean.union([trimesh.Trimesh(**_indexed(facets)) for facets in boxes]).triangles)


def _indexed(facets):
    return {"vertices": facets.reshape(-1, 3), "faces": np.arange(3 * len(facets)).reshape(-1, 3)}


def test_the_arms_of_a_t_are_told_with_their_area_and_height(sliced):
    arms = united(box(10, 10, 20.5), box(40, 10, 5, (0, 0, 20)))
    finding = one(sliced(arms, BARE), "overhang-unheld")
    assert finding["amount"] == pytest.approx(300, abs=0.1)
    assert finding["z_mm"] == pytest.approx(20.2, abs=0.21)
    assert finding["severity"] == "warn"
    assert finding["remedy"]


def test_a_free_arm_is_told(sliced):
    arm = united(box(10, 10, 20), box(40, 6, 4, (25, 0, 10)))
    finding = one(sliced(arm, BARE), "overhang-unheld")
    assert finding["amount"] == pytest.approx(40 * 6, abs=0.1)
    assert 95 < finding["at_mm"][0] < 135


def test_faces_buried_in_another_body_do_not_count(sliced):
    post, table = box(10, 10, 10), box(30, 30, 5, (0, 0, 10))
    done = sliced(np.concatenate((post, table)), BARE)
    assert done.report["unsupported_area_mm2"] == pytest.approx(800, abs=0.1)
    assert one(done, "overhang-unheld")["amount"] == pytest.approx(800, abs=0.1)
    sunk = np.concatenate((box(4, 4, 12), box(20, 20, 5, (0, 0, 8))))
    assert sliced(sunk, BARE).report["unsupported_area_mm2"] == pytest.approx(400 - 16, abs=0.1)


def test_a_slope_buried_in_another_body_does_not_count_either(sliced):
    balls = np.concatenate((ball(8, 4, (0, 0, 8)), box(30, 30, 8)))
    done = sliced(balls, BARE)
    assert done.report["unsupported_area_mm2"] == pytest.approx(0, abs=0.5)
    assert found(done, "overhang-unheld") == []


def test_a_bridge_within_its_length_is_held_and_a_longer_one_is_not(sliced):
    short, wide = (
        sliced(united(box(4, 10, 10, (-x, 0, 0)), box(4, 10, 10, (x, 0, 0)), box(2 * x + 4, 10, 2, (0, 0, 10))), BARE)
        for x in (5, 30)
    )
    assert found(short, "overhang-unheld") == []
    assert short.report["unsupported_area_mm2"] == pytest.approx(60, abs=0.1)
    assert one(wide, "overhang-unheld")["amount"] == pytest.approx(560, rel=0.01)


def test_a_slope_is_told_past_the_limit_and_not_before(sliced):
    for angle, told in ((43, False), (48, True)):
        solid = np.asarray(trimesh.creation.cylinder(radius=1, height=10).triangles) + (0, 0, 5)
        solid[:, :, :2] *= 10 + solid[:, :, 2:] * np.tan(np.radians(angle))
        assert bool(found(sliced(solid, BARE), "overhang-unheld")) == told


def test_of_several_patches_the_largest_is_shown_and_all_are_counted(sliced):
    table = united(box(10, 10, 20), box(30, 10, 2, (10, 0, 5)), box(16, 4, 2, (-8, 0, 12)))
    finding = one(sliced(table, BARE), "overhang-unheld")
    assert finding["amount"] == pytest.approx(20 * 10 + 11 * 4, abs=0.1)
    assert "2 places" in finding["message"]
    assert finding["z_mm"] == pytest.approx(5.2, abs=0.21)


def test_of_islands_the_largest_is_named_with_the_count(sliced):
    islands = np.concatenate((box(10, 10, 20), box(0.8, 0.8, 3, (8, 0, 4)), box(10, 10, 3, (15, 0, 12))))
    finding = one(sliced(islands, BARE), "floating")
    assert finding["amount"] == pytest.approx(100, rel=0.02)
    assert finding["z_mm"] == pytest.approx(12.2, abs=0.21)
    assert "1 smaller" in finding["message"]


def test_a_cone_on_its_tip_has_an_empty_first_layer(sliced):
    finding = one(sliced(cone(6, 30, tip_down=True), BARE), "foot-small")
    assert finding["severity"] == "warn"
    assert "begin in the air" in finding["message"]


def test_a_part_on_a_small_foot_is_noted(sliced):
    assert one(sliced(ball(15, 5, (0, 0, 15)), BARE), "foot-small")["severity"] == "note"
    assert one(sliced(box(4, 4, 60), BARE), "foot-small")["amount"] == pytest.approx(16)
    assert found(sliced(box(20, 20, 40), BARE), "foot-small") == []


def test_a_tip_that_vanishes_is_told_with_its_height(sliced):
    done = sliced(cone(2, 30), BARE)
    lost = [finding for finding in found(done, "too-thin") if finding["unit"] == "mm" and "top" in finding["message"]]
    assert len(lost) == 1
    path = done.sliced.toolpath
    reached = path.top[np.flatnonzero(np.diff(path.layer))[-1]]
    assert lost[0]["amount"] == pytest.approx(30 - reached, abs=0.21)


def test_layers_without_time_to_grow_firm_are_told(sliced):
    done = sliced(box(3, 3, 20), BARE)
    finding = one(done, "layer-quick")
    times = np.array(done.report["layers"]["time_s"])
    assert finding["amount"] == pytest.approx(times.min(), abs=1e-3)
    assert f"{(times < 0.95 * 6).sum()} of {len(times)}" in finding["message"]
    assert found(sliced(box(30, 30, 4), BARE), "layer-quick") == []


def test_each_layer_is_held_to_a_least_time_of_its_own(sliced):
    """Of layers that follow the surface a thin one is given less; the one that lacks most of its own is told."""
    follows = {"layers.follow_surface": True, "cooling.least_layer_time": 60, "cooling.least_speed": 30}
    done = sliced(ball(4.0, 4), {**BARE, **follows})
    finding = one(done, "layer-quick")
    wanted, time = done.sliced.plan.wanted, done.sliced.plan.layer_time
    worst = int(np.argmin(time / wanted))
    assert wanted.max() > 2 * wanted.min()
    assert finding["amount"] == pytest.approx(time[worst], abs=1e-3)
    assert f"instead of {wanted[worst]:.3g}:" in finding["message"]


def test_a_step_between_layers_is_told(sliced):
    stair = united(box(20, 20, 5.1), box(10, 20, 10))
    finding = one(sliced(stair, BARE), "height-rounded")
    assert finding["amount"] == pytest.approx(0.1, abs=0.01) or finding["amount"] == pytest.approx(-0.1, abs=0.01)
    assert "5.10 mm" in finding["message"]
    assert found(sliced(united(box(20, 20, 5), box(10, 20, 10)), BARE), "height-rounded") == []


def test_what_hangs_counts_for_every_copy(tmp_path):
    facets = np.concatenate((box(10, 10, 10), box(30, 30, 5, (0, 0, 10))))
    done = slice_again(tmp_path, job_of(write_stl(tmp_path / "t.stl", facets), BARE, copies=2))
    assert done.report["unsupported_area_mm2"] == pytest.approx(1600, abs=0.2)
