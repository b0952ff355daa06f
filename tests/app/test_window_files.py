from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from even_step.app.keeping import Keeping
from even_step.core.job import edits
from even_step.core.job.file import read_job_file
from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


@pytest.fixture
def block(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 20, 10)))
    return hand


def without_files(job):
    return job.model_copy(update={"parts": tuple(part.model_copy(update={"file": ""}) for part in job.parts)})


def test_a_saved_job_opens_with_everything(block, tmp_path):
    job = edits.with_copies(block.desk.job, 0, 2)
    job = edits.placed_at(job, {(0, 0): (60.0, 60.0), (0, 1): (120.5, 80.25)})
    job = edits.with_setting(edits.turned(job, [(0, 0)], 0, 90.0), "infill.density", 33)
    block.desk.store.do("several things", job.model_copy(update={"name": "two blocks"}))
    saved = tmp_path / "two.3mf"
    block.window.files.save(str(saved))
    block.wait(lambda: not block.window.files.reading)
    assert block.desk.store.is_saved
    before = block.slice()
    block.window.files.new()
    assert block.desk.job.parts == ()
    block.window.files.open(str(saved))
    block.drawn()
    assert block.desk.job.name == "two blocks"
    assert without_files(block.desk.job) == without_files(read_job_file(saved))
    assert [copy.at for copy in block.desk.job.parts[0].copies] == [(60.0, 60.0), (120.5, 80.25)]
    assert block.slice().report["time_s"] == before.report["time_s"]


def test_saving_over_the_opened_file_keeps_every_part_through_undo(hand, tmp_path):
    paths = [write_stl(tmp_path / f"{name}.stl", box(20, 10 + i, 5)) for i, name in enumerate("abc")]
    hand.drop(*paths)
    saved = tmp_path / "job.3mf"
    hand.window.files.save(str(saved))
    hand.wait(lambda: not hand.window.files.reading)
    hand.window.files.open(str(saved))
    hand.drawn()
    hand.desk.selection.pick([(0, 0)])
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Delete)
    hand.key(Qt.Key.Key_S, Held.ControlModifier)
    hand.wait(lambda: not hand.window.files.reading)
    assert [part.name for part in read_job_file(saved).parts] == ["b", "c"]
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    hand.drawn()
    depths = [hand.desk.stand((i, 0)).size[1] for i in range(3)]
    assert depths == pytest.approx([10, 11, 12])


def test_a_job_outlives_the_files_it_was_made_from(block, tmp_path):
    (tmp_path / "block.stl").unlink()
    assert block.slice().report["layers"]["count"] == 50


def test_opening_another_job_can_be_undone(block):
    job = block.desk.job
    block.window.files.open_demo()
    block.drawn()
    assert len(block.canvas.scene.parts) == 11
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert block.desk.job == job


def test_a_damaged_job_is_told_and_leaves_the_desk_as_it_is(block, tmp_path):
    bad = tmp_path / "bad.toml"
    bad.write_text("version = 99\n")
    job = block.desk.job
    block.window.files.open(str(bad))
    block.wait(lambda: not block.window.files.reading)
    assert "newer Even Step" in block.window.area.notes.text
    assert block.desk.job is job


def test_opened_files_are_remembered(block, tmp_path):
    assert block.window.files.recent == [str(tmp_path / "block.stl")]
    (tmp_path / "block.stl").unlink()
    assert block.window.files.recent == []


def test_the_job_is_kept_while_it_is_worked_on_and_let_go_on_closing(block):
    keeping = block.window.keeping
    keeping.keep()
    block.wait(keeping._file.exists)
    assert without_files(read_job_text(keeping._file)) == without_files(block.desk.job)
    assert Path(read_job_text(keeping._file).parts[0].file).exists()
    block.window.close()
    assert not keeping._file.exists()


def test_a_killed_sessions_job_is_offered_and_comes_back(block, tmp_path):
    keeping = block.window.keeping
    keeping.keep()
    block.wait(keeping._file.exists)
    job = block.desk.job
    left = keeping._folder / "999999999.toml"
    keeping._file.rename(left)
    block.window.files.new()
    block.window.offer_recovery()
    assert block.window.area.notes.isVisible()
    block.click("remedy Recover it")
    block.drawn()
    assert without_files(block.desk.job) == without_files(job)


def test_a_window_killed_at_work_leaves_a_job_that_can_be_recovered(qapp, tmp_path):
    model = write_stl(tmp_path / "block.stl", box(30, 20, 10))
    code = f"""
import os, signal
from pathlib import Path
def main():
    from even_step.app.main import open_window, application
    from even_step.app.shots import wait_until, drawn
    window = open_window([{str(model)!r}], state=Path({str(tmp_path / "state")!r}))
    wait_until(lambda: bool(window.desk.job.parts) and drawn(window), "the block")
    window.keeping.keep()
    wait_until(lambda: window.keeping._file.exists(), "the kept job")
    os.kill(os.getpid(), signal.SIGKILL)
if __name__ == "__main__":
    main()
"""
    script = tmp_path / "killed.py"
    script.write_text(code)
    environment = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2] / "src")}
    done = subprocess.run([sys.executable, str(script)], env=environment, check=False, timeout=120)
    assert done.returncode == -9
    kept = list((tmp_path / "state" / "recovery").glob("*.toml"))
    assert len(kept) == 1
    assert read_job_text(kept[0]).parts[0].name == "block"


def test_the_window_remembers_its_size(block):
    block.window.resize(1200, 760)
    block.window.close()
    assert block.window._settings.value("geometry") is not None


def test_running_sessions_are_no_leftovers(block):
    keeping = Keeping(block.desk)
    keeping._folder.mkdir(parents=True, exist_ok=True)
    (keeping._folder / f"{os.getppid()}.toml").write_text("")
    assert all(path.stem != str(os.getpid()) for path in keeping.left_behind())
    keeping.close()


def test_the_list_of_names_survives_damage(block):
    block.window.files._recent_file.write_text("{")
    assert block.window.files.recent == []
    block.window.files._recent_file.write_text(json.dumps([1, str(DATA / "demo" / "bearing_hub.stl")]))
    assert block.window.files.recent == [str(DATA / "demo" / "bearing_hub.stl")]
