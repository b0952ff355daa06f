from __future__ import annotations

import json

import numpy as np
import pytest
import trimesh

from even_step.core.errors import InputError
from even_step.core.mesh.read.glb import read_glb


def scene():
    made = trimesh.Scene()
    turned = trimesh.transformations.rotation_matrix(0.7, (1, 2, 3), (0.1, 0.2, 0.3))
    made.add_geometry(trimesh.creation.box(extents=(1, 2, 3)), node_name="a", geom_name="block", transform=turned)
    made.add_geometry(
        trimesh.creation.icosphere(subdivisions=2),
        node_name="b",
        geom_name="ball",
        parent_node_name="a",
        transform=trimesh.transformations.translation_matrix((5, 0, 0)),
    )
    return made


def test_placed_meshes_are_where_the_file_puts_them():
    made = scene()
    bodies = {name: (xyz, faces) for name, xyz, faces in read_glb(made.export(file_type="glb"))}
    assert set(bodies) == {"block", "ball"}
    for name, node in (("block", "a"), ("ball", "b")):
        matrix, _ = made.graph[node]
        wanted = trimesh.transform_points(made.geometry[name].vertices, matrix)
        xyz, faces = bodies[name]
        assert np.sort(xyz.round(4), axis=0) == pytest.approx(np.sort(wanted.round(4), axis=0), abs=2e-4)
        assert len(faces) == len(made.geometry[name].faces)
        assert trimesh.Trimesh(xyz, faces).volume == pytest.approx(made.geometry[name].volume, rel=1e-4)


def rewritten(data, change):
    """The same file with its JSON changed."""
    length = int.from_bytes(data[12:16], "little")
    content = json.loads(data[20 : 20 + length])
    change(content)
    text = json.dumps(content).encode()
    text += b" " * (-len(text) % 4)
    return data[:12] + len(text).to_bytes(4, "little") + data[16:20] + text + data[20 + length :]


def test_shift_turn_and_scale_place_as_their_matrix_does():
    data = trimesh.Scene(trimesh.creation.box(extents=(1, 2, 3))).export(file_type="glb")

    def place(content):
        node = next(node for node in content["nodes"] if "mesh" in node)
        node.pop("matrix", None)
        half = np.sqrt(0.5)
        node |= {"translation": [1, 2, 3], "rotation": [0, 0, half, half], "scale": [2, 1, 1]}

    ((_, xyz, _),) = read_glb(rewritten(data, place))
    assert xyz.min(axis=0) == pytest.approx((1 - 1, 2 - 1, 3 - 1.5))
    assert xyz.max(axis=0) == pytest.approx((1 + 1, 2 + 1, 3 + 1.5))


@pytest.mark.parametrize(
    "change",
    [
        lambda content: content.pop("scenes"),
        lambda content: content["accessors"][0].update(count=10**9),
        lambda content: content["accessors"][0].update(componentType=1),
        lambda content: content["nodes"][0].update(children=[0]),
        lambda content: content["bufferViews"][0].update(byteOffset=-4),
    ],
)
def test_what_does_not_hold_together_is_refused(change):
    with pytest.raises(InputError):
        read_glb(rewritten(scene().export(file_type="glb"), change))


@pytest.mark.parametrize("data", [b"", b"glTF", b"\0" * 40])
def test_what_is_no_glb_is_refused(data):
    with pytest.raises(InputError):
        read_glb(data)
