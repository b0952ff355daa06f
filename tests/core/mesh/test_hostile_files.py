"""Files that lie, are cut off or mean harm: one clear line, never a traceback, a hang or much memory."""

from __future__ import annotations

import html
import io
import struct
import time
import zipfile

import numpy as np
import pytest

from even_step.core.errors import Cancelled, InputError
from even_step.core.job.shipped import DATA
from even_step.core.mesh.measure import measure
from even_step.core.mesh.read import archive as archives
from even_step.core.mesh.read import model_xml
from even_step.core.mesh.read.model import read_model
from even_step.core.work import Crew
from tests.shapes import ball, box, obj_text, ply_bytes, stl_bytes, text_stl

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
CUBE = stl_bytes(box())
TYPES = (
    '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>'
    "</Types>"
)
LINKS = (
    '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    '<Relationship Target="/3D/3dmodel.model" Id="r" '
    'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
)
TETRA = (
    '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="9" y="0" z="0"/><vertex x="0" y="9" z="0"/>'
    '<vertex x="0" y="0" z="9"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/>'
    '<triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="0" v2="3" v3="2"/>'
    "</triangles></mesh>"
)


def archive(model, extra=(), head='<?xml version="1.0" encoding="UTF-8"?>', unit="millimeter"):
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as box_:
        box_.writestr("[Content_Types].xml", TYPES)
        box_.writestr("_rels/.rels", LINKS)
        if model is not None:
            box_.writestr("3D/3dmodel.model", f'{head}<model unit="{unit}" xmlns="{CORE}">{model}</model>')
        for name, content in extra:
            box_.writestr(name, content)
    return buffer.getvalue()


def resources(objects, items):
    return f"<resources>{objects}</resources><build>{items}</build>"


def one(transform=""):
    return resources(f'<object id="1" type="model">{TETRA}</object>', f'<item objectid="1"{transform}/>')


def bomb(levels=12, width=10):
    objects = f'<object id="1" type="model">{TETRA}</object>'
    for level in range(2, levels + 2):
        links = f'<component objectid="{level - 1}"/>' * width
        objects += f'<object id="{level}" type="model"><components>{links}</components></object>'
    return resources(objects, f'<item objectid="{levels + 1}"/>')


def loop():
    return resources(
        '<object id="1" type="model"><components><component objectid="2"/></components></object>'
        '<object id="2" type="model"><components><component objectid="1"/></components></object>',
        '<item objectid="1"/>',
    )


def big_zip():
    return archive(one(), [("big.bin", bytes(900_000_000))])


def with_corner(value):
    facets = box()
    facets[3, 1, 2] = value
    return stl_bytes(facets)


STEP = (DATA / "demo" / "mast_bracket.step").read_bytes()

HOSTILE = {
    "empty.stl": b"",
    "short.stl": b"solid",
    "header only.stl": CUBE[:80],
    "no facets.stl": bytes(84),
    "cut off.stl": CUBE[:-30],
    "lying header.stl": CUBE[:80] + struct.pack("<I", 4_000_000_000) + CUBE[84:],
    "nan.stl": with_corner(np.nan),
    "infinite.stl": with_corner(np.inf),
    "absurd.stl": with_corner(1e30),
    "all one point.stl": stl_bytes(np.zeros((10, 3, 3))),
    "prose.stl": b"solid advice: measure twice, cut once.\n" * 20,
    "text nan.stl": text_stl(box()).replace("vertex 10", "vertex nan", 1).encode(),
    "text cut off.stl": text_stl(box())[:700].encode(),
    "prose.obj": b"Dear reader,\nthis is no model at all.\n",
    "index zero.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n",
    "wild index.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99999999999999999999\n",
    "far index.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n",
    "negative index.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf -4 -2 -1\n",
    "fraction.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1.5 2 3\n",
    "two corners.obj": b"v 0 0 0\nv 1 0 0\nf 1 2\n",
    "nan.obj": b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "huge.obj": b"v 1e300 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "no faces.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\n",
    "short vertex.obj": b"v 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "no header end.ply": b"ply\nformat ascii 1.0\n",
    "cut off.ply": ply_bytes(box())[:-9],
    "text cut off.ply": ply_bytes(box(), "ascii")[:-9],
    "lying count.ply": ply_bytes(box()).replace(b"vertex 8", b"vertex 800000000"),
    "negative count.ply": ply_bytes(box()).replace(b"vertex 8", b"vertex -8"),
    "unknown type.ply": ply_bytes(box()).replace(b"property float x", b"property quark x"),
    "no coordinates.ply": ply_bytes(box()).replace(b"float x", b"float u"),
    "wild index.ply": ply_bytes(box(), "ascii").replace(b"\n3 ", b"\n3 70", 1),
    "no zip.3mf": b"PK\x03\x04 but then nothing",
    "no model.3mf": archive(None),
    "entity.3mf": archive(one(), head='<?xml version="1.0"?><!DOCTYPE m [<!ENTITY a "b">]>'),
    "outside entity.3mf": archive(one(), head='<!DOCTYPE m [<!ENTITY a SYSTEM "file:///etc/passwd">]>'),
    "climbs.3mf": archive(one(), [("../../climb.txt", "x")]),
    "absolute.3mf": archive(one(), [("/etc/climb.txt", "x")]),
    "loops.3mf": archive(loop()),
    "component bomb.3mf": archive(bomb()),
    "nan transform.3mf": archive(one(' transform="nan 0 0 0 1 0 0 0 1 0 0 0"')),
    "flat transform.3mf": archive(one(' transform="0 0 0 0 0 0 0 0 0 0 0 0"')),
    "nothing to build.3mf": archive(resources(f'<object id="1" type="model">{TETRA}</object>', "")),
    "bad index.3mf": archive(one().replace('v3="1"/>', 'v3="77"/>', 1)),
    "bad xml.3mf": archive("<resources><object"),
    "unknown unit.3mf": archive(one(), unit="furlong"),
    "cut off.3mf": archive(one())[:-40],
    "cut off.step": STEP[: len(STEP) // 2],
    "no solid.step": STEP.replace(b"MANIFOLD_SOLID_BREP", b"SHELL_BASED_SURFACE_MODEL"),
    "prose.step": b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n",
    "rubbish.bin": bytes(range(256)) * 40,
    "picture.stl": b"\x89PNG\r\n\x1a\n" + bytes(300),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_gets_one_clear_line(tmp_path, name):
    path = tmp_path / name
    path.write_bytes(HOSTILE[name])
    with pytest.raises(InputError) as caught:
        read_model(path)
    line = str(caught.value)
    assert name in line
    assert "\n" not in line
    assert len(line) < 500
    assert [item.name for item in tmp_path.iterdir()] == [name]


def test_a_zip_bomb_is_refused_unopened(tmp_path):
    path = tmp_path / "big.3mf"
    path.write_bytes(big_zip())
    assert path.stat().st_size < 2_000_000
    with pytest.raises(InputError, match="unpacks to more"):
        read_model(path)


def test_a_folder_and_a_missing_file_are_told(tmp_path):
    for path in (tmp_path, tmp_path / "nothing.stl"):
        with pytest.raises(InputError, match=str(path)):
            read_model(path)


@pytest.mark.parametrize(
    ("unit", "size"),
    [("millimeter", 9.0), ("centimeter", 9.0), ("inch", 9.0), ("micron", 0.009), ("foot", 9 * 304.8)],
)
def test_a_3mf_states_its_unit(tmp_path, unit, size):
    path = tmp_path / "a.3mf"
    path.write_bytes(archive(one(), unit=unit))
    (model,) = read_model(path)
    assert model.unit_stated
    assert model.unit == {"centimeter": "cm", "inch": "inch"}.get(unit, "mm")
    assert model.merged().bounds[1, 0] == pytest.approx(size, rel=1e-5)


def test_components_are_counted_across_the_chunks_that_are_read(monkeypatch, tmp_path):
    monkeypatch.setattr(model_xml, "CHUNK", 37)
    text = f"<model>{bomb(3, 10)}</model>".encode()
    model_xml.check_xml(tmp_path, io.BytesIO(text), 1000)
    with pytest.raises(InputError, match="more than 999"):
        model_xml.check_xml(tmp_path, io.BytesIO(text), 999)
    prefixed = text.replace(b"<component", b"<c:component").replace(b"<object", b"<c:object")
    prefixed = prefixed.replace(b"</component", b"</c:component").replace(b"</object", b"</c:object")
    with pytest.raises(InputError, match="more than 999"):
        model_xml.check_xml(tmp_path, io.BytesIO(prefixed), 999)


def packed(model):
    """A 3MF with these bytes as its model."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as box_:
        for name, content in (("[Content_Types].xml", TYPES), ("_rels/.rels", LINKS), ("3D/3dmodel.model", model)):
            box_.writestr(name, content)
    return buffer.getvalue()


WHOLE = f'<?xml version="1.0" encoding="UTF-16"?><model unit="millimeter" xmlns="{CORE}">{one()}</model>'
#: Small archives whose XML took minutes or gigabytes to look through.
LONG = {
    "begun tags": packed(b"<model " * 15_000),
    "begun objects": packed(b"<object " * 7_000),
    "one long attribute": packed(b'<model a="' + b"x" * 15_000_000),
    "nested without an end": packed(b"<model>" + b"<a>" * 2_000_000),
    "wide blanks": packed(WHOLE.replace("<res", " " * 9_000_000 + "<res").replace('"1"/>', '"7"/>').encode("utf-16")),
    "a late document type": packed(b"<?xml version='1.0'?>" + b" " * 3_000_000 + b"<!DOCTYPE m [<!ENTITY a 'b'>]><m/>"),
    "an encoding of its own": packed(WHOLE.replace("UTF-16", "KOI8-R").encode()),
}


@pytest.mark.parametrize("name", LONG)
def test_looking_through_xml_takes_no_longer_than_its_length_and_is_called_off_at_once(tmp_path, name):
    path = tmp_path / "a.3mf"
    path.write_bytes(LONG[name])
    begun = time.monotonic()
    with pytest.raises(InputError):
        read_model(path)
    assert time.monotonic() - begun < 10.0
    with pytest.raises(Cancelled):
        read_model(path, crew=Crew(cancelled=lambda: True))


def test_an_archive_whose_table_of_contents_is_long_is_refused_at_once(tmp_path, monkeypatch):
    monkeypatch.setattr(archives, "LARGEST_READ", 10_000)
    path = tmp_path / "a.3mf"
    path.write_bytes(archive(one(), [(f"{number}.txt", "") for number in range(500)]))
    with pytest.raises(InputError, match="table of contents"):
        archives.job_text_in(path)


@pytest.mark.parametrize("letter", ["&#10;", "&#x41;", "&#38;", "&#60;", "&#x1F600;"])
def test_a_3mf_may_write_letters_as_numbers(tmp_path, letter):
    path = tmp_path / "a.3mf"
    path.write_bytes(archive(one().replace("<object ", f'<object name="pin {letter}" ')))
    (model,) = read_model(path)
    assert model.name.split() == ["pin", *html.unescape(letter).split()]


def test_a_number_for_a_letter_is_found_across_chunks(monkeypatch):
    monkeypatch.setattr(model_xml, "CHUNK", 64)
    text = f"<?xml version='1.0'?><m name='{'a&#x41;b&#66;&#60;' * 50}'>&amp;</m>"
    pieces = model_xml.as_utf8(io.BytesIO(text.encode("utf-16")), "utf-16")
    assert b"".join(pieces) == b"<m name='" + b"aAbB&lt;" * 50 + b"'>&amp;</m>"


@pytest.mark.parametrize("encoding", ["UTF-16", "UTF-8", "ISO-8859-1"])
def test_a_3mf_may_be_written_in_other_letters(tmp_path, encoding):
    path = tmp_path / "a.3mf"
    named = WHOLE.replace("UTF-16", encoding).replace("<object ", '<object name="Gerüst" ')
    path.write_bytes(packed(named.encode(encoding)))
    (model,) = read_model(path)
    assert model.name == "Gerüst"
    assert model.triangles == 4


def test_nested_components_are_placed(tmp_path):
    objects = (
        f'<object id="1" type="model">{TETRA}</object><object id="2" type="model"><components>'
        '<component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 20 0 0"/></components>'
        '</object><object id="3" type="model" name="pair"><components><component objectid="2" '
        'transform="0 1 0 -1 0 0 0 0 1 0 0 5"/></components></object>'
    )
    path = tmp_path / "a.3mf"
    path.write_bytes(archive(resources(objects, '<item objectid="3" transform="1 0 0 0 1 0 0 0 1 0 0 1"/>')))
    (model,) = read_model(path)
    assert model.name == "pair"
    assert len(model.bodies) == 2
    low, high = model.merged().bounds
    assert low == pytest.approx([-9, 0, 6])
    assert high == pytest.approx([0, 29, 15])


def test_a_mirrored_component_is_no_hole(tmp_path):
    path = tmp_path / "a.3mf"
    path.write_bytes(archive(one(' transform="-1 0 0 0 1 0 0 0 1 0 0 0"')))
    assert measure(read_model(path)[0].merged()).volume == pytest.approx(9**3 / 6)


def test_flipped_bytes_never_break_a_reader(tmp_path):
    """A short run of what tools/fuzz_readers.py does ten thousand times."""
    random = np.random.default_rng(7)
    good = {
        "a.stl": CUBE,
        "b.stl": text_stl(box()).encode(),
        "c.obj": obj_text(ball(5, 1)).encode(),
        "d.ply": ply_bytes(box()),
        "e.ply": ply_bytes(box(), "ascii"),
    }
    for turn in range(200):
        name = list(good)[turn % len(good)]
        data = np.frombuffer(good[name], np.uint8).copy()
        places = random.integers(0, len(data), random.integers(1, 12))
        data[places] = random.integers(0, 256, len(places))
        path = tmp_path / name
        path.write_bytes(data.tobytes())
        try:
            read_model(path)
        except InputError as error:
            assert name in str(error)


def test_reading_ends_when_it_is_called_off():
    looks = []

    def called_off():
        looks.append(None)
        return len(looks) > 2

    begun = time.monotonic()
    with pytest.raises(Cancelled):
        read_model(DATA / "demo" / "mast_bracket.step", crew=Crew(cancelled=called_off))
    assert time.monotonic() - begun < 5.0
    assert len(looks) == 3
