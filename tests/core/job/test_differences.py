"""What a trial's ticket says that differs."""

from __future__ import annotations

from even_step.core.job.differences import differences
from even_step.core.job.zones import Zone
from tests.shapes import box, write_stl
from tests.slicing_help import job_of


def test_a_trial_names_the_zone_that_was_changed(tmp_path):
    bolt = Zone(id="z1", name="bolt", shape="box", size=(4, 4, 4), settings={"walls.count": 3})
    path = write_stl(tmp_path / "part.stl", box())
    job = job_of(path, {"infill.density": 15})

    def zoned(*zones):
        return job.model_copy(update={"parts": tuple(one.model_copy(update={"zones": zones}) for one in job.parts)})

    changed = bolt.model_copy(update={"settings": {"walls.count": 6, "infill.density": 40.0}})
    moved = bolt.model_copy(update={"middle": (1, 0, 0)})
    other = Zone(id="z2", shape="ball", size=(3, 3, 3))
    assert differences(zoned(bolt), zoned(changed)) == [
        "zone bolt: walls 3 → 6",
        "zone bolt: infill density 15 → 40 %",
    ]
    assert differences(zoned(bolt), zoned(moved)) == ["zone bolt elsewhere"]
    assert differences(zoned(bolt), zoned(bolt, other)) == ["zone z2 new"]
    assert differences(zoned(bolt, other), zoned(bolt)) == ["zone z2 away"]
    assert differences(zoned(bolt, other), zoned(other, bolt)) == ["order of zones"]
