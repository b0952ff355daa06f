"""Bringing in, opening, saving, undo."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.reach import Reach


def _bring_in(reach: Reach) -> None:
    reach.files.bring_in(reach.asking.files_to_bring_in())


def _open(reach: Reach) -> None:
    path = reach.asking.job_to_open()
    if path:
        reach.files.open(path)


def _save(reach: Reach) -> None:
    if reach.files.path:
        reach.files.save(reach.files.path)
    else:
        _save_as(reach)


def _save_as(reach: Reach) -> None:
    path = reach.asking.where_to_save(reach.files.proposed("3mf"))
    if path:
        reach.files.save(path)


def _undo_name(reach: Reach) -> str:
    return f"Undo {reach.desk.store.undo_name}".strip()


def _redo_name(reach: Reach) -> str:
    return f"Redo {reach.desk.store.redo_name}".strip()


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
