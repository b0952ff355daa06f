"""A part on little ground is told, with a brim as the remedy that can be applied."""

from __future__ import annotations

from even_step.core.job import edits
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_part


def small(done):
    return [finding for finding in done.report["findings"] if finding["code"] == "foot-small"]


def test_the_remedy_mends_what_is_told(tmp_path):
    job = job_of(write_stl(tmp_path / "mast.stl", box(4, 4, 60)), {"skirt.loops": 0})
    (found,) = small(slice_again(tmp_path, job))
    assert found["part_id"] == job.parts[0].id
    assert found["copy_id"] == job.parts[0].copies[0].id
    assert found["fix"]["title"] == "Give mast a brim"
    for key, value in found["fix"]["settings"].items():
        job = edits.with_setting_of_parts(job, [nth_part(job)], key, value)
    again = slice_again(tmp_path, job)
    assert small(again) == []
    assert again.report["volume_by_role_mm3"]["brim"] > 0
