"""With each export: a name by pattern, a picture beside the file, a command after it, all kept for the next time."""

from __future__ import annotations

import sys

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QLabel, QLineEdit

from even_step.app.exporting import ExportWishes, read_wishes
from even_step.core.wording import clock, grams


@pytest.fixture
def ready(block):
    block.slice()
    block.wait(lambda: block.canvas.is_whole)
    block.desk.view.set("station", "Output")
    return block


def fill(hand, name, text):
    field = hand.find(QLineEdit, name)
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def test_total_mass_cost_and_the_worst_finding_stand_at_the_top(ready):
    hand = ready
    trial = hand.desk.trials.shown
    total = trial.report["time_s"] + trial.report["heat_up_s"]
    assert hand.find(QLabel, "output total").text() == clock(total)
    assert hand.find(QLabel, "output costs").text().startswith(grams(trial.mass))
    assert hand.find(QLabel, "output worst").text() == "No findings."
    hand.desk.store.do("sparse", hand.desk.job.with_settings({"infill.density": 0}))
    hand.slice()
    hand.desk.view.set("station", "Output")
    assert "gap" in hand.find(QLabel, "output worst").text()


def test_the_name_follows_a_pattern_and_a_wrong_one_is_told_and_not_taken(ready):
    hand = ready
    fill(hand, "export name", "{trial}_{job}_{material}")
    assert hand.window.files.proposed("gcode") == "1_block_PLA.gcode"
    assert hand.window.files.proposed("3mf") == "block.3mf"
    fill(hand, "export name", "{nozzle}")
    assert "{nozzle}" in hand.find(QLabel, "export told").text()
    assert hand.window.files.proposed("gcode") == "1_block_PLA.gcode"
    hand.wait(lambda: read_wishes(hand.desk.state / "output.json") == ExportWishes("{trial}_{job}_{material}"))


def test_a_picture_is_put_beside_the_file_on_wish(ready, tmp_path):
    hand = ready
    target = tmp_path / "block.gcode"
    hand.window.files.export(str(target))
    hand.wait(target.exists)
    assert not target.with_suffix(".png").exists()
    QTest.mouseClick(hand.find(QCheckBox, "export picture"), Qt.MouseButton.LeftButton)
    hand.window.files.export(str(target))
    hand.wait(target.with_suffix(".png").exists)
    hand.wait(lambda: not hand.desk.background.busy)
    assert QImage(str(target.with_suffix(".png"))).width() > 300


def test_a_command_gets_the_file_as_one_word_and_its_end_is_told(ready, tmp_path):
    hand = ready
    script = tmp_path / "note it.py"
    script.write_text("import sys, pathlib\npathlib.Path(sys.argv[2]).write_text(sys.argv[1])\n")
    out = tmp_path / "out.txt"
    fill(hand, "export command", f"{sys.executable} '{script}' {{file}} '{out}'")
    target = tmp_path / "a b; echo $HOME.gcode"
    hand.window.files.export(str(target))
    hand.wait(lambda: hand.find(QLabel, "export told").text() == "The command is done.")
    assert out.read_text() == str(target)


@pytest.mark.parametrize(
    ("command", "told"),
    [
        ("no-such-program {file}", "no-such-program: No such file"),
        (f"{sys.executable} -c 'import sys; sys.exit(\"it did not go\")'", "failed (1): it did not go"),
        ("'open quote", "cannot be run"),
    ],
)
def test_a_command_that_fails_is_told_and_the_file_is_there(ready, tmp_path, command, told):
    hand = ready
    fill(hand, "export command", command)
    target = tmp_path / "block.gcode"
    hand.window.files.export(str(target))
    hand.wait(lambda: told in hand.find(QLabel, "export told").text())
    assert target.exists()
    assert told in hand.window.area.notes.text


@pytest.mark.parametrize("text", ["{", "[1]", '{"pattern": "{nozzle}"}', '{"pattern": 3, "picture": "yes"}', ""])
def test_wishes_that_cannot_be_read_are_the_usual_ones(tmp_path, text):
    (tmp_path / "output.json").write_text(text)
    assert read_wishes(tmp_path / "output.json") == ExportWishes()
