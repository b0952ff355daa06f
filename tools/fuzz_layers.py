"""Take random dirty layers through every stage: ``PYTHONPATH=src:. python tools/fuzz_layers.py 20000``.

Every region that is made on the way must be valid, and every job must end with lines or with one clear error.
"""

from __future__ import annotations

import sys
import time
import traceback

import numpy as np
from tests.dirty import dirty_regions, through_every_stage

from even_step.core.errors import EvenStepError
from even_step.core.job.cascade import resolve
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.shipped import find
from even_step.core.plane import valid
from even_step.core.work import crew

LAYERS = 10
RECIPES = ("Even", "Quick", "Fine", "Sturdy")


def main() -> int:
    """Fuzz as many layers as asked for."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    valid.Checks.on = True
    machine, materials = find(Machine, "Larch 220"), (find(Material, "PLA"),)
    jobs = [Job(machine=machine, materials=materials, recipe=find(Recipe, name)) for name in RECIPES]
    all_values = [resolve(job).job.values for job in jobs]
    refused = broken = 0
    begun = time.time()
    with crew(2) as hands:
        for seed in range(count // LAYERS):
            random = np.random.default_rng(seed)
            try:
                outline = dirty_regions(random, LAYERS)
                through_every_stage(outline, all_values[seed % len(RECIPES)], hands)
            except EvenStepError as error:
                refused += 1
                print(f"seed {seed}: {error}")
            except Exception:  # noqa: BLE001 - whatever it is, it is what is looked for
                broken += 1
                print(f"seed {seed}:")
                traceback.print_exc()
    print(f"{count} layers in {time.time() - begun:.0f} s: {refused} refused, {broken} broken")
    return int(broken > 0)


if __name__ == "__main__":
    sys.exit(main())
