"""Bringing in, opening, saving, undo."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.bench import Bench


def _bring_in(bench: Bench) -> None:
    bench.files.bring_in(bench.asking.files_to_bring_in())


def _open(bench: Bench) -> None:
    path = bench.asking.job_to_open()
    if path:
        bench.files.open(path)


def _save(bench: Bench) -> None:
    if bench.files.path:
        bench.files.save(bench.files.path)
    else:
        _save_as(bench)


def _save_as(bench: Bench) -> None:
    path = bench.asking.where_to_save(bench.files.proposed("3mf"))
    if path:
        bench.files.save(path)


def _undo_name(bench: Bench) -> str:
    return f"Undo {bench.desk.store.undo_name}".strip()


def _redo_name(bench: Bench) -> str:
    return f"Redo {bench.desk.store.redo_name}".strip()


ACTIONS = (
    Action("file.new", "New job", "Job", lambda b: b.files.new(), ("Ctrl+N",)),
    Action("file.open", "Open a job…", "Job", _open, ("Ctrl+O",), "folder-open"),
    Action(
        "file.bring_in",
        "Bring in parts…",
        "Job",
        _bring_in,
        ("Ctrl+I",),
        "plus",
        synonyms=("import", "add model", "load", "stl", "step"),
    ),
    Action("file.save", "Save the job", "Job", _save, ("Ctrl+S",), "save", can=lambda b: bool(b.desk.job.parts)),
    Action(
        "file.save_as", "Save the job as…", "Job", _save_as, ("Ctrl+Shift+S",), can=lambda b: bool(b.desk.job.parts)
    ),
    Action(
        "file.demo", "Open the demo job", "Job", lambda b: b.files.open_demo(), synonyms=("weather post", "example")
    ),
    Action("file.quit", "Leave Even Step", "Job", lambda b: b.asking.leave(), ("Ctrl+Q",), synonyms=("quit", "exit")),
    Action(
        "edit.undo",
        "Undo",
        "Edit",
        lambda b: b.desk.store.undo(),
        ("Ctrl+Z",),
        "undo-2",
        can=lambda b: bool(b.desk.store.undo_name),
        name=_undo_name,
    ),
    Action(
        "edit.redo",
        "Redo",
        "Edit",
        lambda b: b.desk.store.redo(),
        ("Ctrl+Shift+Z", "Ctrl+Y"),
        "redo-2",
        can=lambda b: bool(b.desk.store.redo_name),
        name=_redo_name,
    ),
    Action("edit.find", "Find a setting or an action", "Edit", lambda b: b.asking.open_find(), ("Ctrl+K",), "search"),
    Action("help.keys", "Keys", "Help", lambda b: b.asking.show_keys(), ("F1",), "keyboard"),
)
