"""Make the parts of the demo, the weather post for Tarn Hollow, from plain solids.

Run it in an environment with ``tools/requirements.txt`` installed:

    python tools/make_demo_parts.py src/even_step/data/demo
"""

from __future__ import annotations

import math
import re
import struct
import sys
import zipfile
from itertools import pairwise
from pathlib import Path
from typing import Any

import manifold3d as m3
import numpy as np
from numpy.typing import NDArray

Solid = Any
FINE = 96  # sides of a full circle
FIXED_DATE = (1980, 1, 1, 0, 0, 0)


def box(x: float, y: float, z: float, at: tuple[float, float, float] = (0, 0, 0)) -> Solid:
    """Return a block that stands on z = 0 with its middle over the origin, moved."""
    return m3.Manifold.cube((x, y, z), True).translate((at[0], at[1], at[2] + z / 2))


def rod(
    radius: float,
    height: float,
    at: tuple[float, float, float] = (0, 0, 0),
    top: float | None = None,
    sides: int = FINE,
) -> Solid:
    """Return an upright cylinder or cone."""
    return m3.Manifold.cylinder(height, radius, radius if top is None else top, sides).translate(at)


def turned(profile: list[tuple[float, float]], sides: int = FINE) -> Solid:
    """Return the solid that a profile of (radius, height) makes, turned about z."""
    return m3.Manifold.revolve(m3.CrossSection([np.array(profile, np.float64)]), sides)


def all_of(parts: list[Solid]) -> Solid:
    """Return the union."""
    return m3.Manifold.batch_boolean(parts, m3.OpType.Add)


def louvre_ring() -> Solid:
    """Return a ring whose lip droops outward, with three spacers on top."""
    lip = turned([(20, 9), (23, 9), (31, 3), (32, 3), (32, 4.6), (24, 11), (20, 11)])
    collar = turned([(19, 0), (22, 0), (22, 11), (19, 11)])
    posts = [
        rod(3, 6, (20.6 * math.cos(a), 20.6 * math.sin(a), 10.5), sides=32)
        for a in (0.0, 2 * math.pi / 3, 4 * math.pi / 3)
    ]
    holes = [
        rod(0.8, 30, (20.5 * math.cos(a), 20.5 * math.sin(a), -1), sides=24)
        for a in (0.0, 2 * math.pi / 3, 4 * math.pi / 3)
    ]
    return all_of([lip, collar, *posts]) - all_of(holes)


def wind_cup() -> Solid:
    """Return a hollow dome with a bead round its rim and a flat for the arm."""
    shell = m3.Manifold.sphere(20, FINE) - m3.Manifold.sphere(18.4, FINE)
    dome = shell.trim_by_plane((0, 0, 1), 0)
    bead = turned([(19.2, 2.0), (21.6, 2.0), (21.6, 4.0), (19.2, 4.0)])
    arm = box(8, 5, 9, (21, 0, 0)) - rod(1.6, 30, (22.5, 0, -1), sides=32)
    return all_of([dome, bead, arm - m3.Manifold.sphere(18.4, FINE)])


def rain_funnel() -> Solid:
    """Return the solid whose skin is the funnel: one rising line can lay it."""
    return turned([(0, 0), (7, 0), (7.6, 22), (9, 26), (42, 62), (44, 66), (44, 72), (0, 72)], 128)


def sensor_case() -> Solid:
    """Return an open box with four pegs and a cable opening in one wall."""
    shell = box(74, 52, 32) - box(69.2, 47.2, 32, (0, 0, 2.4))
    pegs = [rod(3.2, 20, (x, y, 2), sides=48) - rod(1.1, 19, (x, y, 4), sides=24) for x in (-28, 28) for y in (-17, 17)]
    return all_of([shell, *pegs]) - box(8, 12, 7, (0, 26, 8))


def sensor_lid() -> Solid:
    """Return the lid of the case with a lip that reaches into it."""
    plate = box(74, 52, 2.4)
    lip = box(68.6, 46.6, 3, (0, 0, 2.4)) - box(65, 43, 4, (0, 0, 2.3))
    slots = [box(1.6, 24, 5, (x, 0, -1)) for x in (-12, -6, 0, 6, 12)]
    return all_of([plate, lip]) - all_of(slots)


def bearing_hub() -> Solid:
    """Return a disc with round holes from 0.8 to 12 mm."""
    hub = turned([(0, 0), (23, 0), (23, 8), (13, 8), (13, 14), (0, 14)])
    sizes = (0.8, 1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 6.5)
    holes = [rod(6, 20, (0, 0, -1), sides=256)]
    for i, size in enumerate(sizes):
        a = 2 * math.pi * i / len(sizes)
        holes.append(rod(size / 2, 20, (18 * math.cos(a), 18 * math.sin(a), -1), sides=128))
    return hub - all_of(holes)


def vane_comb() -> Solid:
    """Return twelve fins 1.25 mm thick on a foot."""
    foot = box(62, 14, 4)
    fins = [box(1.25, 14, 22, (-27.5 + 5 * i, 0, 3)) for i in range(12)]
    return all_of([foot, *fins])


def wind_arrow() -> list[tuple[str, Solid]]:
    """Return the four bodies of the arrow, which touch but do not overlap."""
    head = m3.CrossSection([np.array([(42, -11), (64, 0), (42, 11)], np.float64)]).extrude(5)
    tail = m3.CrossSection(
        [np.array([(-62, -14), (-48, -14), (-34, 0), (-48, 14), (-62, 14), (-54, 0)], np.float64)]
    ).extrude(5)
    hub = rod(7, 9) - rod(2.6, 20, (0, 0, -1), sides=64)
    shaft = box(84, 5, 5, (2, 0, 0)) - rod(7, 20, (0, 0, -1)) - head - tail
    return [("shaft", shaft), ("point", head), ("tail", tail), ("hub", hub)]


def ridge_cap_inches() -> Solid:
    """Return a roof cap, drawn in inches."""
    roof = m3.CrossSection([np.array([(-1, 0), (-0.9, 0), (0, 0.7), (0.9, 0), (1, 0), (0, 0.82)], np.float64)])
    return roof.extrude(4.5).rotate((90, 0, 0)).translate((0, 2.25, 0))


def finial() -> Solid:
    """Return a stacked ornament with drooping horns: many small overhangs."""
    stem = turned(
        [
            (0, 0),
            (14, 0),
            (14, 3),
            (7, 8),
            (5, 20),
            (11, 26),
            (11, 28),
            (5, 33),
            (4, 48),
            (8, 54),
            (4, 61),
            (1.5, 72),
            (0, 74),
        ]
    )
    horns = []
    for level, reach, count in ((27, 22, 6), (40, 16, 5), (54, 14, 4)):
        for i in range(count):
            turn = 360 / count * i + level
            spine = [
                m3.Manifold.sphere(1.9 - 0.22 * k, 20).translate(
                    (3 + (reach - 3) * k / 5, 0, level + 5 * math.sin(k * 0.75) - 0.9 * k)
                )
                for k in range(6)
            ]
            horn = all_of([m3.Manifold.batch_hull([a, b]) for a, b in pairwise(spine)])
            horns.append(horn.rotate((0, 0, turn)))
    return all_of([stem, *horns])


def knob() -> Solid:
    """Return a fluted knob; it is torn when it is written."""
    body = turned([(0, 0), (17, 0), (17, 12), (14, 16), (6, 18), (0, 18)])
    flutes = [
        rod(3, 30, (19 * math.cos(a), 19 * math.sin(a), -1), sides=32)
        for a in np.linspace(0, 2 * math.pi, 10, endpoint=False)
    ]
    return body - all_of(flutes) - rod(3, 9, (0, 0, -1), sides=48)


def triangles(solid: Solid) -> NDArray[np.float32]:
    """Return the facets of a solid, (n, 3, 3)."""
    mesh = solid.to_mesh()
    corners: NDArray[np.float32] = np.asarray(mesh.vert_properties)[:, :3].astype(np.float32)
    facets: NDArray[np.float32] = corners[np.asarray(mesh.tri_verts)]
    return facets


def torn(facets: NDArray[np.float32]) -> NDArray[np.float32]:
    """Tear a mesh: leave some facets out, turn some, double some."""
    centre = facets.mean(axis=1)
    hole = (centre[:, 0] > 10) & (np.abs(centre[:, 1]) < 5) & (centre[:, 2] > 2) & (centre[:, 2] < 10)
    pricks = np.arange(len(facets)) % 97 == 5
    left = facets[~(hole | pricks)]
    flipped = np.arange(len(left)) % 41 == 0
    left[flipped] = left[flipped][:, ::-1]
    return np.concatenate((left, left[10:24]))


def write_stl(path: Path, facets: NDArray[np.float32]) -> None:
    """Write a binary STL."""
    rows = np.zeros(len(facets), np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")]))
    rows["corners"] = facets
    path.write_bytes(b"weather post, Tarn Hollow".ljust(80, b" ") + struct.pack("<I", len(rows)) + rows.tobytes())


def write_3mf(path: Path, name: str, bodies: list[tuple[str, Solid]]) -> None:
    """Write an assembly as a 3MF of one object made of bodies."""
    core = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
    package = "http://schemas.openxmlformats.org/package/2006"
    objects = []
    for number, (body, solid) in enumerate(bodies, 1):
        mesh = solid.to_mesh()
        vertices = "".join(
            f'<vertex x="{x:.6g}" y="{y:.6g}" z="{z:.6g}"/>'
            for x, y, z in np.asarray(mesh.vert_properties)[:, :3].tolist()
        )
        facets = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in np.asarray(mesh.tri_verts).tolist())
        objects.append(
            f'<object id="{number}" type="model" name="{body}"><mesh><vertices>{vertices}</vertices>'
            f"<triangles>{facets}</triangles></mesh></object>"
        )
    whole = len(bodies) + 1
    links = "".join(f'<component objectid="{number}"/>' for number in range(1, whole))
    model = (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="millimeter" xml:lang="en" xmlns="{core}">'
        "<resources>"
        f'{"".join(objects)}<object id="{whole}" type="model" name="{name}"><components>{links}</components>'
        f'</object></resources><build><item objectid="{whole}"/></build></model>\n'
    )
    types = (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<Types xmlns="{package}/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>'
        "</Types>\n"
    )
    links = (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<Relationships xmlns="{package}/relationships">'
        '<Relationship Target="/3D/3dmodel.model" Id="model" '
        'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>\n'
    )
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for entry, text in (
            ("[Content_Types].xml", types),
            ("_rels/.rels", links),
            ("3D/3dmodel.model", model),
        ):
            info = zipfile.ZipInfo(entry, FIXED_DATE)
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, text)


def write_bracket(path: Path) -> None:
    """Write the mast bracket as STEP: two plates, a gusset, a clamp groove and bolt holes."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse  # noqa: PLC0415 - the CAD kernel loads slowly
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeWedge  # noqa: PLC0415
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt  # noqa: PLC0415
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer  # noqa: PLC0415

    def plate(at: tuple[float, float, float], x: float, y: float, z: float) -> Any:
        return BRepPrimAPI_MakeBox(gp_Pnt(*at), x, y, z).Shape()

    def bore(at: tuple[float, float, float], way: tuple[float, float, float], radius: float, depth: float) -> Any:
        return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*way)), radius, depth).Shape()

    gusset = BRepPrimAPI_MakeWedge(gp_Ax2(gp_Pnt(26, 6, 6), gp_Dir(1, 0, 0), gp_Dir(0, 1, 0)), 26, 26, 8, 1.5).Shape()
    shape = plate((0, 0, 0), 60, 42, 6)
    for piece in (plate((0, 0, 0), 60, 7, 46), gusset):
        shape = BRepAlgoAPI_Fuse(shape, piece).Shape()
    cuts = [bore((30, -1, 30), (0, 1, 0), 9, 20)]
    cuts += [bore((x, 28, -1), (0, 0, 1), 3.25, 20) for x in (11, 49)]
    cuts += [bore((x, -1, 38), (0, 1, 0), 2.2, 20) for x in (8, 52)]
    for cut in cuts:
        shape = BRepAlgoAPI_Cut(shape, cut).Shape()
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_AsIs)
    writer.Write(str(path))
    # The kernel writes the hour and its own name into the head; the same part is to give the same bytes.
    text = path.read_text()
    start, end = text.index("FILE_DESCRIPTION"), text.index("FILE_SCHEMA")
    head = (
        "FILE_DESCRIPTION(('mast bracket'),'2;1');\n"
        "FILE_NAME('mast_bracket.step','2026-01-01T00:00:00',('Tarn Hollow'),(''),'','','');\n"
    )
    body = re.sub(r"PRODUCT\('[^']*',\s*'[^']*'", "PRODUCT('mast bracket','mast bracket'", text[end:])
    path.write_text(text[:start] + head + body)


def main(folder: Path) -> None:
    """Write all parts into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, solid in (
        ("louvre_ring", louvre_ring()),
        ("wind_cup", wind_cup()),
        ("rain_funnel", rain_funnel()),
        ("sensor_case", sensor_case()),
        ("sensor_lid", sensor_lid()),
        ("bearing_hub", bearing_hub()),
        ("vane_comb", vane_comb()),
        ("ridge_cap_inches", ridge_cap_inches()),
        ("finial", finial()),
        ("swatch_plate", box(110, 30, 4)),
    ):
        write_stl(folder / f"{name}.stl", triangles(solid))
    write_stl(folder / "torn_knob.stl", torn(triangles(knob())))
    write_3mf(folder / "wind_arrow.3mf", "wind arrow", wind_arrow())
    write_bracket(folder / "mast_bracket.step")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
