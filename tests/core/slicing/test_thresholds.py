"""Walls whose thickness lies just where the number of lines changes, all along."""

from __future__ import annotations

import pytest
import shapely

from even_step.core.job.shipped import DATA
from tests.narrow_help import drawn, laid
from tests.slicing_help import job_of, slice_again


@pytest.mark.parametrize(("height", "width"), [(0.3, 0.59), (0.3, 0.6), (0.2, 0.55)])
def test_a_bent_wall_at_a_threshold_is_filled(tmp_path, height, width):
    """The wind cup's wall stays within a hundredth of where three lines become four for many layers."""
    settings = {"layers.height": height, "walls.outer_line_width": width}
    ledger = slice_again(tmp_path, job_of(DATA / "demo" / "wind_cup.stl", settings)).sliced.ledgers[0].rows
    assert (ledger[1:, 2] < 0.015 * ledger[1:, 0]).all()
    assert (ledger[1:, 3] < 0.03 * ledger[1:, 0]).all()


def test_a_room_beside_a_spike_keeps_its_inside():
    """The room is 2 mm square and leaves 1.1 mm inside of one wall, which is more than a line can fill."""
    spike = [(-0.495, 2), (-0.768, 1.768), (-0.933, 1.586), (-1.205, 1.178), (-1.392, 0.726), (-1.488, 0.245)]
    plan = shapely.MultiPolygon([shapely.Polygon([(-3.5, 0), (-3.5, 2), *spike, (-1.5, 0)])])
    made = laid(plan, 1)
    assert made.inner[0].area > 1.0
    left = shapely.union_all([*drawn(made), made.inner[0].buffer(0.05), made.lost[0].buffer(0.05)])
    assert plan.difference(left).area < 0.08


def test_a_scrap_that_no_line_fits_into_is_told():
    """Hardly anywhere as thick as the narrowest line, and bent: its middle forks all over."""
    scrap = shapely.Polygon([(3.187, 8.494), (3.356, 8.096), (2.988, 8.202), (2.601, 8.245)])
    beside = shapely.box(10, 0, 20, 10)
    made = laid(shapely.MultiPolygon([scrap, beside]), 1)
    told = made.lost[0]
    assert scrap.difference(told.buffer(0.05)).area < 0.01
    assert not told.intersects(beside)
