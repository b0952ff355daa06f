"""The house rules: arrows of import, types, lint, sizes, documents."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

import pytest

from even_step.core.catalogue import CATALOGUE

ROOT = Path(__file__).parents[1]
SOURCES = sorted((ROOT / "src").rglob("*.py"))
MOST_LINES, MOST_BODY, MOST_KERNEL, MOST_CLASS, MOST_METHODS, MOST_PARAMETERS = 400, 50, 120, 300, 25, 7
#: Bodies longer than allowed; the list may only shrink.
LONG_BODIES: set[str] = set()


def run(*command):
    done = subprocess.run([sys.executable, "-m", *command], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-2000:]


def test_imports_go_one_way():
    done = subprocess.run(
        [Path(sys.executable).parent / "lint-imports"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin", "TERM": "dumb"},
    )
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-2000:]


def test_ruff_is_content():
    run("ruff", "check", "--quiet", ".")
    run("ruff", "format", "--quiet", "--check", ".")


def test_mypy_is_content():
    run("mypy", "--no-error-summary")


def kernels_and_functions(nested=True):
    for path in SOURCES:
        tree = ast.parse(path.read_text())
        inner = {
            id(inside)
            for outer in ast.walk(tree)
            if isinstance(outer, ast.FunctionDef)
            for inside in ast.walk(outer)
            if inside is not outer
        }
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef) and (nested or id(node) not in inner):
                marks = {ast.unparse(mark) for mark in node.decorator_list}
                yield path, node, "kernel" in marks


def body_lines(node):
    first = node.body[1] if ast.get_docstring(node) and len(node.body) > 1 else node.body[0]
    return node.end_lineno - first.lineno + 1


def test_files_and_bodies_keep_their_size():
    too_long = [path.name for path in SOURCES if len(path.read_text().splitlines()) > MOST_LINES]
    assert too_long == []
    wrong = set()
    for path, node, is_kernel in kernels_and_functions():
        name = f"{path.parent.name}/{path.name}:{node.name}"
        if body_lines(node) > (MOST_KERNEL if is_kernel else MOST_BODY):
            wrong.add(name)
        arguments = [arg.arg for arg in node.args.args + node.args.kwonlyargs if arg.arg not in {"self", "cls"}]
        if not is_kernel and len(arguments) > MOST_PARAMETERS + 1 and not node.name.startswith("_"):
            wrong.add(name + " parameters")
    assert wrong <= LONG_BODIES, wrong - LONG_BODIES
    assert wrong >= LONG_BODIES, "take what has become short enough off the list"


def test_classes_keep_their_size():
    for path in SOURCES:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ClassDef):
                methods = [item for item in node.body if isinstance(item, ast.FunctionDef)]
                assert node.end_lineno - node.lineno <= MOST_CLASS, node.name
                assert len(methods) <= MOST_METHODS, node.name


def test_every_public_function_of_the_core_is_documented():
    missing = [
        f"{path.name}:{node.name}"
        for path, node, _ in kernels_and_functions(nested=False)
        if "core" in path.parts and not node.name.startswith("_") and not ast.get_docstring(node)
    ]
    assert missing == []


def test_no_drawer_for_odds_and_ends():
    bad = {"utils", "util", "helpers", "common", "misc", "manager", "base"}
    assert not [path for path in SOURCES if set(path.with_suffix("").parts) & bad]


def test_no_address_and_no_machine_path_in_the_repository():
    listed = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split()
    own = Path(__file__).relative_to(ROOT).as_posix()
    host = re.compile(r"pypi\.(org|python)|files\.pythonhosted|registry\.npmjs|deb\.debian|/work/main|--index-url")
    for name in listed:
        path = ROOT / name
        if name != own and path.suffix in {".py", ".md", ".toml", ".lock", ".txt", "", ".json"} and path.is_file():
            assert not host.search(path.read_text(errors="replace")), name


def test_binaries_lie_only_where_data_and_documents_are():
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, check=True).stdout.decode()
    for name in listed.rstrip("\0").split("\0"):
        path = ROOT / name
        if path.is_file() and not name.startswith(("src/even_step/data/", "docs/")):
            assert b"\0" not in path.read_bytes()[:8000], name


def test_the_locks_pin_everything_exactly_and_once():
    lines = [line for path in sorted((ROOT / "locks").glob("*.lock")) for line in path.read_text().split()]
    for line in lines:
        assert re.fullmatch(r"[A-Za-z0-9_.-]+==[0-9][A-Za-z0-9.]*", line), line
    names = [line.partition("==")[0] for line in lines]
    assert len(names) == len(set(names)) > 40


@pytest.mark.parametrize("page", ["architecture.md", "dependencies.md", "extending.md", "performance.md", "plan.md"])
def test_the_documents_are_there(page):
    assert len((ROOT / "docs" / page).read_text()) > 300


def test_the_settings_page_is_the_catalogues():
    page = (ROOT / "docs" / "settings.md").read_text()
    for key, setting in CATALOGUE.items():
        assert f"`{key}`" in page, "run python tools/make_settings_page.py"
        assert setting.explanation in page, key


def test_every_dependency_has_its_reason():
    page = (ROOT / "docs" / "dependencies.md").read_text()
    text = (ROOT / "pyproject.toml").read_text()
    block = text[text.index("dependencies = [") : text.index("[project.scripts]")]
    for name in re.findall(r'"([A-Za-z0-9_-]+)[><=]', block):
        assert name.lower() in page.lower(), name


def test_the_core_loads_without_qt():
    code = "import sys, even_step.core.report, even_step.core.picture; print([m for m in sys.modules if 'PySide' in m])"
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env={"PYTHONPATH": str(ROOT / "src")},
    )
    assert done.stdout.strip() == "[]"


def test_kernels_say_what_they_are_given():
    """A kernel that others import has a docstring; numba cannot check for it."""
    for path, node, is_kernel in kernels_and_functions():
        if is_kernel and not node.name.startswith("_"):
            assert ast.get_docstring(node), f"{path.name}:{node.name}"
