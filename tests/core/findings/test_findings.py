from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.job.model import Copy
from tests.shapes import ball, box, comb, extruded, hollow_box, without, write_stl
from tests.slicing_help import job_of, slice_again

BARE = {"skirt.loops": 0}


def codes(done):
    return [finding["code"] for finding in done.report["findings"]]


def placed(folder, facets, *at, settings=None):
    job = job_of(write_stl(folder / "part.stl", facets), settings or BARE)
    part = job.parts[0].model_copy(update={"copies": tuple(Copy(at=place) for place in at)})
    return slice_again(folder, job.model_copy(update={"parts": (part,)}))


def test_a_sound_part_has_no_findings(sliced):
    assert codes(sliced(box(20, 20, 4))) == []
    assert codes(sliced(hollow_box())) == []


def test_a_part_off_the_bed_is_found_with_place_and_amount(tmp_path):
    done = placed(tmp_path, box(20, 20, 4), (215.0, 100.0))
    finding = done.report["findings"][0]
    assert finding["code"] == "off-bed"
    assert finding["severity"] == "stop"
    assert finding["amount"] == pytest.approx(5, abs=0.01)
    assert finding["at_mm"][0] == pytest.approx(225)
    assert finding["part"] == "part"
    assert finding["remedy"]


def test_the_edge_of_a_round_bed_is_round(sliced):
    # Its corners reach further out than the 120 mm that the bed has.
    done = sliced(box(172, 172, 2), BARE, machine="Rowan 240 round")
    assert codes(done)[0] == "off-bed"
    assert codes(sliced(box(168, 168, 2), BARE, machine="Rowan 240 round")) == []


def test_a_skirt_off_the_bed_is_found(sliced):
    done = sliced(box(216, 100, 2), {"skirt.distance": 10})
    assert codes(done) == ["outside-volume"]
    assert done.report["findings"][0]["part"] == "skirt"
    assert codes(sliced(box(216, 100, 2), BARE)) == []


def test_a_part_taller_than_the_machine_is_found_and_so_is_lift(sliced):
    tall = sliced(box(5, 5, 251), {**BARE, "layers.height": 0.3})
    assert "outside-volume" in codes(tall)
    assert "outside-volume" not in codes(sliced(box(5, 5, 249.9), {**BARE, "layers.height": 0.3}))
    lifted = sliced(box(5, 5, 249.9), {**BARE, "layers.height": 0.3, "travel.lift": 1.0})
    assert "outside-volume" in codes(lifted)


def test_parts_that_run_into_each_other_are_found_once_a_pair(tmp_path):
    done = placed(tmp_path, box(20, 20, 4), (50.0, 50.0), (60.0, 50.0), (120.0, 50.0))
    assert codes(done) == ["parts-touch"]
    assert done.report["findings"][0]["amount"] == pytest.approx(200, rel=0.01)
    assert 50 <= done.report["findings"][0]["at_mm"][0] <= 60


def test_parts_whose_boxes_overlap_but_not_they_themselves_are_no_finding(tmp_path):
    done = placed(tmp_path, ball(10, 4), (50.0, 50.0), (65.0, 65.0))
    assert "parts-touch" not in codes(done)


def test_parts_that_meet_only_higher_up_are_found(tmp_path):
    mushroom = np.concatenate((box(6, 6, 10), box(20, 20, 3, (0, 0, 9.9))))
    done = placed(tmp_path, mushroom, (50.0, 50.0), (66.0, 50.0))
    finding = next(one for one in done.report["findings"] if one["code"] == "parts-touch")
    assert finding["z_mm"] > 9


def test_a_torn_mesh_is_found_with_the_width_of_its_gap(sliced):
    facets = box()
    torn = facets[~((facets[:, :, 0] > 9.9).all(axis=1))]
    done = sliced(torn, BARE)
    finding = next(one for one in done.report["findings"] if one["code"] == "open-mesh")
    assert finding["severity"] == "warn"
    assert finding["amount"] == pytest.approx(20, abs=0.1)
    assert "100 layers" in finding["message"]


def test_pricks_narrower_than_the_closing_gap_are_no_finding(sliced):
    assert "open-mesh" not in codes(sliced(without(ball(10, 5), 0.01), BARE))


def test_what_is_too_thin_is_found_with_its_thickness(sliced):
    done = sliced(box(30, 0.2, 4), BARE)
    stop, finding = done.report["findings"]
    assert (stop["code"], stop["severity"]) == ("not-printed", "stop")
    assert finding["code"] == "too-thin"
    assert finding["amount"] == pytest.approx(0.2, abs=0.05)
    assert done.report["volume_by_role_mm3"] == {}


def test_what_is_too_thin_is_laid_on_wish_and_noted(sliced):
    done = sliced(box(30, 0.2, 4), {**BARE, "walls.lone_line": True})
    assert [(one["code"], one["severity"]) for one in done.report["findings"]] == [
        ("layer-quick", "warn"),
        ("too-thin", "note"),
    ]
    assert done.report["volume_by_role_mm3"]["outer-wall"] == pytest.approx(30 * 4 * 0.24, rel=0.2)


def test_a_thin_fin_on_a_sound_part_is_found(sliced):
    facets = np.concatenate((box(20, 20, 4), box(0.2, 10, 4, (0, 14.9, 0))))
    finding = sliced(facets, BARE).report["findings"][0]
    assert finding["code"] == "too-thin"
    assert finding["at_mm"][1] > 115


def test_teeth_as_thick_as_two_lines_are_not_too_thin(sliced):
    assert "too-thin" not in codes(sliced(comb(thick=0.95), BARE))


def test_sharp_corners_are_not_too_thin(sliced):
    star = shapely.Polygon([(0, 0), (20, 6), (0, 12), (6, 6)])
    assert "too-thin" not in codes(sliced(extruded(star, 2), BARE))


def test_an_island_in_the_air_is_found_where_it_begins(sliced):
    table = np.concatenate((box(5, 5, 10), box(5, 5, 3, (20, 0, 7)), box(25, 5, 1, (10, 0, 9.9))))
    done = sliced(table, BARE)
    finding = next(one for one in done.report["findings"] if one["code"] == "floating")
    assert finding["layer"] == 35
    assert finding["amount"] == pytest.approx(25, rel=0.01)


def test_an_overhang_that_touches_what_is_below_does_not_float(sliced):
    assert "floating" not in codes(sliced(np.concatenate((box(5, 5, 10), box(20, 20, 2, (0, 0, 9.9)))), BARE))


def test_a_height_that_cannot_be_met_is_told(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(10, 10, 5.1)), {**BARE, "layers.least": 0.2, "layers.most": 0.2})
    done = slice_again(tmp_path, job)
    assert codes(done) == ["height-rounded"]
    assert done.report["findings"][0]["severity"] == "note"
    assert abs(done.report["findings"][0]["amount"]) == pytest.approx(0.1, abs=0.01)


def test_the_gravest_findings_come_first(tmp_path):
    facets = np.concatenate((box(20, 20, 4), box(0.2, 10, 4, (0, 14.9, 0))))
    done = placed(tmp_path, facets, (5.0, 100.0))
    assert codes(done)[0] == "off-bed"
    assert codes(done)[-1] == "too-thin"


def test_hanging_and_resting_area_are_those_of_the_shape(sliced):
    mushroom = np.concatenate((box(10, 10, 10), box(20, 20, 2, (0, 0, 9.99))))
    report = sliced(mushroom, BARE).report
    assert report["contact_area_mm2"] == pytest.approx(100, rel=0.01)
    assert report["unsupported_area_mm2"] == pytest.approx(300)  # without what of the plate's floor lies on the stem


def test_voids_between_lines_are_told_with_their_layer_and_place(sliced):
    """Wide lines lie no closer together in a narrow band that no whole number of them fills."""
    done = sliced(box(30, 30, 3), {**BARE, "top.pattern": "hilbert", "top.line_width": 0.7, "walls.count": 1})
    voids = [one for one in done.report["findings"] if one["code"] == "void"]
    assert len(voids) == 1
    assert voids[0]["layer"] == 14
    assert voids[0]["amount"] == pytest.approx(done.report["ledger"]["layers"][14]["void_mm2"], abs=0.01)
    assert 95 < voids[0]["at_mm"][0] < 125


def test_what_is_too_thin_is_not_told_as_a_void_again(sliced):
    assert codes(sliced(box(30, 0.2, 4), BARE)) == ["not-printed", "too-thin"]
