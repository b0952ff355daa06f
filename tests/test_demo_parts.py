"""Every demo part goes all the way, and what is measured three ways agrees."""

from __future__ import annotations

import pytest

from even_step.core.job.shipped import DATA
from even_step.core.motion.check import check_gcode
from tests.plain_time import simulate
from tests.slicing_help import job_of, plain_moves, slice_again

PARTS = sorted(path for path in (DATA / "demo").iterdir() if path.suffix in {".stl", ".step", ".3mf"})
#: What may be found, and nothing else: horns that droop and sway, fins that sway, a tip and a ridge that run out
#: to nothing, lips and rims that wait for supports.
EXPECTED = {
    "finial": {"floating", "part-slim", "overhang-unheld", "too-thin", "layer-quick", "void"},
    "ridge_cap_inches": {"too-thin", "void", "overhang-unheld"},
    "louvre_ring": {"floating", "overhang-unheld"},
    "mast_bracket": {"too-thin", "overhang-unheld"},
    "rain_funnel": {"foot-small"},
    "sensor_case": {"overhang-unheld"},
    "torn_knob": {"open-mesh", "too-thin"},
    "vane_comb": {"part-slim"},
    "wind_cup": {"overhang-unheld"},
}


@pytest.mark.parametrize("path", PARTS, ids=lambda path: path.stem)
def test_a_demo_part_slices_and_its_figures_agree(tmp_path, path):
    job = job_of(path, recipe="Quick")
    if path.stem.endswith("_inches"):
        job = job.model_copy(update={"parts": (job.parts[0].model_copy(update={"unit": "inch"}),)})
    done = slice_again(tmp_path, job, threads=2)
    report, checked = done.report, check_gcode(done.gcode)
    found = {finding["code"] for finding in report["findings"]}
    assert found <= EXPECTED.get(path.stem, set()) | {"height-rounded"}
    assert "stop" not in {finding["severity"] for finding in report["findings"]}
    assert checked.time_s == pytest.approx(report["time_s"], rel=0.01)
    assert sum(checked.volume_by_role_mm3.values()) == pytest.approx(
        sum(report["volume_by_role_mm3"].values()), rel=1e-3
    )
    motion = done.sliced.job.machine.motion
    plain = simulate(plain_moves(done.gcode), motion.speed, motion.acceleration, motion.junction_deviation)
    assert report["time_s"] == pytest.approx(plain, rel=0.03)
    row = report["ledger"]
    assert 0 <= row["void_mm2"] <= row["region_mm2"]
    assert row["outside_mm2"] < 0.02 * row["region_mm2"] + 1
    assert row["plastic_mm2"] > 0


def test_layers_hold_about_the_parts_volume(tmp_path):
    for stem in ("bearing_hub", "vane_comb", "wind_cup"):
        (path,) = [one for one in PARTS if one.stem == stem]
        done = slice_again(tmp_path, job_of(path, {"layers.height": 0.1, "layers.first_height": 0.1}))
        region = sum(row["region_mm2"] for row in done.report["ledger"]["layers"]) * 0.1
        assert region == pytest.approx(done.report["parts"][0]["volume_mm3"], rel=0.01)
