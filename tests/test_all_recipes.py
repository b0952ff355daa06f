"""Models of the demo and nasty ones, with every shipped recipe and on every machine: never a traceback."""

from __future__ import annotations

import pytest

from even_step.core.errors import EvenStepError
from even_step.core.job.bring_in import parts_of
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.shipped import DATA, find, shipped
from even_step.core.mesh.read.model import read_model
from even_step.core.pipeline import slice_job
from even_step.core.stages import StageCache
from tests.shapes import NASTY, write_stl

DEMO = sorted(path for path in (DATA / "demo").iterdir() if path.suffix in {".stl", ".step", ".3mf"})
FINE = "Larch 220 fine"
#: Every recipe on a machine it fits, and every machine with one recipe.
PAIRS = [
    *((FINE if recipe == "Figure" else "Larch 220", recipe) for recipe in shipped(Recipe)),
    *((machine, "Even") for machine in shipped(Machine) if machine != "Larch 220"),
]

RECIPES = list(shipped(Recipe))
#: Every demo part with three recipes, and so every recipe with parts of several kinds.
MET = [(path, RECIPES[(i + step) % len(RECIPES)]) for i, path in enumerate(DEMO) for step in (0, 3, 5)]


def sliced(path, machine, recipe, hands):
    job = Job(
        name=path.stem,
        machine=find(Machine, machine),
        materials=(find(Material, "PLA"),),
        recipe=find(Recipe, recipe),
        settings={"layers.height": 0.15, "layers.first_height": 0.15} if "fine" in machine else {},
        parts=parts_of(path, read_model(path)),
    )
    try:
        return slice_job(job, hands, StageCache())
    except EvenStepError as error:
        assert error.exit_code == 2, error  # a recipe for another nozzle is refused with its range
        return None


@pytest.mark.parametrize(("machine", "recipe"), PAIRS)
def test_small_and_nasty_models_slice_everywhere(tmp_path, hands, machine, recipe):
    for number, facets in enumerate(NASTY.values()):
        sliced(write_stl(tmp_path / f"{number}.stl", facets), machine, recipe, hands)


@pytest.mark.parametrize(("path", "recipe"), MET, ids=lambda one: getattr(one, "stem", one))
def test_every_demo_part_and_every_recipe_meet_others(hands, path, recipe):
    sliced(path, FINE if recipe == "Figure" else "Larch 220", recipe, hands)


def test_no_demo_part_and_no_recipe_is_left_out():
    assert {path for path, _ in MET} == set(DEMO)
    assert {recipe for _, recipe in MET} == set(shipped(Recipe))
