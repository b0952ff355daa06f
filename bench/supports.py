"""What supports cost: a figure of 200 000 facets, 100 mm tall, against its slice without them.

./even-step bench supports [--repeat N]
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from tests.slicing_help import job_of

from even_step.core.job.model import Job
from even_step.core.pipeline import slice_job
from even_step.core.stages import StageCache
from even_step.core.work import crew

FACETS = 200_000
HEIGHTS = (0.2, 0.1)
KINDS = ("sheet", "grid", "tree")


def figure(path: Path) -> int:
    """Write a figure that stands with its arms out, its surface rippled; returns how many facets it has."""
    limbs = [
        trimesh.creation.cylinder(22.0, 3.0, transform=_at(0, 0, 1.5)),
        *(_limb((x, 0, 2), (x * 0.8, 0, 45), 6.0) for x in (-9.0, 9.0)),
        _limb((0, 0, 42), (0, 0, 74), 13.0),
        *(_limb((side * 8, 0, 70), (side * 42, 6, 62), 5.0) for side in (-1, 1)),
        _limb((0, 0, 78), (0, -2, 88), 10.0),
        _limb((0, -8, 84), (0, -20, 80), 2.5),
        _limb((42, 6, 62), (44, 20, 80), 3.5),
    ]
    whole = trimesh.boolean.union(limbs)
    length = 4.0
    while len(whole.faces) < FACETS:
        vertices, faces = trimesh.remesh.subdivide_to_size(whole.vertices, whole.faces, length, max_iter=20)  # type: ignore[no-untyped-call]
        finer = trimesh.Trimesh(vertices, faces)
        if len(finer.faces) >= FACETS:
            whole = finer
            break
        length *= 0.9
    out = whole.vertices.copy()
    ripple = 0.25 * (np.sin(1.7 * out[:, 0]) + np.sin(2.1 * out[:, 1] + 0.9 * out[:, 2]) + np.sin(1.3 * out[:, 2]))
    out += whole.vertex_normals * (ripple * (out[:, 2] > 4.0))[:, None]
    trimesh.Trimesh(out, whole.faces).export(path)
    return len(whole.faces)


def _at(x: float, y: float, z: float) -> Any:
    return trimesh.transformations.translation_matrix((x, y, z))  # type: ignore[no-untyped-call]


def _limb(a: tuple[float, float, float], b: tuple[float, float, float], radius: float) -> Any:
    """Return a rod with round ends between two places."""
    ends = [trimesh.creation.icosphere(3, radius, transform=_at(*end)) for end in (a, b)]
    return trimesh.boolean.union([trimesh.creation.cylinder(radius, segment=(a, b), sections=48), *ends])


def took(job: Job) -> float:
    """Return how long all but writing G-code takes, s."""
    began = time.perf_counter()
    with crew(2) as hands:
        slice_job(job, hands, StageCache())
    return time.perf_counter() - began


def main(arguments: list[str]) -> int:
    """Print a row a layer height and kind."""
    parser = argparse.ArgumentParser(prog="even-step bench supports")
    parser.add_argument("--repeat", type=int, default=3)
    repeat = parser.parse_args(arguments).repeat
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "figure.stl"
        print(f"figure of {figure(path)} facets; with supports less without, without, ratio")
        for height in HEIGHTS:
            bare = job_of(path, {"layers.height": height, "supports.kind": "none"})
            for kind in KINDS:
                job = job_of(path, {"layers.height": height, "supports.kind": kind})
                taken = [(took(job), took(bare)) for _ in range(repeat)]
                held, rest = (statistics.median(some) for some in zip(*((a - b, b) for a, b in taken), strict=True))
                print(f"{height} mm {kind:6} {held:6.2f} s {rest:6.2f} s {held / rest:5.2f}")
    return 0
