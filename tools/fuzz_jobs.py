"""Spoil jobs in text at random and read them: ``PYTHONPATH=src python tools/fuzz_jobs.py 10000``.

Every case must end with a job or with one clear error that names the file, within the time limit. With ``slice`` behind
the number a small job is spoiled and what can be read of it is sliced.
"""

from __future__ import annotations

import copy
import signal
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import tomli_w

from even_step.core.errors import EvenStepError
from even_step.core.job.shipped import DATA, read_toml
from even_step.core.job.text import read_job_text
from even_step.core.pipeline import slice_job
from even_step.core.report import report
from even_step.core.stages import StageCache, StageRun
from even_step.core.work import crew

MOST_SECONDS, MOST_TO_SLICE = 5, 60
SEED = 13
SAMPLES = ("weather_post.toml", "arrow_job.toml", "swatch_job.toml", "funnel_job.toml")
#: What a slip of the hand or malice puts in place of a value.
STRANGE: tuple[Any, ...] = (
    *(0, -1, 1e300, -1e300, 1e-300, 10**18, True, "", "x" * 300, "\x00", "../../x.stl", "nan", "/dev/zero"),
    *([], {}, [[]], [1e9] * 4, [{}], {"a": {"a": {"a": 1}}}, ["x"] * 1000, float("inf"), float("nan")),
)


def samples() -> list[dict[str, Any]]:
    """Return the records of the jobs that ship."""
    return [dict(read_toml(DATA / "demo" / name)) for name in SAMPLES]


def _places(found: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Return where values stand in a record."""
    pairs = found.items() if isinstance(found, dict) else enumerate(found) if isinstance(found, list) else ()
    return [path, *(place for key, value in pairs for place in _places(value, (*path, key)))]


def spoiled(record: dict[str, Any], random: np.random.Generator) -> bytes:
    """Return the text of a record with some values taken away, doubled or replaced, and some bytes flipped at times."""
    record = copy.deepcopy(record)
    for _ in range(int(random.integers(1, 5))):
        places = _places(record)[1:]
        if not places:
            break
        *way, last = places[int(random.integers(len(places)))]
        holder: Any = record
        for step in way:
            holder = holder[step]
        kind = random.random()
        if kind < 0.2:
            del holder[last]
        elif kind < 0.3 and isinstance(holder, list):
            holder.extend(copy.deepcopy(holder[last]) for _ in range(int(random.integers(1, 200))))
        elif kind < 0.4 and isinstance(holder, dict):
            holder["".join(random.choice(list("abc._")) for _ in range(6))] = holder[last]
        else:
            holder[last] = copy.deepcopy(STRANGE[int(random.integers(len(STRANGE)))])
    raw = tomli_w.dumps(record).encode("utf-8", "replace")
    if random.random() < 0.3:
        out = np.frombuffer(raw, np.uint8).copy()
        places_ = random.integers(0, len(out), random.integers(1, 6))
        out[places_] = random.integers(0, 256, len(places_))
        raw = out.tobytes()
    return raw


def small_sample(folder: Path) -> dict[str, Any]:
    """Return a job of a small block with something of everything, whose file is written into a folder."""
    corners = np.array([(x, y, z) for x in (0, 12) for y in (0, 12) for z in (0, 6)], "<f4")
    sides = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))
    facets = [corners[[side[0], side[k], side[k + 1]]] for side in sides for k in (1, 2)]
    body = b"".join(bytes(12) + facet.tobytes() + bytes(2) for facet in facets)
    (folder / "block.stl").write_bytes(bytes(80) + np.uint32(len(facets)).tobytes() + body)
    return {
        "machine": "Larch 220",
        "materials": ["PLA"],
        "recipe": "Even",
        "settings": {"infill": {"density": 15}, "supports": {"kind": "tree"}, "foot": {"kind": "brim"}},
        "layout": {"spacing": 5.0, "keep_out": [[0.0, 0.0, 20.0, 20.0]]},
        "parts": [
            {
                "name": "block",
                "file": "block.stl",
                "unit": "mm",
                "scale": [1.0, 1.0, 1.2],
                "turn": [0.0, 30.0, 0.0],
                "settings": {"walls": {"count": 3}},
                "copies": [{"at": [60.0, 60.0], "turn": 20.0}, {"at": [120.0, 60.0]}],
                "curve": [{"low": 1.0, "high": 2.0, "height": 0.12}],
                "zones": [
                    {
                        "shape": "box",
                        "middle": [6.0, 6.0, 3.0],
                        "size": [4.0, 4.0, 4.0],
                        "settings": {"walls.count": 5},
                    },
                    {"shape": "backing", "near": [[6.0, 6.0, 6.0]], "depth": 1.5},
                ],
                "posts": [{"at": [3.0, 3.0, 0.0], "diameter": 3.0}],
                "marks": [{"kind": "keep-clear", "near": [9.0, 9.0, 0.0], "radius": 2.0}],
            }
        ],
    }


def stretched(record: dict[str, Any], random: np.random.Generator) -> bytes:
    """Return the text of a record with one or two of its numbers many times as large or as small."""
    record = copy.deepcopy(record)
    for _ in range(int(random.integers(1, 3))):
        places = [place for place in _places(record) if place]
        *way, last = places[int(random.integers(len(places)))]
        holder: Any = record
        for step in way:
            holder = holder[step]
        if isinstance(holder[last], int | float):
            kind = type(holder[last])
            holder[last] = kind(holder[last] * 10 ** random.uniform(-1.0, 1.0) * random.choice([1, 1, 1, -1]))
    return tomli_w.dumps(record).encode()


def fault_of(path: Path, *, slices: bool = False) -> str | None:
    """Read a job; returns what is wrong with how it was refused, or nothing, and none where it was read."""
    try:
        job = read_job_text(path)
        if slices and job.parts:
            with crew(2) as hands:
                cache = StageCache()
                run = StageRun(hands, cache)
                report(slice_job(job, hands, cache, run), run)
    except EvenStepError as error:
        line = str(error)
        return "" if "\n" not in line and len(line) < 700 else f"unclear: {line[:300]!r}"
    except Exception as error:  # noqa: BLE001 - that is what is looked for
        return f"{type(error).__name__}: {error}"[:300]
    return None


def main(cases: int, *, slices: bool) -> int:
    """Read that many spoiled jobs, and slice them on wish; returns 1 when any broke the reader."""
    random = np.random.default_rng(SEED)
    signal.signal(signal.SIGALRM, lambda *_: (_ for _ in ()).throw(TimeoutError("too slow")))
    read, broken, begun = 0, list[str](), time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "job.toml"
        good = [small_sample(Path(folder))] if slices else samples()
        for case in range(cases):
            path.write_bytes((stretched if slices else spoiled)(good[case % len(good)], random))
            signal.alarm(MOST_TO_SLICE if slices else MOST_SECONDS)
            fault = fault_of(path, slices=slices)
            signal.alarm(0)
            read += fault is None
            if fault:
                broken.append(f"{case}: {fault}")
    print(f"{cases} cases in {time.monotonic() - begun:.0f} s: {read} read, {len(broken)} broken")
    print("\n".join(broken[:20]))
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000, slices="slice" in sys.argv[2:]))
