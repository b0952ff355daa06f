"""Zones within which what hangs is held in any case, or kept clear."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.errors import SettingError
from even_step.core.slicing.supports.by_zone import cut_where
from tests.core.slicing.zone_help import block, zone, zoned
from tests.slicing_help import laid, plain_moves, slice_again

SHEET = {"supports.kind": "sheet", "skirt.loops": 0}


def table():
    """A plate of 50 × 30 mm, 2 mm thick, on a stem in its middle, 8 mm above the bed."""
    return np.concatenate((block(10, 10, 8) + (20, 10, 0), block(50, 30, 2) + (0, 0, 7.99)))


def supports(done):
    """What supports are laid, in the part's frame."""
    lines = [
        (move.start[:2] - (85, 95), move.end[:2] - (85, 95))
        for move in laid(plain_moves(done.gcode))
        if move.role in ("support", "support-contact")
    ]
    return shapely.multilinestrings(shapely.linestrings(np.array(lines).reshape(-1, 2, 2)))


def test_nothing_is_held_where_a_zone_keeps_it_clear(tmp_path):
    left = zone((5, 15, 8), (10, 40, 4), {"supports.here": "keep-clear"}, name="left")
    plain = supports(slice_again(tmp_path, zoned(tmp_path, table(), [], SHEET)))
    done = slice_again(tmp_path, zoned(tmp_path, table(), [left], SHEET))
    lines = supports(done)
    inside, outside = shapely.box(-2, -2, 8.5, 32), shapely.box(12, -2, 52, 32)
    assert plain.intersection(inside).length > 300
    assert lines.intersection(inside).length < 0.02 * plain.intersection(inside).length
    assert lines.intersection(outside).length == pytest.approx(plain.intersection(outside).length, rel=0.03)
    told = done.report["parts"][0]["supports"]
    assert told["kept_clear_mm2"] == pytest.approx(10 * 30, rel=0.06)
    assert told["unheld_mm2"] < 20.0


def test_what_does_not_hang_is_held_where_a_zone_asks_for_it(tmp_path):
    """A wedge whose underside leans by 30° from the vertical: no limit asks for supports."""
    corners = np.array([(0, 0), (10, 0), (22, 20), (0, 20)], float)
    wedge = _extruded_upright(corners, 20.0)
    held = zone((16, 10, 10), (12, 8, 30), {"supports.here": "hold"})
    plain = slice_again(tmp_path, zoned(tmp_path, wedge, [], SHEET))
    assert plain.sliced.solids[0].supports.are_none
    done = slice_again(tmp_path, zoned(tmp_path, wedge, [held], SHEET))
    facets = done.sliced.solids[0].under
    assert facets.marked.hold.any()
    y = facets.facets.corners[facets.marked.hold][:, :, 1]
    assert y.min() > -4.5
    assert y.max() < 4.5
    assert not done.sliced.solids[0].supports.are_none


def _extruded_upright(corners, deep):
    """A prism over a polygon in x and z, from y 0 to ``deep``."""
    n = len(corners)
    front, back = (np.column_stack((corners[:, 0], np.full(n, y), corners[:, 1])) for y in (0.0, deep))
    facets = [(front[0], front[i], front[i + 1]) for i in range(1, n - 1)]
    facets += [(back[0], back[i + 1], back[i]) for i in range(1, n - 1)]
    for i in range(n):
        j = (i + 1) % n
        facets += [(front[j], front[i], back[i]), (front[j], back[i], back[j])]
    return np.array(facets)


def test_nothing_stands_on_the_part_where_a_zone_keeps_clear(tmp_path):
    """A roof over a slab: its columns stand on the slab, but not in the zone."""
    facets = np.concatenate((block(40, 20, 4), block(6, 20, 8) + (0, 0, 3.99), block(40, 20, 2) + (0, 0, 11.98)))
    bare = zone((29, 10, 4), (20, 30, 3), {"supports.here": "keep-clear"})
    free, done = (
        slice_again(tmp_path, zoned(tmp_path, facets, zones, SHEET)).sliced.solids[0].removal.stands
        for zones in ([], [bare])
    )
    assert free > 2.0
    assert done < 0.75 * free


def test_a_later_zone_wins_and_the_whole_job_has_no_such_setting(tmp_path):
    clear = zone((25, 15, 8), (60, 40, 4), {"supports.here": "keep-clear"})
    again = zone((5, 15, 8), (10, 40, 4), {"supports.here": "hold"})
    done = slice_again(tmp_path, zoned(tmp_path, table(), [clear, again], SHEET))
    told = done.report["parts"][0]["supports"]
    assert told["kept_clear_mm2"] == pytest.approx(50 * 30 - 100 - 300, rel=0.05)
    with pytest.raises(SettingError, match=r"zone|job"):
        done.sliced.job.with_settings({"supports.here": "hold"})


def test_pieces_make_up_what_was_cut():
    corners = np.array([[[0, 0, 0], [20, 0, 0], [0, 20, 0]]], float)
    pieces, owner, inside = cut_where(corners, lambda points: np.hypot(*(points[:, :2] - 6).T) < 4, 0.3, 2.0)
    area = np.linalg.norm(np.cross(pieces[:, 1] - pieces[:, 0], pieces[:, 2] - pieces[:, 0]), axis=1) / 2
    assert area.sum() == pytest.approx(200)
    assert (owner == 0).all()
    assert area[inside].sum() == pytest.approx(np.pi * 16, rel=0.02)
