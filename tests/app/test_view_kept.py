from __future__ import annotations

import pytest
from PySide6.QtCore import QSettings

from even_step.app.view import View
from even_step.app.view_kept import KEPT, NAME, keep_view, take_up_view
from even_step.app.widgets.play_row import WORDS


@pytest.fixture
def settings(tmp_path):
    return QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat)


def test_how_layers_are_looked_at_returns(qapp, settings, tmp_path):
    view = View()
    for name, value in (("colour_by", "speed"), ("level", "everything"), ("ghosts", True), ("pace", 10.0)):
        view.set(name, value)
    view.set("hidden_roles", frozenset({"infill"}))
    keep_view(view, settings)
    settings.sync()
    again = View()
    told = []
    again.changed.connect(told.append)
    take_up_view(again, QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat))
    assert (again.colour_by, again.level, again.ghosts, again.pace) == ("speed", "everything", True, 10.0)
    assert again.hidden_roles == {"infill"}
    assert {"colour_by", "level", "ghosts", "pace", "hidden_roles"} <= set(told)


ODD = (
    "{",
    "[]",
    '{"colour_by": "only", "pace": true, "hidden_roles": "infill", "marks": 1, "level": 3}',
    '{"pace": 7, "colour_by": ["role"], "hidden_roles": ["no such role"], "who": "knows"}',
)


@pytest.mark.parametrize("kept", ODD)
def test_what_cannot_be_read_is_as_usual(qapp, settings, kept):
    settings.setValue(NAME, kept)
    view, plain = View(), View()
    take_up_view(view, settings)
    assert [getattr(view, name) for name in KEPT] == [getattr(plain, name) for name in KEPT]


def test_the_window_takes_it_up(window):
    view = window.desk.view
    view.set("colour_by", "fan")
    view.set("pace", 100.0)
    keep_view(view, window._settings)
    view.set("colour_by", "role")
    view.set("pace", 0.0)
    take_up_view(view, window._settings)
    assert view.colour_by == "fan"
    assert window.area.play._pace.currentText() == WORDS[3]
