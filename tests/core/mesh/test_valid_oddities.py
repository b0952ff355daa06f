"""Files that look odd and are valid load; one that holds nothing is refused."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.errors import InputError
from even_step.core.mesh.read.model import read_model
from tests.assembly import threemf
from tests.shapes import box, indexed, text_stl

NAMES = ['a > b "c"', "x<y> & z", "<b>bold</b>", "it's"]


def model_xml(facets, name="box", encoding="UTF-8"):
    vertices, faces = indexed(facets)
    quoted = name.replace("&", "&amp;").replace("<", "&lt;").replace('"', "&quot;")
    corners = "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in vertices)
    triangles = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in faces)
    return (
        f'<?xml version="1.0" encoding="{encoding}"?>\n<model unit="millimeter" xml:lang="en-US" '
        'xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">'
        f'<resources><object name="{quoted}" id="1" type="model"><mesh><vertices>{corners}</vertices>'
        f"<triangles>{triangles}</triangles></mesh></object></resources>"
        '<build><item objectid="1"/></build></model>'
    )


@pytest.mark.parametrize("mark", [b"\xef\xbb\xbf", b"\xef\xbb\xbf\r\n"])
def test_a_text_stl_may_begin_with_a_byte_order_mark(tmp_path, mark):
    path = tmp_path / "a.stl"
    path.write_bytes(mark + text_stl(box(10, 10, 10)).encode())
    assert read_model(path)[0].triangles == 12


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be"])
def test_the_model_of_a_3mf_may_be_in_any_unicode(tmp_path, encoding):
    text = model_xml(box(10, 10, 10), "gehäuse", encoding.upper().removesuffix("-SIG").removesuffix("-LE"))
    if encoding in ("utf-16-le", "utf-16-be"):
        text = "\ufeff" + text.replace("UTF-16-BE", "UTF-16")
    (model,) = read_model(threemf(tmp_path / "a.3mf", text.encode(encoding)))
    assert model.triangles == 12
    assert model.name == "gehäuse"


def test_an_unnamed_model_in_wide_text_is_named_by_its_file(tmp_path):
    text = model_xml(box(10, 10, 10), "").replace('name="" ', "")
    (model,) = read_model(threemf(tmp_path / "cap.3mf", text.encode("utf-16")))
    assert model.name == "cap"


def test_a_wide_model_with_entities_or_bombs_is_refused_all_the_same(tmp_path):
    text = model_xml(box(10, 10, 10)).replace("<model ", "<!DOCTYPE a [<!ENTITY b 'c'>]><model ")
    with pytest.raises(InputError, match=r"cap\.3mf: declares XML entities"):
        read_model(threemf(tmp_path / "cap.3mf", text.encode("utf-16")))
    loop = model_xml(box(10, 10, 10)).replace(
        "</resources>", '<object id="2"><components><component objectid="2"/></components></object></resources>'
    )
    loop = loop.replace('<item objectid="1"/>', '<item objectid="2"/>')
    with pytest.raises(InputError, match="loop"):
        read_model(threemf(tmp_path / "loop.3mf", loop.encode("utf-16")))


@pytest.mark.parametrize("name", NAMES)
def test_a_name_may_hold_what_looks_like_markup(tmp_path, name):
    (model,) = read_model(threemf(tmp_path / "a.3mf", model_xml(box(10, 10, 10), name).encode()))
    assert model.name == name
    assert model.triangles == 12


def test_a_component_is_counted_though_a_name_holds_a_closing_bracket(tmp_path):
    loop = model_xml(box(10, 10, 10)).replace(
        "</resources>",
        '<object name="a>b" id="2"><components><component objectid="2"/></components></object></resources>',
    )
    with pytest.raises(InputError, match="loop"):
        read_model(threemf(tmp_path / "a.3mf", loop.replace('<item objectid="1"/>', '<item objectid="2"/>').encode()))


def test_a_mesh_of_facets_without_area_is_refused(tmp_path):
    line = np.array([[[0, 0, 0], [5, 0, 0], [10, 0, 0]], [[0, 0, 0], [2, 0, 0], [10, 0, 0]]], float)
    path = tmp_path / "line.stl"
    path.write_text(text_stl(line))
    with pytest.raises(InputError, match=r"line\.stl.*area"):
        read_model(path)
