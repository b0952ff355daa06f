from __future__ import annotations

import numpy as np

from even_step.core.coloured import channels
from even_step.core.job.zones import Zone
from even_step.core.toolpath.roles import INFILL
from even_step.core.zone_of_lines import zones_of_paths
from tests import shapes
from tests.slicing_help import job_of, slice_again, slice_it


def test_lines_are_of_the_zone_their_middle_lies_in_the_later_one_first(tmp_path):
    """Two boxes that overlap, in two copies of a part; dense infill ends at their borders."""
    zones = (
        Zone(name="a", shape="box", middle=(0, 0, 5), size=(20, 40, 12), settings={"infill.density": 60.0}),
        Zone(name="b", shape="box", middle=(10, 0, 5), size=(10, 40, 12), settings={"infill.density": 100.0}),
    )
    plain = {"infill.density": 20.0, "skirt.loops": 0}
    job = job_of(shapes.write_stl(tmp_path / "part.stl", shapes.box(40, 40, 10)), plain, copies=2)
    job = job.model_copy(update={"parts": tuple(one.model_copy(update={"zones": zones}) for one in job.parts)})
    done = slice_again(tmp_path, job)
    tool = done.sliced.toolpath
    zone = zones_of_paths(done.sliced)
    assert set(np.unique(zone)) == {-1, 0, 1}
    x0 = np.array([placed.at[0] for placed in done.sliced.placed])[tool.part]
    first, last = tool.start[:-1], tool.start[1:] - 1
    along = 0.5 * (tool.xy[first, 0] + tool.xy[last, 0]) - x0
    infill = (tool.role == INFILL) & (last - first == 1)
    assert infill.sum() > 100
    meant = np.where((along > 5) & (along < 15), 1, np.where((along > -10) & (along < 10), 0, -1))
    clear = infill & (np.abs(np.abs(along) - 10) > 0.3) & (np.abs(along - 5) > 0.3) & (np.abs(along - 15) > 0.3)
    assert (zone[clear] == meant[clear]).mean() > 0.995
    assert (channels(done.sliced)["zone"] == zone).all()


def test_without_zones_no_line_is_of_one(tmp_path):
    done = slice_it(tmp_path, shapes.box(10, 10, 2))
    assert (zones_of_paths(done.sliced) == -1).all()
