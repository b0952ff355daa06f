"""Where machine code is kept, and that nothing else is ever touched there."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

from even_step.core import kernel_folder, kernels
from even_step.core.warm import LIST, _Voice

ROOT = Path(__file__).parents[2]
PATHS = {"PYTHONPATH": os.pathsep.join((str(ROOT / "src"), str(ROOT)))}
OLD, NEW = "0123456789abcdef", "fedcba9876543210"


def test_what_older_sources_left_goes_and_nothing_else(tmp_path):
    for name in (OLD, NEW, "somebody-elses", "0123"):
        (tmp_path / name).mkdir()
    (tmp_path / "aaaaaaaaaaaaaaaa").write_text("a file")
    kernel_folder.forget_older(tmp_path / NEW, [tmp_path])
    assert {path.name for path in tmp_path.iterdir()} == {NEW, "somebody-elses", "0123", "aaaaaaaaaaaaaaaa"}


def test_beside_a_temporary_folder_nothing_goes(tmp_path):
    (tmp_path / OLD).mkdir()
    (tmp_path / NEW).mkdir()
    kernel_folder.forget_older(tmp_path / NEW, [tmp_path / "elsewhere"])
    assert (tmp_path / OLD).exists()


def test_where_one_root_cannot_be_written_the_next_is_taken(tmp_path):
    closed = tmp_path / "closed"
    closed.write_text("a file where a folder is wanted")
    assert kernel_folder._cache_folder([closed / "kernels", tmp_path / "own"], NEW) == tmp_path / "own" / NEW
    last = kernel_folder._cache_folder([closed / "kernels"], NEW)
    assert last.parent == Path(tempfile.gettempdir())
    last.rmdir()


@pytest.fixture(scope="module")
def said():
    """What a process of its own says of kernels: here others have been called already."""
    command = [sys.executable, "-m", "tests.kernel_calls"]
    done = subprocess.run(command, capture_output=True, text=True, check=True, env=os.environ | PATHS, cwd=ROOT)
    return json.loads(done.stdout)


def test_the_list_holds_every_kernel_that_the_warm_up_calls(said):
    listed = {(name, signature) for name, signature in json.loads(LIST.read_text())}
    assert {tuple(call) for call in said["calls"]} - listed == set(), "run tools/record_kernels.py"
    assert {name for name, _ in listed} <= set(said["known"]), "run tools/record_kernels.py"


def test_the_warm_up_calls_every_kernel_that_the_core_calls(said):
    assert len(said["wanted"]) > 60
    assert set(said["wanted"]) - {name for name, _ in said["calls"]} == set(), "let core/warm_runs.py call them"


def test_machine_code_goes_into_one_folder_for_good():
    assert str(kernel_folder.FOLDER) == kernels.config.CACHE_DIR


@pytest.mark.parametrize("terminal", [True, False])
def test_compiling_says_how_far_it_is(terminal, capsys):
    voice = _Voice(terminal)
    for share in (0.0, 0.004, 0.5, 1.0):
        voice.say(share)
    told = capsys.readouterr().err
    assert told.count("compiling kernels") == 3
    assert "50%" in told
