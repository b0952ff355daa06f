from __future__ import annotations

import pytest

from even_step.core.errors import JobError
from even_step.core.slicing.heights import HeightSettings, fixed_heights
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again


def heights(tall, height=0.2, first=0.2, least=0.05, most=0.32, own=(0.0, 0.0)):
    return fixed_heights(tall, HeightSettings(height, first, *own, least, most))


def test_a_whole_number_of_layers_is_equal():
    done = heights(20.0)
    assert len(done.top) == 100
    assert done.thick == pytest.approx(0.2)


@pytest.mark.parametrize("tallest", [20.03, 20.1, 20.19, 5.07, 0.47, 0.31, 1.0])
@pytest.mark.parametrize("first", [0.1, 0.2, 0.3])
def test_heights_sum_up_and_keep_the_limits(tallest, first):
    done = heights(tallest, first=first)
    assert done.top[-1] == pytest.approx(tallest, abs=0.026)
    assert done.thick.sum() == pytest.approx(done.top[-1])
    assert done.thick.min() >= 0.05 - 1e-9
    assert done.thick.max() <= 0.32 + 1e-9
    assert done.cuts == pytest.approx(done.top - done.thick / 2)


def test_what_remains_is_spread_over_the_last_few():
    done = heights(20.1)
    assert len(done.top) == 101
    assert done.thick[:-5] == pytest.approx(0.2)
    assert done.thick[-5:] == pytest.approx(0.18)


def test_a_layer_no_thinner_than_the_machine_can_lay():
    done = heights(10.01, height=0.05, first=0.05)
    assert done.thick.min() >= 0.05 - 1e-9
    assert done.top[-1] == pytest.approx(10.01)


def test_a_part_thinner_than_the_least_height_becomes_one_layer():
    assert heights(0.02).top.tolist() == [0.05]
    assert heights(0.15).top.tolist() == [0.15]


def test_too_many_layers_are_refused():
    with pytest.raises(JobError, match="100000 layers"):
        heights(3000.0, height=0.02, first=0.02, least=0.01)


def test_own_limits_lie_within_the_nozzles():
    assert heights(10.0, own=(0.0, 0.12)).thick.max() == pytest.approx(0.2)  # the first, which is as it is asked for
    assert heights(10.0, own=(0.0, 0.12)).thick[1:].max() <= 0.12 + 1e-9
    assert heights(10.06, own=(0.18, 0.0)).thick.min() >= 0.18 - 1e-9
    assert heights(10.0, height=0.1, own=(0.15, 0.0)).thick[1:].min() >= 0.15 - 1e-9
    assert heights(10.0, height=0.3, own=(0.0, 0.5)).thick.max() <= 0.32 + 1e-9


@pytest.mark.parametrize("tall", [0.02, 0.05, 0.09, 0.15])
def test_a_part_thinner_than_half_a_layer_is_laid_and_told(sliced, tall):
    done = sliced(box(20, 20, tall), {"skirt.loops": 0})
    assert done.report["layers"]["count"] == 1
    assert done.report["ledger"]["region_mm2"] == pytest.approx(400, rel=0.01)
    told = [finding["code"] for finding in done.report["findings"]]
    assert told == (["height-rounded"] if tall < 0.04 else [])


def test_a_thin_part_beside_a_tall_one_is_laid(tmp_path):
    job = job_of(write_stl(tmp_path / "tall.stl", box(10, 10, 5)), {"skirt.loops": 0})
    thin = job_of(write_stl(tmp_path / "thin.stl", box(10, 10, 0.05)))
    done = slice_again(tmp_path, job.model_copy(update={"parts": job.parts + thin.parts}))
    assert done.report["ledger"]["layers"][0]["region_mm2"] == pytest.approx(100, rel=0.01)
    assert done.report["layers"]["z_mm"][:2] == [0.05, 0.2]
    assert done.report["findings"] == []
