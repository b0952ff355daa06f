"""The ledger holds what is laid: bridges as strands, flow counted, regions exact."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.plane import region
from even_step.core.slicing.ledger import _covered_twice
from tests.shapes import box, comb
from tests.slicing_help import slice_it

BARE = {"skirt.loops": 0}
GATE = np.concatenate((box(4, 10, 10, (-9, 0, 0)), box(4, 10, 10, (9, 0, 0)), box(22, 10, 2, (0, 0, 9.98))))


@pytest.mark.parametrize("more", [{}, {"flow.amount": 90}, {"flow.first_layer": 120}, {"bridges.flow": 80}])
def test_plastic_times_height_is_the_volume_laid(tmp_path, more):
    report = slice_it(tmp_path, GATE, {**BARE, **more}).report
    plastic = np.array([row["plastic_mm2"] for row in report["ledger"]["layers"]])
    volume = (plastic * report["layers"]["height_mm"]).sum()
    assert volume == pytest.approx(sum(report["volume_by_role_mm3"].values()), rel=1e-3)
    assert "bridge" in report["volume_by_role_mm3"]


def test_a_bridge_is_no_overlap(tmp_path):
    report = slice_it(tmp_path, GATE, BARE).report
    for row in report["ledger"]["layers"]:
        assert row["overlap_mm2"] < 0.02 * row["region_mm2"]


def test_regions_are_exact(tmp_path):
    done = slice_it(tmp_path, comb(teeth=12, thick=0.5, gap=0.6), BARE)
    solid = done.sliced.solids[0]
    exact = region.area(solid.outlines.outline)[solid.outlines.which]
    told = [row["region_mm2"] for row in done.report["ledger"]["layers"]]
    assert told == pytest.approx(exact.tolist(), rel=1e-9)


@pytest.mark.parametrize("cuts", [(), (2,), (1, 3), (1, 2, 3)])
def test_a_line_that_turns_and_goes_on_in_another_width_does_not_lie_on_itself(cuts):
    """A square of four segments, closed, in one path or in several; then one beside it that crosses a side."""
    square = np.array([(0.0, 0.0), (10.0, 0.0), (10.0, 10.0), (0.0, 10.0), (0.0, 0.0)])
    runs = [square[a : b + 1] for a, b in zip((0, *cuts), (*cuts, 4), strict=True)]
    pitch = 0.01

    def twice(paths):
        start = np.cumsum([0, *(len(path) for path in paths)])
        width = 0.4 + 0.01 * np.arange(len(paths))
        return _covered_twice(np.concatenate(paths), start, width, -1.0 + pitch / 3, pitch, 1200).sum() * pitch

    assert twice(runs) == pytest.approx(0.0, abs=1e-9)
    crossed = twice([*runs, np.array([(4.0, -0.5), (4.0, 0.5)])])
    assert crossed == pytest.approx(0.4 * (0.4 + 0.01 * len(runs)), abs=0.006)
