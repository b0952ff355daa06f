"""Shapes of zones: meshes, picked faces carried on, and what lies behind them."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.job.text import job_text, read_job_text
from even_step.core.job.zones import Zone
from even_step.core.mesh.carried import carried
from even_step.core.mesh.measure import measure
from even_step.core.mesh.shells import mend
from even_step.core.mesh.solids import cylinder
from even_step.core.slicing.backing import Backing, backing_outlines
from even_step.core.work import ALONE
from tests import shapes
from tests.core.slicing.zone_help import OPEN, block, infill_of, zoned
from tests.slicing_help import slice_again


def prints(done):
    """What lies in each zone of the first part, layer by layer."""
    found = done.sliced.solids[0].prints
    return [found.outline[which] for which in found.which]


def dome(x, y):
    return 12.0 - (x**2 + y**2) / 80.0


def domed_block():
    """A block of 26 × 26 mm under a curved top, and the facets of that top."""
    steps = np.linspace(-13, 13, 27)
    x, y = (one.ravel() for one in np.meshgrid(steps, steps))
    flat = np.stack((x, y, dome(x, y)), axis=1)
    n = len(steps)
    at = np.arange(n * n).reshape(n, n)
    a, b, c, d = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, 1:].ravel(), at[1:, :-1].ravel()
    corners = flat[np.concatenate((np.stack((a, b, c), axis=1), np.stack((a, c, d), axis=1)))]
    solid = carried(corners, 0.0, 0.0)
    vertices = solid.vertices.copy()
    low = len(vertices) // 2
    vertices[low:, 2] = 0.0
    return vertices[solid.faces]


def test_a_carried_face_is_a_closed_prism():
    square = np.array([[[0, 0, 5], [10, 0, 5], [10, 10, 5]], [[0, 0, 5], [10, 10, 5], [0, 10, 5]]], float)
    made = carried(square, 3.0, 1.5)
    assert mend(made).closed
    assert measure(made).volume == pytest.approx(450.0)
    np.testing.assert_allclose(made.bounds, [[0, 0, 2], [10, 10, 6.5]])


def test_a_face_is_carried_into_the_part_and_out_of_it(tmp_path):
    size = (30.0, 30.0, 4.0)
    spot = Zone(shape="face", near=((0.0, 15.0, 2.0),), depth=5.0, settings={"infill.density": 80})
    done = slice_again(tmp_path, zoned(tmp_path, block(*size), [spot], OPEN | {"infill.density": 10}))
    bounds = np.array([one.bounds for one in prints(done)[0]])
    np.testing.assert_allclose(bounds, np.tile([-15, -15, -10, 15], (20, 1)), atol=1e-6)
    lines = infill_of(done, size)
    near, far = (
        sum(shapely.intersection(one, shapely.box(*at)).length for one in lines.values())
        for at in ((1, 1, 5, 29), (25, 1, 29, 29))
    )
    assert near > 6 * far


def test_what_lies_behind_a_curved_face_is_solid_to_its_depth(tmp_path):
    """Measured on a raster along the normal: full to 6 ± 0.1 mm, lattice beyond."""
    depth = 6.0
    behind = Zone(shape="backing", near=((0.0, 0.0, 12.0),), depth=depth)
    done = slice_again(tmp_path, zoned(tmp_path, domed_block(), [behind], OPEN | {"infill.density": 10}))
    heights = done.sliced.solids[0].heights
    rows = prints(done)[0]
    off = []
    for x, y in ((0.0, 0.0), (5.0, 3.0), (-4.0, 5.0), (3.0, -5.0)):
        normal = np.array([x / 40.0, y / 40.0, 1.0])
        normal /= np.linalg.norm(normal)
        surface = np.array([x, y, dome(x, y)])
        reach = []
        for far in np.arange(0.3, 9.0, 0.02):
            at = surface - far * normal
            layer = int(np.searchsorted(heights.tops, at[2]))
            inside = shapely.contains_xy(rows[layer], at[0], at[1])
            if abs(at[2] - heights.cuts[layer]) < 0.02 and inside != (far < depth):
                reach.append(abs(far - depth))
        off.append(max(reach, default=0.0))
    assert max(off) < 0.1
    ledger = done.sliced.ledgers[0].rows
    infill = infill_of(done, (26, 26))
    low, high = infill[3], infill[40]
    middle = shapely.box(9, 9, 17, 17)
    held = [shapely.intersection(one, middle).length * 0.41 / middle.area for one in (low, high)]
    assert held[0] < 0.15
    assert 0.93 < held[1] < 1.05
    assert ledger[:, 4].sum() < 0.5


def test_a_backing_of_a_flat_face_ends_where_it_should_and_rounds_its_rim():
    square = np.array([[[0, 0, 0], [10, 0, 0], [10, 0, 10]], [[0, 0, 0], [10, 0, 10], [0, 0, 10]]], float)
    which, outline = backing_outlines(Backing(square, 2.0), np.array([-3.0, -1.0, 5.0, 13.0]), ALONE)
    low, mid = outline[which[1]], outline[which[2]]
    assert outline[which[0]].is_empty
    assert outline[which[3]].is_empty
    assert mid.area == pytest.approx(40 + np.pi * 4, abs=0.01 * (20 + 4 * np.pi))
    assert low.bounds[3] == pytest.approx(np.sqrt(3.0), abs=0.02)


def test_a_finely_facetted_face_is_backed_as_deep_as_a_coarse_one():
    steps = np.linspace(0, 6, 31)
    x, z = (one.ravel() for one in np.meshgrid(steps, steps))
    flat, n = np.stack((x, 0 * x, z), axis=1), len(steps)
    at = np.arange(n * n).reshape(n, n)
    a, b, c, d = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, 1:].ravel(), at[1:, :-1].ravel()
    corners = flat[np.concatenate((np.stack((a, b, c), axis=1), np.stack((a, c, d), axis=1)))]
    for depth in (0.4, 1.0, 2.5):
        which, outline = backing_outlines(Backing(corners, depth), np.array([3.0]), ALONE)
        middle = shapely.intersection(outline[which[0]], shapely.box(1, -9, 5, 9))
        np.testing.assert_allclose(middle.bounds[1::2], (-depth, depth), atol=0.015)
        assert middle.area == pytest.approx(8 * depth, abs=8 * 0.015)


def test_a_mesh_is_a_zone_stretched_turned_and_moved(tmp_path):
    can = cylinder(np.array([10.0, 10.0, 10.0]))
    shapes.write_stl(tmp_path / "can.stl", can.vertices[can.faces])
    size = (30.0, 30.0, 4.0)
    spot = Zone(
        shape="mesh",
        file=str(tmp_path / "can.stl"),
        middle=(10, 15, 2),
        size=(8, 12, 20),
        settings={"infill.density": 70},
    )
    job = zoned(tmp_path, block(*size), [spot])
    done = slice_again(tmp_path, job)
    rows = prints(done)[0]
    assert rows[5].area == pytest.approx(np.pi * 4 * 6, rel=5e-3)
    np.testing.assert_allclose(rows[5].bounds, (-9, -6, -1, 6), atol=0.02)
    # In the text job, by a name beside it.
    (tmp_path / "job.toml").write_text(job_text(job).replace(str(tmp_path) + "/", ""))
    again = slice_again(tmp_path, read_job_text(tmp_path / "job.toml"))
    assert again.gcode.read_bytes() == done.gcode.read_bytes()


def test_zones_of_faces_go_with_a_part_that_is_turned_and_sized(tmp_path):
    spot = Zone(shape="face", near=((0.0, 15.0, 2.0),), depth=5.0, settings={"infill.density": 80})
    job = zoned(tmp_path, block(30, 30, 4), [spot])
    (part,) = job.parts
    part = part.model_copy(update={"turn": (0, 0, 90), "scale": (2, 1, 1)})
    done = slice_again(tmp_path, job.model_copy(update={"parts": (part,)}))
    np.testing.assert_allclose(prints(done)[0][3].bounds, (-15, -30, 15, -20), atol=1e-3)


def test_a_zone_that_touches_nothing_is_told_and_harms_nothing(tmp_path):
    apart = Zone(shape="box", middle=(90, 0, 2), size=(4, 4, 4), name="bolt", settings={"walls.count": 6})
    off = Zone(shape="face", near=((15.0, 15.0, 9.0),), depth=5.0, name="clamp", settings={"infill.density": 80})
    job = zoned(tmp_path, block(30, 30, 4), [apart, off])
    plain = slice_again(tmp_path, zoned(tmp_path, block(30, 30, 4), [])).gcode.read_bytes()
    done = slice_again(tmp_path, job)
    assert done.gcode.read_bytes() == plain
    told = [one.message for one in done.sliced.findings if one.code == "zone-empty"]
    assert told == [
        "zone bolt touches nothing of part",
        "zone clamp touches nothing of part: the spot it is to begin at lies 5.0 mm off the surface",
    ]


@pytest.mark.parametrize(
    ("record", "told"),
    [
        ({"shape": "mesh"}, "a mesh needs file"),
        ({"shape": "face", "near": ((0, 0, 0),)}, "needs depth or above"),
        ({"shape": "backing", "near": ((0, 0, 0),)}, "needs near, depth"),
        ({"shape": "backing", "near": ((0, 0, 0),), "depth": 2, "snap": "first"}, "takes no snap"),
        ({"shape": "box", "size": (1, 1, 1), "depth": 2}, "takes no depth"),
        ({"shape": "body", "body": 0, "middle": (1, 0, 0)}, "neither middle nor turn"),
    ],
)
def test_what_a_shape_lacks_is_told(record, told):
    with pytest.raises(ValueError, match=told):
        Zone.model_validate(record)


def test_a_backing_is_full_unless_it_says_otherwise():
    plain = Zone(shape="backing", near=((0, 0, 0),), depth=2.0)
    assert plain.holds == {"infill.density": 100.0}
    assert plain.model_copy(update={"settings": {"infill.density": 40.0}}).holds == {"infill.density": 40.0}


def test_a_thin_vane_in_a_zone_is_told_with_it(tmp_path):
    vane = np.concatenate((block(20, 20, 2), block(0.15, 20, 6) + (5, 0, 0)))
    spot = Zone(shape="box", middle=(5, 10, 4), size=(6, 30, 10), name="vane", settings={"infill.density": 40})
    done = slice_again(tmp_path, zoned(tmp_path, vane, [spot], {}))
    told = next(one for one in done.sliced.findings if one.code == "too-thin")
    assert told.zone == "vane"
    assert told.message.endswith("(in zone vane)")
    assert next(one for one in done.report["findings"] if one["code"] == "too-thin")["zone"] == "vane"


def test_walls_in_a_zone_that_touches_no_edge_are_told_to_have_no_effect(tmp_path):
    inside = Zone(shape="box", middle=(15, 15, 2), size=(6, 6, 2), name="core", settings={"walls.count": 6})
    across = Zone(shape="box", middle=(0, 15, 2), size=(6, 6, 2), name="rim", settings={"walls.count": 6})
    plain = slice_again(tmp_path, zoned(tmp_path, block(30, 30, 4), [])).gcode.read_bytes()
    done = slice_again(tmp_path, zoned(tmp_path, block(30, 30, 4), [inside]))
    assert done.gcode.read_bytes() == plain
    told = [one.message for one in done.sliced.findings if one.code == "setting-idle"]
    assert told == ["walls have no effect in zone core of part: no edge of the part lies in it"]
    done = slice_again(tmp_path, zoned(tmp_path, block(30, 30, 4), [across]))
    assert not [one for one in done.sliced.findings if one.code == "setting-idle"]
