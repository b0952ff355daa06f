"""Flip bytes of sound model files at random and read them: ``PYTHONPATH=src python tools/fuzz_readers.py 10000``.

Every case must end with parts or with one clear error, within the time limit. 3MF and STEP start a process
each, so they get a fiftieth of the cases.
"""

from __future__ import annotations

import signal
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from even_step.core.errors import InputError
from even_step.core.job.shipped import DATA
from even_step.core.mesh.read.model import read_model

MOST_SECONDS = 20
SEED = 11


def samples() -> dict[str, bytes]:
    """Return sound files of every format, small ones."""
    demo = DATA / "demo"
    cap = (demo / "ridge_cap_inches.stl").read_bytes()
    corners = np.frombuffer(cap, np.dtype([("n", "<f4", 3), ("v", "<f4", (3, 3)), ("s", "<u2")]), offset=84)["v"]
    flat = corners.reshape(-1, 3)
    text = "solid cap\n" + "".join(
        "facet\n" + "".join(f"vertex {x} {y} {z}\n" for x, y, z in facet) + "endfacet\n" for facet in corners
    )
    obj = "".join(f"v {x} {y} {z}\n" for x, y, z in flat)
    obj += "".join(f"f {3 * i + 1} {3 * i + 2} {3 * i + 3}\n" for i in range(len(corners)))
    head = (
        f"ply\nformat %s 1.0\nelement vertex {len(flat)}\nproperty float x\nproperty float y\nproperty float z\n"
        f"element face {len(corners)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    faces = np.arange(len(flat), dtype="<i4").reshape(-1, 3)
    binary = (head % "binary_little_endian").encode() + flat.tobytes()
    binary += b"".join(b"\x03" + face.tobytes() for face in faces)
    ascii_ = head % "ascii" + "".join(f"{x} {y} {z}\n" for x, y, z in flat)
    ascii_ += "".join("3 {} {} {}\n".format(*face) for face in faces)
    return {
        "a.stl": cap,
        "b.stl": text.encode(),
        "c.obj": obj.encode(),
        "d.ply": binary,
        "e.ply": ascii_.encode(),
        "f.3mf": (demo / "wind_arrow.3mf").read_bytes(),
        "g.step": (demo / "mast_bracket.step").read_bytes(),
    }


def damaged(data: bytes, random: np.random.Generator) -> bytes:
    """Return the bytes with a few flipped, and cut off sometimes."""
    out = np.frombuffer(data, np.uint8).copy()
    places = random.integers(0, len(out), random.integers(1, 20))
    out[places] = random.integers(0, 256, len(places))
    if random.random() < 0.2:
        out = out[: random.integers(1, len(out))]
    return out.tobytes()


def main(cases: int) -> int:
    """Read that many damaged files; returns 1 when any broke a reader."""
    random = np.random.default_rng(SEED)
    good = samples()
    fast = [name for name in good if name[0] < "f"]
    slow = [name for name in good if name[0] >= "f"]
    signal.signal(signal.SIGALRM, lambda *_: (_ for _ in ()).throw(TimeoutError("too slow")))
    read = refused = 0
    broken: list[str] = []
    begun = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        for case in range(cases):
            name = slow[case // 50 % len(slow)] if case % 50 == 0 else fast[case % len(fast)]
            path = Path(folder) / name
            path.write_bytes(damaged(good[name], random))
            signal.alarm(MOST_SECONDS)
            try:
                for repair in ("all", "none"):
                    read_model(path, repair=repair)
                read += 1
            except InputError as error:
                refused += 1
                if name not in str(error) or "\n" in str(error):
                    broken.append(f"{case} {name}: unclear: {error}")
            except Exception as error:  # noqa: BLE001 - that is what is looked for
                broken.append(f"{case} {name}: {type(error).__name__}: {error}")
            finally:
                signal.alarm(0)
    print(f"{cases} cases in {time.monotonic() - begun:.0f} s: {read} read, {refused} refused, {len(broken)} broken")
    print("\n".join(broken[:20]))
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000))
