"""Zones: walls and covers that differ within shapes over a part."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.stages import StageCache
from tests import shapes
from tests.core.slicing.zone_help import OPEN, block, infill_of, lines_of, zone, zoned
from tests.slicing_help import laid, plain_moves, slice_again

SIZE, WIDE = (60.0, 50.0, 2.0), 0.45
PLAIN = OPEN | {"walls.count": 2}
WALLS = ("outer-wall", "inner-wall")


def right_half(settings):
    return zone((45, 25, 1), (30, 80, 9), settings)


def outer_walls(done):
    """How many runs of outer wall each layer has, as the toolpath has them."""
    path = done.sliced.toolpath
    return np.bincount(path.layer_of_path()[path.role == 0], minlength=path.layers)


def same_lines(one, other, where):
    for layer, lines in one.items():
        before, after = shapely.intersection(lines, where), shapely.intersection(other[layer], where)
        assert before.length == pytest.approx(after.length, abs=0.02)
        assert shapely.difference(after, before.buffer(0.003)).length < 0.02


def test_more_walls_lie_within_the_zone_alone(tmp_path):
    without = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [], PLAIN))
    plain = lines_of(without, SIZE, *WALLS)
    done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half({"walls.count": 6})], PLAIN))
    walls = lines_of(done, SIZE, *WALLS)
    same_lines(plain, walls, shapely.box(0, 0, 30 - WIDE, 50))
    for y, count in ((15.0, 2), (45.0, 6)):  # rows across, away from and in the zone
        row = shapely.LineString([(y, 0), (y, 25)])
        assert len(shapely.get_parts(shapely.intersection(walls[4], row))) == count
    ledgers = [one.sliced.ledgers[0].rows.sum(axis=0) for one in (without, done)]
    assert ledgers[1][2] < ledgers[0][2] + 0.2 * len(walls)  # void
    assert ledgers[1][3] < ledgers[0][3] + 0.6 * len(walls)  # overlap: the ends of eight lines and of the infill
    assert ledgers[1][4] < 0.05  # outside


def test_the_outer_wall_runs_on_where_only_those_behind_it_differ(tmp_path):
    for changed, runs in (({"walls.count": 6}, 1), ({"walls.line_width": 0.6}, 1), ({"walls.count": 0}, 1)):
        done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half(changed)], PLAIN))
        assert (outer_walls(done) == runs).all()
        path = done.sliced.toolpath
        whole = path.closed()[path.role == 0]
        assert whole.all() == bool(changed.get("walls.count", 1))


def test_without_walls_infill_reaches_the_contour_and_not_past_it(tmp_path):
    done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half({"walls.count": 0})], PLAIN))
    assert lines_of(done, SIZE, *WALLS)[3].bounds[2] == pytest.approx(30.0, abs=0.01)
    infill = infill_of(done, SIZE)
    assert max(lines.bounds[2] for lines in infill.values()) == pytest.approx(SIZE[0] - WIDE / 2, abs=0.02)
    assert done.sliced.ledgers[0].rows[:, 4].sum() < 0.02
    for width in (0.4, 0.6):
        plain = OPEN | {"walls.count": 0, "infill.line_width": width}
        done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [], plain))
        top = max(lines.bounds[3] for lines in infill_of(done, SIZE).values())
        assert top == pytest.approx(SIZE[1] - width / 2, abs=0.03)


def test_covers_differ_by_zone(tmp_path):
    size = (60.0, 50.0, 4.0)
    closed = PLAIN | {"top.layers": 4, "bottom.layers": 3, "infill.density": 20}
    bare = right_half({"top.layers": 0, "bottom.layers": 1})
    done = slice_again(tmp_path, zoned(tmp_path, block(*size), [bare], closed))
    full = lines_of(done, size, "top", "solid", "bottom")
    right = shapely.box(30.1, 0, 60, 50)
    assert {layer for layer, lines in full.items() if shapely.intersection(lines, right).length > 1} == {0}
    assert set(full) == {0, 1, 2, 16, 17, 18, 19}
    infill = infill_of(done, size)
    assert shapely.intersection(infill[19], right).length > 100
    left = shapely.box(0, 0, 30 - WIDE, 50)
    without = lines_of(slice_again(tmp_path, zoned(tmp_path, block(*size), [], closed)), size, "top", "solid", "bottom")
    same_lines(without, full, left)
    void = done.sliced.ledgers[0].rows[:, 2]
    assert void.max() < 0.01 * size[0] * size[1]


def test_ornament_discs_one_layer_thick_at_both_ends_of_a_drum(tmp_path):
    drum = shapes.extruded(shapely.Point(20, 20).buffer(20, quad_segs=32), 5.0)
    at = (20, 20, 2.5)
    comb = {"top.pattern": "honeycomb", "bottom.pattern": "honeycomb", "top.line_width": 0.6, "bottom.line_width": 0.6}
    discs = [zone(at, (24, 24, 0.2), comb, "cylinder", snap=end) for end in ("first", "last")]
    roles = ("top", "bottom", "solid", "infill")
    plain = lines_of(slice_again(tmp_path, zoned(tmp_path, drum, [], {})), (40, 40), *roles)
    done = slice_again(tmp_path, zoned(tmp_path, drum, discs, {}))
    lines = lines_of(done, (40, 40), *roles)
    assert [layer for layer in range(25) if lines[layer].length != plain[layer].length] == [0, 24]
    widths = {(m.layer, m.role, m.width) for m in laid(plain_moves(done.gcode)) if m.role in ("top", "bottom")}
    assert {(0, "bottom", 0.6), (24, "top", 0.6), (0, "bottom", 0.45), (24, "top", 0.45)} <= widths


def test_no_stray_solid_where_a_zone_allows_none(tmp_path):
    """Studs so slim that their inside is less than the least area are laid solid, but not where that is 0."""
    studs = shapely.union_all([shapely.box(x, y, x + 1.2, y + 1.2) for x in range(0, 40, 4) for y in (0, 4)])
    plan = studs.union(shapely.box(0, 10, 40, 30))
    found = []
    for area in (1.0, 0.0):
        bare = zone((10, 15, 1), (20, 80, 10), {"walls.count": 0, "top.least_area": area})
        job = zoned(tmp_path, shapes.extruded(plan, 2.0), [bare], OPEN | {"walls.count": 1, "infill.density": 30})
        done = slice_again(tmp_path, job)
        found.append([lines_of(done, (40, 30), role).get(5) for role in ("solid", "infill")])
    assert found[0][0].length > 2.0
    assert found[0][0].bounds[2] < 20.0
    assert found[1][0] is None
    assert found[1][1].length >= found[0][1].length


def test_what_a_zone_changes_is_made_anew_and_nothing_before_it(tmp_path):
    cache = StageCache()
    few, more, tops = ({"walls.count": 3}, {"walls.count": 5}, {"walls.count": 5, "top.layers": 2})
    slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half(few)], PLAIN), cache=cache)
    again = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half(more)], PLAIN), cache=cache)
    assert not {"contours", "regions", "zones"} & again.run.made
    again = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [right_half(tops)], PLAIN), cache=cache)
    assert not {"contours", "regions", "zones", "walls"} & again.run.made


def test_two_threads_lay_the_same_bytes(tmp_path):
    ring = shapes.extruded(shapely.Point(20, 20).buffer(20).difference(shapely.Point(20, 20).buffer(18.6)), 3.0)
    zones = [
        zone((30, 20, 1), (30, 60, 9), {"walls.count": 1}),
        zone((20, 32, 1), (25, 25, 9), {"walls.vary_width": False, "top.pattern": "concentric"}, "ball"),
    ]
    job = zoned(tmp_path, np.concatenate((ring, block(12, 12, 3) + (14, 14, 0))), zones, {})
    one, two = (slice_again(tmp_path, job, threads=n).gcode.read_bytes() for n in (1, 2))
    assert one == two


@st.composite
def random_zones(draw):
    some = []
    for _ in range(draw(st.integers(1, 3))):
        at = (draw(st.integers(0, 30)), draw(st.integers(0, 30)), 1.0)
        size = (draw(st.integers(2, 40)), draw(st.integers(2, 40)), 9.0)
        changed = {
            "walls.count": draw(st.integers(1, 6)),
            "top.layers": draw(st.integers(0, 3)),
            "infill.density": draw(st.sampled_from((10, 40, 100))),
        }
        some.append(zone(at, size, changed, draw(st.sampled_from(("box", "cylinder")))))
    return some


@settings(max_examples=30, deadline=None, derandomize=True)
@given(random_zones())
def test_no_gap_and_no_double_wall_along_borders(tmp_path_factory, zones):
    folder = tmp_path_factory.mktemp("zones")
    plan = shapely.Point(15, 15).buffer(14).difference(shapely.box(9, 14, 22, 15.3))
    plain, done = (
        slice_again(folder, zoned(folder, shapes.extruded(plan, 1.0), some, {"top.layers": 2})) for some in ([], zones)
    )
    before, after = (one.sliced.ledgers[0].rows for one in (plain, done))
    border = sum(2 * (one.size[0] + one.size[1]) for one in zones)
    assert (after[:, 2] - before[:, 2] < 0.01 * plan.area + 0.03 * border).all()
    assert (after[:, 3] - before[:, 3] < 0.02 * plan.area + 0.12 * border).all()
    assert (after[:, 4] < 0.0002 * plan.area).all()


def test_cut_inner_walls_are_as_high_as_those_they_were_cut_from(tmp_path):
    """Inner walls laid once for two layers: two more of them in a half are laid so, too."""
    thick = {"layers.height": 0.1, "layers.first_height": 0.1, "walls.layers_at_once": 2, "walls.count": 3}
    held = []
    for zones in ([], [right_half({"walls.count": 5})]):
        done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), zones, OPEN | thick | {"infill.density": 0.0}))
        path = done.sliced.toolpath
        inner = (path.part == 0) & (path.role == 1)
        high = np.round(path.height[inner].astype(float), 3)
        held.append((done.sliced.plan.volume[inner].sum(), float((high == 0.2).mean())))
    assert held[0][1] == held[1][1] > 0.5
    assert held[1][0] - held[0][0] == pytest.approx(held[0][0] / 2, rel=0.06)
