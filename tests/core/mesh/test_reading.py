from __future__ import annotations

import math

import numpy as np
import pytest

from even_step.core.job.shipped import DATA
from even_step.core.mesh.measure import measure
from even_step.core.mesh.read.digest import STRETCH, digest
from even_step.core.mesh.read.model import read_model
from even_step.core.mesh.units import proposed_unit
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import ReadSettings, read_models
from tests.shapes import ball, box, obj_text, ply_bytes, stl_bytes, text_stl

CUBE = box(20, 10, 5)


def written(folder, name, content):
    path = folder / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


def test_a_hash_tells_every_byte_whoever_works_it_out(hands):
    data = np.random.default_rng(1).integers(0, 256, 8 * STRETCH + 13, np.uint8)
    whole = digest(data)
    assert digest(data, hands) == whole
    for place in (0, 8 * STRETCH - 1, 8 * STRETCH, len(data) - 1):
        other = data.copy()
        other[place] ^= 1
        assert digest(other, hands) != whole
    assert digest(data[:0]) != digest(data[:1])


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("a.stl", stl_bytes(CUBE)),
        ("a.stl", text_stl(CUBE)),
        ("a.obj", obj_text(CUBE)),
        ("a.ply", ply_bytes(CUBE)),
        ("a.ply", ply_bytes(CUBE, "binary_big_endian")),
        ("a.ply", ply_bytes(CUBE, "ascii")),
    ],
    ids=["stl", "text stl", "obj", "ply little", "ply big", "ply text"],
)
def test_every_format_gives_the_same_block(tmp_path, name, content):
    (model,) = read_model(written(tmp_path, name, content))
    mesh = model.merged()
    assert model.triangles == 12
    assert len(mesh.vertices) == 8
    assert measure(mesh).volume == pytest.approx(1000.0)
    assert measure(mesh).area == pytest.approx(2 * (200 + 100 + 50))
    assert model.closed
    assert model.repairs == ()


@pytest.mark.parametrize("name", ["a.obj", "a.ply", "a.3mf", "a.bin", "noextension"])
def test_a_wrong_extension_is_seen_through(tmp_path, name):
    assert read_model(written(tmp_path, name, stl_bytes(CUBE)))[0].triangles == 12


def test_bytes_after_an_stls_end_are_told(tmp_path):
    (model,) = read_model(written(tmp_path, "a.stl", stl_bytes(CUBE) + b"trailing rubbish"))
    assert model.triangles == 12
    assert "16 bytes" in model.repairs[0]


def test_a_text_stl_without_its_last_line_is_read(tmp_path):
    text = text_stl(CUBE).replace("endsolid test\n", "")
    assert read_model(written(tmp_path, "a.stl", text))[0].triangles == 12


def test_a_binary_stl_that_begins_with_solid_is_read(tmp_path):
    assert read_model(written(tmp_path, "a.stl", b"solid" + stl_bytes(CUBE)[5:]))[0].triangles == 12


def test_windows_line_ends_are_read(tmp_path):
    for name, text in (("a.stl", text_stl(CUBE)), ("b.obj", obj_text(CUBE))):
        assert read_model(written(tmp_path, name, text.replace("\n", "\r\n")))[0].triangles == 12


def test_concave_polygons_of_an_obj_keep_their_area(tmp_path):
    arrow = [(0, 0), (4, 0), (4, 4), (2, 1), (0, 4)]
    text = "".join(f"v {x} {y} {z}\n" for z in (0, 1) for x, y in arrow)
    text += "f 5 4 3 2 1\nf 6 7 8 9 10\n"
    text += "".join(f"f {i + 1} {(i + 1) % 5 + 1} {(i + 1) % 5 + 6} {i + 6}\n" for i in range(5))
    mesh = read_model(written(tmp_path, "a.obj", text))[0].merged()
    area = 0.5 * abs(sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(arrow, arrow[1:] + arrow[:1], strict=True)))
    assert measure(mesh).volume == pytest.approx(area)


def test_negative_obj_indices_count_from_the_end(tmp_path):
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 -2 -1\nv 0 0 1\nf 1//1 2/5 -1/2/3\n"
    (model,) = read_model(written(tmp_path, "a.obj", text))
    assert model.triangles == 2


def test_obj_lines_may_be_continued(tmp_path):
    text = obj_text(CUBE).replace("f ", "f \\\n")
    assert read_model(written(tmp_path, "a.obj", text))[0].triangles == 12


def test_numbers_keep_their_value(tmp_path):
    text = "v 1.5e1 -2.25E+0 .5\nv +3. 1e-3 0\nv 123456.78 0 1\nf 1 2 3\n"
    vertices = read_model(written(tmp_path, "a.obj", text))[0].merged().vertices
    wanted = np.array([(15, -2.25, 0.5), (3, 0.001, 0), (123456.78, 0, 1)], np.float32)
    assert np.array_equal(vertices.astype(np.float32), wanted)


@pytest.mark.parametrize(("size", "unit"), [(5.0, "inch"), (0.9, "inch"), (0.1, "m"), (60.0, None), (9.07, None)])
def test_a_strangely_small_part_gets_a_unit_proposed(tmp_path, size, unit):
    (model,) = read_model(written(tmp_path, "a.stl", stl_bytes(box(size, size / 2, size / 3))))
    assert proposed_unit(model) == unit
    assert model.unit == "mm"


def test_a_ball_measures_what_a_ball_does(tmp_path):
    (model,) = read_model(written(tmp_path, "a.stl", stl_bytes(ball(10, 5))))
    measures = measure(model.merged())
    assert measures.volume == pytest.approx(4 / 3 * math.pi * 1000, rel=2e-3)
    assert measures.area == pytest.approx(4 * math.pi * 100, rel=2e-3)


def test_a_finer_step_deflection_gives_more_facets_and_other_results_are_kept(hands):
    path = DATA / "demo" / "mast_bracket.step"
    run = StageRun(hands, StageCache())
    coarse, fine, again = (
        read_models([(str(path), "winding")], run, ReadSettings(deflection))[str(path), "winding"]
        for deflection in (0.1, 0.005, 0.1)
    )
    assert fine[0][0].triangles > 1.2 * coarse[0][0].triangles
    assert again is coarse
    assert fine[1] != coarse[1]


@pytest.mark.parametrize(
    ("size", "unit"),
    [
        ((10, 5, 2), "inch"),  # 254 mm fits
        ((10.5, 5.25, 0.125), "inch"),
        ((20, 10, 5), None),  # as inches it would not fit, and nobody draws a cube of 20 cm to print it
        ((4.2, 2.1, 1.3), "cm"),
        ((4.5, 2.25, 1.125), "inch"),
        ((12.7, 10.03, 3), None),  # not round in any
        ((30, 10, 5), None),
    ],
)
def test_up_to_30_units_a_unit_is_proposed_when_it_fits_the_bed_and_sizes_are_round_in_it(tmp_path, size, unit):
    (model,) = read_model(written(tmp_path, "a.stl", stl_bytes(box(*size))))
    assert proposed_unit(model) == unit
