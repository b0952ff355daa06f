"""3MF and STEP are read by libraries in a process of their own, with limits on memory and time.

``python -m even_step.core.mesh.read.isolated KIND FILE OUT`` is the other end: it writes what it read to an
npz file, or what is wrong and a remedy as a line of JSON to standard error, and exits with 2. It imports no compiled
kernels, so it starts fast.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import EvenStepError, InputError
from even_step.core.mesh.read.archive import MOST_BODIES, job_text_in, sound_archive
from even_step.core.mesh.read.glb import read_glb

SOURCES = Path(__file__).parents[4]
MOST_SECONDS = 90
LOOKS = 0.05  # s from one look at the stop flag to the next
MOST_MEMORY = 3 << 30
MOST_TRIANGLES = 20_000_000
ANGLE = 0.2  # rad: how far facets may turn from a curved STEP face
MM_PER_GLTF_UNIT = 1000.0
SOLID = re.compile(rb"(MANIFOLD_SOLID_BREP|BREP_WITH_VOIDS|FACETED_BREP|FACETED_BREP_AND_BREP_WITH_VOIDS)\s*\(")

RawBody = tuple[str, NDArray[np.float64], NDArray[np.int64]]
RawPart = tuple[str, list[RawBody]]


def read_isolated(
    kind: str, path: Path, deflection: float, look: Callable[[], None] = lambda: None
) -> tuple[str, list[RawPart]]:
    """Read a ``3mf`` or a ``step`` file in a process of its own.

    Parameters
    ----------
    kind, path
        Format and file.
    deflection
        How far facets may stray from a curved STEP face, mm.
    look
        Called every so often; what it raises ends the reading.

    Returns
    -------
    str, list
        The unit the vertices are in, and parts with their bodies.

    Raises
    ------
    InputError
        With the library's reason, or when it needed too much time or memory.
    """
    with tempfile.TemporaryDirectory(prefix="even-step-") as folder:
        out = Path(folder) / "read.npz"
        command = [
            sys.executable,
            "-m",
            "even_step.core.mesh.read.isolated",
            kind,
            str(path.resolve()),
            str(out),
            repr(deflection),
        ]
        code, told = _run(command, folder, path, look)
        if code != 0 or not out.exists():
            lines = told.decode("utf-8", "replace").strip().splitlines() if code == 2 else []
            reason, remedy = json.loads(lines[-1]) if lines else ("is damaged, or too much for the reader", "")
            raise InputError(reason[:300], subject=path, remedy=remedy or "export the model again")
        with np.load(out, allow_pickle=False) as box:
            about = json.loads(str(box["about"]))
            parts = [
                (str(part["name"]), [(str(name), box[f"v{i}"], box[f"f{i}"]) for name, i in part["bodies"]])
                for part in about["parts"]
            ]
    return str(about["unit"]), parts


def _run(command: list[str], folder: str, path: Path, look: Callable[[], None]) -> tuple[int, bytes]:
    """Run the other end until it ends, is called off or takes too long; returns its code and its last words."""
    end = time.monotonic() + MOST_SECONDS
    with subprocess.Popen(
        command,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        cwd=folder,
        env={**os.environ, "PYTHONPATH": str(SOURCES)},
    ) as other:
        try:
            while time.monotonic() < end:
                look()
                try:
                    _, told = other.communicate(timeout=LOOKS)
                except subprocess.TimeoutExpired:
                    continue
                return other.returncode, told
        finally:
            other.kill()
    raise InputError(f"took longer than {MOST_SECONDS} s to read", subject=path, remedy="export a simpler model")


def _save(out: Path, unit: str, parts: list[RawPart]) -> None:
    arrays: dict[str, Any] = {}
    about = []
    for name, bodies in parts:
        listed = []
        for body, vertices, faces in bodies:
            number = len(arrays) // 2
            arrays[f"v{number}"], arrays[f"f{number}"] = vertices, faces
            listed.append((body, number))
        about.append({"name": name, "bodies": listed})
    np.savez(out, about=np.array(json.dumps({"unit": unit, "parts": about})), **arrays)


def _read_step(path: Path, deflection: float) -> tuple[str, list[RawPart]]:
    raw = path.read_bytes()
    if b"END-ISO-10303-21" not in raw[-4096:]:
        raise InputError("is cut off: the end of a STEP file is missing")
    if not SOLID.search(raw):
        raise InputError("holds no solid, only loose faces or none")
    # The CAD kernel offers itself to a mesh library that takes most of a second to load and is not used here.
    sys.modules.setdefault("trimesh", None)  # type: ignore[arg-type]
    import cascadio  # noqa: PLC0415 - only this process may load the CAD kernel

    with tempfile.TemporaryDirectory(prefix="even-step-") as folder:
        glb = Path(folder) / "model.glb"
        code = cascadio.step_to_glb(str(path), str(glb), deflection, ANGLE, use_parallel=False)
        if code != 0 or not glb.exists():
            raise InputError("cannot be read as STEP")
        placed = read_glb(glb.read_bytes())
    # Facets of neighbouring CAD faces meet to within rounding; 10 nm makes their corners equal.
    bodies = [(name, np.round(xyz * MM_PER_GLTF_UNIT, 5), faces) for name, xyz, faces in placed]
    if not bodies:
        raise InputError("holds no solid")
    return "mm", [(path.stem, bodies)]


def _read_3mf(path: Path, folder: Path) -> tuple[str, list[RawPart]]:
    sound = sound_archive(path, folder)
    from even_step.core.mesh.read.threemf import parts_of  # noqa: PLC0415 - loads the library

    return parts_of(sound, path.stem, MOST_BODIES, MOST_TRIANGLES, placed=job_text_in(path) is None)


def main(kind: str, path: Path, out: Path, deflection: float) -> int:
    """Read one file with limits set; returns the exit code."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        unit, parts = _read_step(path, deflection) if kind == "step" else _read_3mf(path, out.parent)
    except EvenStepError as error:
        print(json.dumps([error.message, error.remedy]), file=sys.stderr)  # noqa: T201 - this line is the answer to the other process
        return 2
    _save(out, unit, parts)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3]), float(sys.argv[4])))
