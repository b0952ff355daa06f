"""What suffers by supports, or sways, is told; what does not is not."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from even_step.core.job.model import Copy
from even_step.core.plane import region
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.sway import PULL, STIFFNESS, sway
from tests.core.findings.test_unheld import found, one, united
from tests.hung import tee
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again

HELD = {"skirt.loops": 0, "supports.kind": "sheet"}


def risen(*sections, thick=0.5):
    """Layers of some shapes, from the bed up: how many of each."""
    shapes = np.concatenate([np.array([shape], object) for shape, _ in sections])
    which = np.repeat(np.arange(len(sections)), [count for _, count in sections])
    tops = np.arange(1, len(which) + 1) * thick
    return Outlines(which, shapes), Heights(tops, np.full(len(which), thick))


def rectangles(*corners):
    return region.union_all(np.array([region.rectangle(*one) for one in corners], object))


def test_a_member_gives_way_like_a_beam_held_at_its_foot():
    base, post = rectangles((0, 0, 60, 60)), rectangles((10, 10, 13, 15))
    found = sway(*risen((base, 10), (post, 80)))
    beam = PULL * 40.0**3 / (3.0 * STIFFNESS * 5.0 * 3.0**3 / 12.0)
    assert found.gives.max() == pytest.approx(beam, rel=0.01)
    assert found.at[np.argmax(found.gives)] == pytest.approx([11.5, 12.5])
    assert found.layer.max() == 89


def test_what_is_joined_at_the_top_sways_only_until_then():
    legs = rectangles((0, 0, 3, 3), (27, 0, 30, 3))
    bar = rectangles((0, 0, 30, 3))
    found = sway(*risen((legs, 40), (bar, 10)))
    leg = PULL * 20.0**3 / (3.0 * STIFFNESS * 3.0**4 / 12.0)
    before, after = found.gives[found.layer < 49], found.gives[found.layer == 49]
    assert before == pytest.approx([leg, leg], rel=0.01)
    assert after.max() < 0.1 * leg


def test_a_tube_is_stiffer_than_a_rod_of_as_much_plastic():
    def ring(outer, inner):
        disc, hole = (np.array([region.disc(0.0, 0.0, radius)], object) for radius in (outer, inner))
        return region.difference(disc, hole)[0]

    tube, rod = ring(5.0, 4.0), region.disc(0.0, 0.0, 3.0)
    gives = [sway(*risen((shape, 80))).gives.max() for shape in (tube, rod)]
    assert gives[1] / gives[0] == pytest.approx((5.0**4 - 4.0**4) / 3.0**4, rel=0.02)


def test_a_thin_member_that_sways_is_told_and_a_stout_one_is_not(sliced):
    thin = united(box(30, 30, 3), box(3, 3, 40, (0, 0, 2.9)))
    finding = one(sliced(thin, {"skirt.loops": 0}), "part-slim")
    assert finding["amount"] == pytest.approx(0.79, abs=0.05)
    assert finding["z_mm"] == pytest.approx(42.9, abs=0.3)
    stout = united(box(30, 30, 3), box(12, 12, 40, (0, 0, 2.9)))
    assert found(sliced(stout, {"skirt.loops": 0}), "part-slim") == []


def plate_on_a_stem(thick):
    return united(box(8, 8, 12), box(44, 44, thick, (0, 0, 11.99)))


def test_the_edges_of_a_broad_thin_plate_on_supports_may_lift(sliced):
    finding = one(sliced(plate_on_a_stem(1.2), HELD), "support-curls")
    assert finding["amount"] == pytest.approx(44**2 - 8**2, rel=0.05)
    assert finding["severity"] == "warn"
    assert found(sliced(plate_on_a_stem(6.0), HELD), "support-curls") == []
    assert found(sliced(plate_on_a_stem(1.2), HELD | {"supports.gap_above": 0.0}), "support-curls") == []


def test_a_roof_that_is_held_all_round_has_no_edge_to_lift_and_is_no_bridge(sliced):
    assert found(sliced(hollow(), HELD), "support-curls") == []
    assert found(sliced(hollow(), HELD), "bridge-long") == []
    assert one(sliced(hollow(), {"skirt.loops": 0}), "bridge-long")["amount"] == pytest.approx(18.0, abs=0.1)


def arm(thick):
    return united(box(10, 10, 14), box(24, 4, thick, (14, 0, 7.0)))


def test_a_thin_arm_is_gripped_harder_than_it_holds(sliced):
    finding = one(sliced(arm(0.6), HELD), "support-grips-weak")
    assert finding["amount"] == pytest.approx(21 * 4, rel=0.1)
    wider = one(sliced(arm(0.6), HELD | {"supports.contact_density": 90.0}), "support-grips-weak")
    assert "widen" in wider["remedy"]
    assert found(sliced(arm(5.0), HELD), "support-grips-weak") == []
    assert found(sliced(arm(0.6), {"skirt.loops": 0}), "support-grips-weak") == []


def hanging_spike(wide):
    return united(box(8, 8, 20), box(40, 8, 5, (12, 0, 15.0)), box(wide, wide, 7, (24, 0, 8.0)))


def test_a_thin_spike_may_come_off_with_its_support(sliced):
    finding = one(sliced(hanging_spike(1.2), HELD), "spike-thin")
    assert finding["amount"] == pytest.approx(2 * np.sqrt(1.2**2 / np.pi), abs=0.02)
    assert finding["z_mm"] == pytest.approx(8.2, abs=0.21)
    assert found(sliced(hanging_spike(5.0), HELD), "spike-thin") == []


def hollow(*openings):
    """A box with a room of 18 × 18 × 12 mm in it, and openings cut into it."""
    whole = trimesh.creation.box((24, 24, 18))
    room = trimesh.creation.box((18, 18, 12))
    cut = [trimesh.creation.box(size, trimesh.transformations.translation_matrix(at)) for size, at in openings]
    return np.asarray(trimesh.boolean.difference([whole, room, *cut]).triangles) + (0, 0, 9)


def test_supports_that_are_shut_in_are_told_with_their_volume(sliced):
    finding = one(sliced(hollow(), HELD), "support-trapped")
    assert finding["amount"] == pytest.approx((18 - 2 * 0.7) ** 2 * 11.6, rel=0.06)
    assert 3.0 < finding["z_mm"] < 15.0


@pytest.mark.parametrize(
    ("opening", "shut"),
    [(((10, 6, 8), (10, 0, 0)), False), (((10, 10, 8), (0, 0, -8)), False), (((10, 1.0, 8), (10, 0, 0)), True)],
    ids=["beside", "beneath", "narrow"],
)
def test_an_opening_lets_supports_out_where_it_is_wide_enough(sliced, opening, shut):
    assert bool(found(sliced(hollow(opening), HELD), "support-trapped")) == shut


def test_supports_on_the_part_are_told_and_those_on_the_bed_are_not(sliced):
    over_a_plate = united(box(40, 40, 2), box(8, 8, 14, (0, 0, 1.99)), box(20, 20, 4, (0, 0, 15.9)))
    finding = one(sliced(over_a_plate, HELD), "support-on-face")
    assert finding["amount"] == pytest.approx(20**2 - 8**2, rel=0.25)
    assert finding["z_mm"] == pytest.approx(2.4, abs=0.45)
    assert found(sliced(tee(), HELD), "support-on-face") == []
    assert found(sliced(over_a_plate, HELD | {"supports.from": "bed"}), "support-on-face") == []


def test_what_has_no_room_beside_a_neighbour_is_told(tmp_path):
    (tmp_path / "a").mkdir()
    job = job_of(write_stl(tmp_path / "a" / "arm.stl", tee()), HELD)
    wall = job_of(write_stl(tmp_path / "wall.stl", box(10, 30, 15)))
    for apart, cut in ((16.0, True), (60.0, False)):
        places = (110.0 - apart / 2, 110.0), (110.0 + apart / 2, 110.0)
        parts = [
            part.model_copy(update={"id": f"p{k}", "copies": (Copy(at=at),)})
            for k, (part, at) in enumerate(zip((job.parts[0], wall.parts[0]), places, strict=True))
        ]
        told = found(slice_again(tmp_path, job.model_copy(update={"parts": tuple(parts)})), "support-cut")
        assert bool(told) == cut
        assert not cut or 10 < told[0]["amount"] < 60
