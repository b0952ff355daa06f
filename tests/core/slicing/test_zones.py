"""Zones: infill that differs within shapes over a part."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.errors import JobError, SettingError
from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from even_step.core.job.zones import Zone
from even_step.core.mesh.measure import measure
from even_step.core.mesh.shells import mend
from even_step.core.mesh.solids import ball, box, cylinder
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.zones import Footprints, cells, snapped
from even_step.core.stages import StageCache
from tests.assembly import assembly
from tests.core.slicing.zone_help import OPEN, block, infill_of, lines_of, zone, zoned
from tests.slicing_help import job_of, laid, plain_moves, slice_again

HEIGHT, WIDE = 0.2, 0.45
SECTION = HEIGHT * (WIDE - HEIGHT) + np.pi * HEIGHT**2 / 4


def plastic_in(lines, field):
    return sum(shapely.length(shapely.clip_by_rect(many, *field.bounds)) for many in lines.values()) * SECTION


@pytest.mark.parametrize("pattern", ["lines", "grid", "gyroid"])
def test_five_fields_hold_what_each_is_to_hold(tmp_path, pattern):
    size, densities = (120.0, 60.0, 1.6), (0.0, 15.0, 30.0, 60.0, 100.0)
    middles = [(20.0 + 20 * i, 30.0, 0.8) for i in range(5)]
    zones = [zone(at, (18, 80, 10), {"infill.density": share}) for at, share in zip(middles, densities, strict=True)]
    job = zoned(tmp_path, block(*size), zones, OPEN | {"infill.density": 0.0, "infill.pattern": pattern})
    done = slice_again(tmp_path, job)
    lines = infill_of(done, size)
    room = 60.0 - 2 * (WIDE + WIDE - HEIGHT * (1 - np.pi / 4) / 1 - HEIGHT * (1 - np.pi / 4) / 2)
    for (x, _, _), share in zip(middles, densities, strict=True):
        held = plastic_in(lines, shapely.box(x - 9, 0, x + 9, 60))
        assert held == pytest.approx(share / 100 * 18 * room * size[2], rel=0.03, abs=0.01)
    assert sum(plastic_in(lines, shapely.box(x, 0, x + 1.9, 60)) for x in (29.05, 49.05, 69.05, 89.05)) < 0.01
    for told, share in zip(done.report["parts"][0]["zones"], densities, strict=True):
        assert told["volume_mm3"] == pytest.approx(18 * 60 * 1.6)
        assert told["infill_density"] == pytest.approx(share, rel=0.03)
        assert told["mass_g"] == pytest.approx(told["plastic_mm3"] * 1.24e-3)


@pytest.mark.parametrize("run", [0.0, 4.0])
def test_lines_outside_are_what_they_were(tmp_path, run):
    size, plain = (60.0, 50.0, 2.0), OPEN | {"infill.end_run": run}
    spot = zone((30, 25, 1), (20, 20, 4), {"infill.density": 60, "infill.angle": 20}, "cylinder")
    with_zone = infill_of(slice_again(tmp_path, zoned(tmp_path, block(*size), [spot], plain)), size)
    without = infill_of(slice_again(tmp_path, zoned(tmp_path, block(*size), [], plain)), size)
    near = shapely.Point(30, 25).buffer(10 + WIDE)
    for layer, lines in without.items():
        before, after = (shapely.difference(many, near) for many in (lines, with_zone[layer]))
        assert shapely.length(before) == pytest.approx(shapely.length(after), abs=0.02)
        assert shapely.difference(after, before.buffer(0.003)).length < 0.02
        # Up to the border from both sides, and along it nothing.
        rim = shapely.Point(30, 25).buffer(10, quad_segs=64).exterior
        assert shapely.intersection(with_zone[layer], rim.buffer(0.05)).length < 0.35 * rim.length
        ends = shapely.length(shapely.intersection(with_zone[layer], near.buffer(3 - WIDE).difference(near)))
        assert ends == pytest.approx(
            shapely.length(shapely.intersection(lines, near.buffer(3 - WIDE).difference(near)))
        )


def test_a_zone_that_changes_nothing_changes_no_byte(tmp_path):
    same = zone((10, 10, 5), (8, 8, 8), {"infill.density": 15})
    files = []
    for zones in ([], [same], [zone((10, 10, 5), (8, 8, 8))]):
        done = slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), zones, {}))
        files.append(done.gcode.read_bytes())
    assert files[0] == files[1] == files[2]


def test_the_later_zone_wins_setting_by_setting(tmp_path):
    size = (60.0, 60.0, 2.0)
    first = zone((30, 30, 1), (40, 70, 9), {"infill.density": 40, "infill.line_width": 0.5})
    later = zone((45, 30, 1), (40, 70, 9), {"infill.density": 0})
    lines = infill_of(slice_again(tmp_path, zoned(tmp_path, block(*size), [first, later])), size)
    assert plastic_in(lines, shapely.box(25.1, 0, 60, 60)) < 0.01
    assert plastic_in(lines, shapely.box(10, 0, 25, 60)) > 0.3 * 15 * 55 * 2


def test_zones_go_with_their_part(tmp_path):
    """Turned by a right angle and twice as large: so is the zone; and every copy has it."""
    job = zoned(tmp_path, block(30, 20, 4), [zone((7.5, 10, 2), (15, 40, 9), {"infill.density": 50})])
    (part,) = job.parts
    part = part.model_copy(
        update={"turn": (0, 0, 90), "scale": (2, 2, 1), "copies": ({"at": (60, 60)}, {"at": (160, 160)})}
    )
    done = slice_again(tmp_path, job.model_copy(update={"parts": (part,)}))
    for x, y in ((60, 60), (160, 160)):
        held = [0.0, 0.0]
        for move in laid(plain_moves(done.gcode)):
            middle = (move.start + move.end)[:2] / 2 - (x, y)
            if move.role == "infill" and np.abs(middle).max() < 40:
                held[int(middle[1] > 0)] += float(np.hypot(*(move.end - move.start)[:2]))
        assert held[0] > 2.5 * held[1] > 0  # what was at the left is in front


def test_covers_that_records_agree_on_are_not_cut(tmp_path):
    """A zone with fewer tops has the bottoms of all: their lines run on, and only the tops end at its border."""
    size, covered = (24, 16, 3), {"top.layers": 4, "bottom.layers": 3, "skirt.loops": 0}
    few = zone((12, 8, 1.5), (8, 8, 4), {"top.layers": 1, "top.thickness": 0})
    laid = []
    for some in ([], [few]):
        done = slice_again(tmp_path, zoned(tmp_path, block(*size), some, covered))
        laid.append([lines_of(done, size, role) for role in ("bottom", "solid", "top")])
    (bottom, solid, top), (bottom_too, solid_too, top_too) = laid
    assert bottom[0].equals_exact(bottom_too[0], 1e-3)
    assert all(solid[layer].equals_exact(solid_too[layer], 1e-3) for layer in (1, 2))
    assert top[14].equals_exact(top_too[14], 1e-3)
    assert all(solid_too[layer].length < 0.9 * solid[layer].length for layer in (11, 12, 13))


def test_a_density_is_laid_anew_and_nothing_before_it(tmp_path):
    cache = StageCache()
    spot = zone((10, 10, 5), (8, 8, 8), {"infill.density": 40})
    slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), [spot]), cache=cache)
    other = spot.model_copy(update={"settings": {"infill.density": 70}})
    again = slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), [other]), cache=cache)
    assert not {"contours", "regions", "walls", "covers", "zones"} & again.run.made
    assert "infill" in again.run.made


def test_two_threads_lay_the_same_bytes(tmp_path):
    zones = [zone((x, 10, 5), (9, 9, 9), {"infill.density": 10 * x, "infill.pattern": "honeycomb"}) for x in (2, 5, 9)]
    job = zoned(tmp_path, block(20, 20, 10), zones, {})
    one, two = (slice_again(tmp_path, job, threads=n).gcode.read_bytes() for n in (1, 2))
    assert one == two


def test_what_cannot_differ_is_refused_with_its_place(tmp_path):
    with pytest.raises(ValueError, match="bed"):
        zone((0, 0, 0), (1, 1, 1), {"heat.bed": 50})
    with pytest.raises(ValueError, match="needs size"):
        Zone(shape="box")
    wide = zone((10, 10, 5), (8, 8, 8), {"infill.line_width": 3.0}, name="bolt")
    with pytest.raises(SettingError, match="in zone bolt of part"):
        slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), [wide]))
    body = Zone(shape="body", body=3, name="arrow")
    with pytest.raises(JobError, match="no body 3 for zone arrow"):
        slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), [body]))


def test_what_has_an_effect_in_a_zone_alone_is_not_idle(tmp_path):
    bare = OPEN | {"infill.density": 0.0, "infill.angle": 30.0}
    spot = zone((10, 10, 5), (8, 8, 8), {"infill.density": 40, "infill.grading_depth": 3.0}, name="bolt")
    told = [
        [one.message for one in slice_again(tmp_path, zoned(tmp_path, block(20, 20, 10), zones, bare)).sliced.findings]
        for zones in ([], [spot])
    ]
    assert any("Infill angle has no effect" in words for words in told[0])
    assert not any("Infill angle" in words for words in told[1])
    assert any("no effect in zone bolt" in words for words in told[1])


def test_a_body_of_an_assembly_is_a_zone(tmp_path):
    both = np.concatenate((block(20, 20, 4), block(20, 20, 4) + (20, 0, 0)))
    job = zoned(tmp_path, both, [Zone(shape="body", body=0, settings={"infill.density": 60})])
    lines = infill_of(slice_again(tmp_path, job), (40.0, 20.0))
    assert plastic_in(lines, shapely.box(0, 0, 40, 20)) > 0.5 * 0.6 * 40 * 20 * 4


def test_simple_solids_are_closed_and_as_large_as_they_should_be():
    size = np.array([20.0, 20.0, 12.0])
    for made, volume in (
        (box(size), 20 * 20 * 12),
        (cylinder(size), np.pi * 100 * 12),
        (ball(size), np.pi / 6 * 20 * 20 * 12),
    ):
        assert mend(made).closed
        assert measure(made).volume == pytest.approx(volume, rel=2e-3)
        np.testing.assert_allclose(made.bounds[1] - made.bounds[0], size, rtol=2e-3)


def test_shapes_snap_to_layers():
    thick = np.array([0.3, 0.2, 0.2, 0.2])
    heights = Heights(np.cumsum(thick), thick)
    shape = box(np.array([2.0, 2.0, 0.25]))
    shape = type(shape)(shape.vertices + np.array([0, 0, 0.6]), shape.faces)
    for snap, low, high in (("none", 0.475, 0.725), ("first", 0.0, 0.25), ("last", 0.65, 0.9), ("layers", 0.5, 0.7)):
        np.testing.assert_allclose(snapped(shape, snap, heights).bounds[:, 2], (low, high), atol=1e-9)
    thin = type(shape)(shape.vertices * np.array([1, 1, 0.01]) + np.array([0, 0, 0.55]), shape.faces)
    np.testing.assert_allclose(snapped(thin, "layers", heights).bounds[:, 2], (0.5, 0.7), atol=1e-9)


@st.composite
def areas(draw):
    x, y = (draw(st.integers(-900, 900)) / 100 for _ in range(2))
    if draw(st.booleans()):
        return shapely.Point(x, y).buffer(draw(st.integers(10, 600)) / 100, quad_segs=draw(st.integers(1, 9)))
    return shapely.box(x, y, x + draw(st.integers(1, 900)) / 100, y + draw(st.integers(1, 900)) / 100)


@settings(max_examples=150, deadline=None, derandomize=True)
@given(st.lists(areas(), min_size=1, max_size=6), areas())
def test_cells_make_up_their_room_and_the_later_zone_is_named_last(zones, hole):
    left = shapely.set_precision(shapely.box(-8, -8, 8, 8).difference(hole), 0.001)
    room = shapely.MultiPolygon([part for part in shapely.get_parts(left) if part.geom_type == "Polygon"])
    prints = Footprints(
        np.arange(len(zones))[:, None], np.array([shapely.MultiPolygon([one]) for one in zones], object)
    )
    cut = cells(np.array([room], object), np.array([0]), prints, range(len(zones)))
    parts = [shape[0] for shape in cut.shape]
    assert sum(part.area for part in parts) == pytest.approx(room.area, abs=2e-3 * (1 + len(parts)))
    for names, part in zip(cut.zones, parts, strict=True):
        if part.area < 0.05:
            continue
        inside = part.buffer(-0.02)
        for number, one in enumerate(zones):
            share = inside.intersection(one).area
            assert share == pytest.approx(inside.area if number in names else 0.0, abs=0.01)
        assert list(names) == sorted(names)


def test_a_pattern_is_fitted_to_its_zone_with_whole_cells(tmp_path):
    size = (60.0, 50.0, 2.0)
    comb = {"infill.density": 25, "infill.frame": "fitted", "infill.pattern": "grid", "infill.angle": 0}
    spot = zone((22, 21, 1), (20, 14, 9), comb)
    lines = infill_of(slice_again(tmp_path, zoned(tmp_path, block(*size), [spot], OPEN | {"infill.density": 0})), size)
    for layer in lines.values():
        xy = shapely.get_coordinates(layer).reshape(-1, 2, 2)
        upright = np.unique(np.round(xy[np.ptp(xy[:, :, 0], axis=1) < 0.01][:, 0, 0], 2))
        level = np.unique(np.round(xy[np.ptp(xy[:, :, 1], axis=1) < 0.01][:, 0, 1], 2))
        for at, middle, half in ((upright, 22, 10), (level, 21, 7)):
            assert at.mean() == pytest.approx(middle, abs=0.02)
            gaps = np.diff(np.concatenate(([middle - half], at, [middle + half])))
            assert np.ptp(gaps) < 0.02


def compared_outside(done, before, after, step):
    """Hold lines of every so many layers against those of the job without zones, and tell how long they are, mm."""
    prints, layers = done.sliced.solids[0].prints, done.sliced.toolpath.courses.layers_of(0)
    compared = 0.0
    for own in range(0, len(layers), step):
        near = shapely.union_all(prints.outline[prints.which[:, own]]).buffer(2 * WIDE + 4 * WIDE)
        one, other = (
            shapely.difference(lines.get(int(layers[own]), shapely.MultiLineString()), near)
            for lines in (before, after)
        )
        assert one.length == pytest.approx(other.length, abs=0.05)
        assert shapely.difference(other, one.buffer(0.003)).length < 0.05
        compared += one.length
    return compared


def test_two_bodies_of_the_arrow_are_full_and_the_others_are_as_they_were(tmp_path):
    job = read_job_text(DATA / "demo" / "arrow_job.toml")
    plain = job.model_copy(update={"parts": tuple(part.model_copy(update={"zones": ()}) for part in job.parts)})
    size = (0.0, 0.0)
    before = infill_of(slice_again(tmp_path, plain), size)
    done = slice_again(tmp_path, job)
    told = done.report["parts"][0]["zones"]
    assert [zone["infill_density"] for zone in told] == pytest.approx([100.0, 100.0], abs=3.0)
    assert compared_outside(done, before, infill_of(done, size), 7) > 200.0


def test_two_of_five_bodies_in_a_row_are_full_and_three_stay_honeycomb(tmp_path):
    row = assembly(tmp_path / "row.3mf", [block(26, 24, 6) + (26 * k, 0, 0) for k in range(5)])
    settings, size = {"infill.pattern": "honeycomb", "infill.density": 20}, (0.0, 0.0)
    full = [Zone(shape="body", body=body, settings={"infill.density": 100}) for body in (1, 3)]
    plain = job_of(row, settings)
    zoned_parts = tuple(part.model_copy(update={"zones": tuple(full)}) for part in plain.parts)
    before = infill_of(slice_again(tmp_path, plain), size)
    done = slice_again(tmp_path, plain.model_copy(update={"parts": zoned_parts}))
    assert [zone["infill_density"] for zone in done.report["parts"][0]["zones"]] == pytest.approx([100, 100], abs=3)
    assert compared_outside(done, before, infill_of(done, size), 5) > 200.0
