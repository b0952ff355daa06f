from __future__ import annotations

import numpy as np
import pytest
from hypothesis.internal.conjecture import providers

from even_step.cli import main
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.shipped import find
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.shells import mend
from even_step.core.mesh.weld import weld
from even_step.core.work import crew
from tests.slicing_help import slice_it

LONGEST = "test_command_line.py"

# Which examples are tried would else depend on what other tests have loaded: numbers of all modules are among them.
providers._get_local_constants = lambda: providers._local_constants


def pytest_collection_modifyitems(items):
    """The longest first, so that both cores are busy to the end."""
    items.sort(key=lambda item: item.path.name != LONGEST)


@pytest.fixture(scope="session")
def hands():
    with crew(2) as some:
        yield some


@pytest.fixture(scope="session")
def plain_job():
    return Job(machine=find(Machine, "Larch 220"), materials=(find(Material, "PLA"),), recipe=find(Recipe, "Even"))


@pytest.fixture(scope="session")
def sliced(tmp_path_factory):
    """Slice facets with settings; equal calls are sliced once."""
    known = {}

    def call(facets, settings=None, **more):
        key = (
            np.asarray(facets).tobytes(),
            repr(sorted((settings or {}).items())),
            repr(sorted(more.items())),
        )
        if key not in known:
            known[key] = slice_it(tmp_path_factory.mktemp("slice"), facets, settings, **more)
        return known[key]

    return call


def mended(facets) -> Mesh:
    return mend(weld(np.ascontiguousarray(facets, np.float32)).mesh).mesh


@pytest.fixture
def run(capsys):
    """Types a command; returns its exit code and what it printed."""

    def call(*arguments):
        try:
            code = main([str(word) for word in arguments])
        except SystemExit as left:
            code = left.code
        out, err = capsys.readouterr()
        return code, out, err

    return call
