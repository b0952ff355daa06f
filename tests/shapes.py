"""Solids whose measures are known in closed form, and the nasty shapes every reader and stage must stand."""

from __future__ import annotations

import itertools
import math
import struct
from pathlib import Path

import numpy as np
import shapely
import trimesh


def box(x=20.0, y=20.0, z=20.0, at=(0.0, 0.0, 0.0)):
    """Facets (n, 3, 3) of a block that stands on ``at``'s height with its middle over ``at``."""
    mesh = trimesh.creation.box(extents=(x, y, z))
    return np.asarray(mesh.triangles) + (at[0], at[1], at[2] + z / 2)


def ball(radius=15.0, subdivisions=5, at=(0.0, 0.0, 0.0)):
    mesh = trimesh.creation.icosphere(subdivisions=subdivisions, radius=radius)
    return np.asarray(mesh.triangles) + at


def extruded(polygon, height):
    if polygon.geom_type == "MultiPolygon":
        return np.concatenate([extruded(part, height) for part in polygon.geoms])
    """Facets of an upright prism over a polygon."""
    floor = np.array([np.asarray(t.exterior.coords)[:3] for t in shapely.constrained_delaunay_triangles(polygon).geoms])
    a, b = floor[:, 1] - floor[:, 0], floor[:, 2] - floor[:, 0]
    turn = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0] > 0
    floor[~turn] = floor[~turn][:, ::-1]
    top = np.concatenate((floor, np.full((*floor.shape[:2], 1), height)), axis=2)
    bottom = np.concatenate((floor, np.zeros((*floor.shape[:2], 1))), axis=2)[:, ::-1]
    sides = []
    shape = shapely.geometry.polygon.orient(polygon)
    for ring in (shape.exterior, *shape.interiors):
        xy = np.asarray(ring.coords)
        for (x0, y0), (x1, y1) in itertools.pairwise(xy):
            a, b, c, d = (x0, y0, 0), (x1, y1, 0), (x1, y1, height), (x0, y0, height)
            sides += [(a, b, c), (a, c, d)]
    return np.concatenate((top, bottom, np.array(sides, float)))


def holed_block(side=20.0, hole=8.0, height=10.0, sides=128):
    """A square block with a round shaft."""
    turn = np.linspace(0, 2 * math.pi, sides, endpoint=False)
    ring = np.stack((np.cos(turn), np.sin(turn)), axis=1) * hole / 2
    return extruded(shapely.Polygon(shapely.box(-side / 2, -side / 2, side / 2, side / 2).exterior, [ring]), height)


def turned(profile, sides=128):
    """Facets of a solid turned about z: radius and height of each ring, from below."""
    turn = np.linspace(0, 2 * math.pi, sides, endpoint=False)
    rings = [np.column_stack((r * np.cos(turn), r * np.sin(turn), np.full(sides, z))) for r, z in profile]
    facets = []
    for low, high in itertools.pairwise(rings):
        after = np.roll(low, -1, axis=0), np.roll(high, -1, axis=0)
        facets += [np.stack((low, after[0], after[1]), axis=1), np.stack((low, after[1], high), axis=1)]
    for ring, z, order in ((rings[0], profile[0][1], -1), (rings[-1], profile[-1][1], 1)):
        middle = np.tile((0.0, 0.0, z), (sides, 1))
        facets.append(np.stack((ring, np.roll(ring, -1, axis=0), middle), axis=1)[:, ::order])
    return np.concatenate(facets)


def inside_out(facets):
    return facets[:, ::-1].copy()


def hollow_box(outer=20.0, inner=10.0):
    """A box with a closed cavity."""
    return np.concatenate((box(outer, outer, outer), inside_out(box(inner, inner, inner, (0, 0, (outer - inner) / 2)))))


def comb(teeth=6, thick=1.2, gap=2.0, height=5.0):
    width = teeth * (thick + gap)
    shape = shapely.union_all(
        [shapely.box(0, 0, width, 3)]
        + [shapely.box(i * (thick + gap), 0, i * (thick + gap) + thick, 12) for i in range(teeth)]
    )
    return extruded(shape, height)


def narrow_plans():
    """Outlines with places that whole lines do not fit, by name."""
    pitch, thick = 2.2, 0.7
    teeth = [shapely.box(i * pitch, 0, i * pitch + thick, 12) for i in range(12)]
    disc = shapely.Point(0, 0).buffer(10, quad_segs=32).difference(shapely.Point(0, 0).buffer(7, quad_segs=32))
    spoke = shapely.box(9.5, -thick / 2, 14, thick / 2)
    spokes = [shapely.affinity.rotate(spoke, i * 15, origin=(0, 0)) for i in range(24)]
    bars = [(0, 0, 0.9, 8), (0, 0, 4, 0.8), (0, 3.6, 3.4, 4.4), (0, 7.2, 4, 8)]
    hook = [(15, 7), (13.5, 7.6), (12.2, 6.4), (13, 4.4), (14.6, 3.4), (14.8, 1.4), (13, 0.5), (12, 1.2)]
    letters = [
        shapely.union_all([shapely.box(*bar) for bar in bars]),
        shapely.LineString([(6, 8), (8, 0.6), (10, 8)]).buffer(0.4, cap_style="flat", join_style="mitre"),
        shapely.LineString(hook).buffer(0.42, quad_segs=8),
    ]
    return {
        "comb": shapely.union_all([shapely.box(0, 0, 12 * pitch, 3), *teeth]),
        "wall": shapely.box(0, 0, 20, 0.45),
        "wedge": shapely.Polygon([(0, 0), (30, -1.5), (30, 1.5)]),
        "blunt wedge": shapely.Polygon([(0, -0.01), (40, -1.5), (40, 1.5), (0, 0.01)]),
        "ring of teeth": shapely.union_all([disc, *spokes]),
        "letters": shapely.union_all(letters),
    }


def without(facets, share=0.02, seed=1):
    """The mesh with a share of its facets torn out."""
    keep = np.random.default_rng(seed).random(len(facets)) >= share
    return facets[keep]


def flipped(facets, share=0.2, seed=2):
    """The mesh with a share of its facets turned."""
    out = facets.copy()
    turn = np.random.default_rng(seed).random(len(facets)) < share
    out[turn] = out[turn][:, ::-1]
    return out


#: Name → facets: none of these may make a stage fail, whatever they look like sliced.
NASTY = {
    "two boxes sharing an edge": np.concatenate((box(10, 10, 10), box(10, 10, 10, (10, 10, 0)))),
    "two boxes sharing a face": np.concatenate((box(10, 10, 10), box(10, 10, 10, (10, 0, 0)))),
    "overlapping balls": np.concatenate((ball(8, 3, (0, 0, 8)), ball(8, 3, (6, 0, 8)))),
    "a box twice": np.concatenate((box(), box())),
    "a box with facets both ways": np.concatenate((box(), inside_out(box()))),
    "a lone sheet": box()[:2],
    "a needle": extruded(shapely.Polygon([(0, 0), (30, 0.05), (0, 0.1)]), 5),
    "a box without its top": box()[box()[:, :, 2].min(axis=1) < 19.9],
    "a torn ball": without(ball(10, 3, (0, 0, 10)), 0.05),
    "a ball with flipped facets": flipped(ball(10, 3, (0, 0, 10))),
    "a tiny box": box(0.05, 0.05, 0.05),
    "a flat box": box(20, 20, 0.05),
    "a ball in a cavity in a ball": np.concatenate((ball(10, 3), inside_out(ball(6, 3)), ball(3, 3))),
    "vertices on every cutting plane": box(10, 10, 3.05, (0, 0, 0)),
    "a long thin wall": box(60, 0.3, 10),
}


def stl_bytes(facets):
    facets = np.asarray(facets, np.float32)
    rows = np.zeros(len(facets), np.dtype([("n", "<f4", 3), ("v", "<f4", (3, 3)), ("s", "<u2")]))
    rows["v"] = facets
    return b"test".ljust(80) + struct.pack("<I", len(rows)) + rows.tobytes()


def write_stl(path: Path, facets) -> Path:
    path.write_bytes(stl_bytes(facets))
    return path


def text_stl(facets):
    rows = ["solid test"]
    for corners in np.asarray(facets):
        rows += ["facet normal 0 0 0", "outer loop"]
        rows += [f"vertex {x:.7g} {y:.7g} {z:.7g}" for x, y, z in corners]
        rows += ["endloop", "endfacet"]
    return "\n".join([*rows, "endsolid test", ""])


def indexed(facets):
    corners = np.asarray(facets).reshape(-1, 3)
    vertices, faces = np.unique(np.round(corners, 6), axis=0, return_inverse=True)
    return vertices, faces.reshape(-1, 3)


def obj_text(facets):
    vertices, faces = indexed(facets)
    return "".join(f"v {x:.7g} {y:.7g} {z:.7g}\n" for x, y, z in vertices) + "".join(
        f"f {a + 1} {b + 1} {c + 1}\n" for a, b, c in faces
    )


def ply_bytes(facets, form="binary_little_endian"):
    vertices, faces = indexed(facets)
    head = (
        f"ply\nformat {form} 1.0\ncomment made up\nelement vertex {len(vertices)}\nproperty float x\n"
        f"property float y\nproperty float z\nproperty uchar red\nelement face {len(faces)}\n"
        "property list uchar int vertex_indices\nend_header\n"
    ).encode()
    if form == "ascii":
        rows = [f"{x:.7g} {y:.7g} {z:.7g} 7" for x, y, z in vertices] + [f"3 {a} {b} {c}" for a, b, c in faces]
        return head + ("\n".join(rows) + "\n").encode()
    order = "<" if "little" in form else ">"
    v = np.zeros(len(vertices), np.dtype([("p", order + "f4", 3), ("c", "u1")]))
    v["p"] = vertices
    f = np.zeros(len(faces), np.dtype([("n", "u1"), ("i", order + "i4", 3)]))
    f["n"], f["i"] = 3, faces
    return head + v.tobytes() + f.tobytes()
