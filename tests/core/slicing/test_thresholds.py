"""Walls whose thickness lies just where the number of lines changes, all along."""

from __future__ import annotations

import pytest

from even_step.core.job.shipped import DATA
from tests.slicing_help import job_of, slice_again


@pytest.mark.parametrize(("height", "width"), [(0.3, 0.59), (0.3, 0.6), (0.2, 0.55)])
def test_a_bent_wall_at_a_threshold_is_filled(tmp_path, height, width):
    """The wind cup's wall stays within a hundredth of where three lines become four for many layers."""
    settings = {"layers.height": height, "walls.outer_line_width": width}
    ledger = slice_again(tmp_path, job_of(DATA / "demo" / "wind_cup.stl", settings)).sliced.ledgers[0].rows
    assert (ledger[1:, 2] < 0.015 * ledger[1:, 0]).all()
    assert (ledger[1:, 3] < 0.03 * ledger[1:, 0]).all()
