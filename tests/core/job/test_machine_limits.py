"""What a nozzle can lay bounds a foot's lines only where there is such a foot."""

from __future__ import annotations

import pytest

from even_step.core.errors import SettingError
from even_step.core.job.cascade import resolve
from even_step.core.job.model import Machine
from even_step.core.job.shipped import shipped
from tests.shapes import box, write_stl
from tests.slicing_help import job_of


def with_nozzle(job, settings, **changes):
    """Return the job on a machine that says nothing of feet, with another nozzle."""
    nozzle = job.machine.extruders[0].model_copy(update=changes)
    return job.model_copy(update={"machine": job.machine.model_copy(update={"extruders": (nozzle,)})}).with_settings(
        settings
    )


def test_a_fine_nozzle_that_cannot_lay_a_raft_lays_bare_parts(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box()))
    fine = {"bore": 0.4, "layer_height": (0.05, 0.25)}
    resolve(with_nozzle(job, {}, **fine))
    with pytest.raises(SettingError, match="raft_base_height"):
        resolve(with_nozzle(job, {"foot.kind": "raft"}, **fine))
    resolve(with_nozzle(job, {"foot.kind": "raft", "foot.raft_base_height": 0.2}, **fine))


def test_lines_of_a_raft_are_no_narrower_than_high(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box()), {"foot.line_width": 0.28})
    resolve(job.with_settings({"foot.kind": "brim"}))
    with pytest.raises(SettingError, match="mm high"):
        resolve(job.with_settings({"foot.kind": "raft"}))


@pytest.mark.parametrize("name", list(shipped(Machine)))
@pytest.mark.parametrize("kind", ["brim", "raft"])
def test_each_machine_can_lay_each_foot(tmp_path, name, kind):
    resolve(job_of(write_stl(tmp_path / "part.stl", box()), {"foot.kind": kind}, machine=name))
