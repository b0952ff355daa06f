from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMenu, QProgressBar

from even_step.app.keeping import Keeping
from even_step.app.main import open_window
from even_step.core.job import edits
from even_step.core.job.file import read_job_file
from even_step.core.job.model import Machine, Recipe
from even_step.core.job.shipped import DATA, find
from even_step.core.job.text import job_text, read_job_text
from tests.app.file_dialogs import answer, when_it_opens
from tests.shapes import box, write_stl
from tests.spots import nth_spot

DEMO = DATA / "demo"
Held = Qt.KeyboardModifier


def without_files(job):
    return job.model_copy(update={"parts": tuple(part.model_copy(update={"file": ""}) for part in job.parts)})


def test_a_saved_job_opens_with_everything(block, tmp_path):
    job = edits.with_copies(block.desk.job, block.part(), 2)
    job = edits.placed_at(job, {nth_spot(job): (60.0, 60.0), nth_spot(job, 0, 1): (120.5, 80.25)})
    job = edits.with_setting(edits.turned(job, [nth_spot(job)], 0, 90.0), "infill.density", 33)
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


def dropped_job(hand, tmp_path, version=1):
    """Drop a job of two pegs on a bed where a block stands."""
    write_stl(tmp_path / "peg.stl", box(8, 8, 12))
    job = tmp_path / "pegs.toml"
    job.write_text(
        f'version = {version}\nname = "pegs"\n[settings]\n"infill.density" = 44\n'
        '[[parts]]\nname = "peg"\nfile = "peg.stl"\ncopies = [{at = [110, 110]}, {at = [60, 60]}]\n'
    )
    hand.drop(job)
    return job


def test_a_dropped_job_asks_in_place_and_adds_its_parts(block, tmp_path):
    before = block.desk.job
    dropped_job(block, tmp_path)
    assert block.desk.job == before
    assert "pegs.toml is a whole job" in block.window.area.notes.text
    block.click("remedy Add its parts")
    block.wait(lambda: len(block.desk.job.parts) == 2)
    block.drawn()
    assert [part.name for part in block.desk.job.parts] == ["block", "peg"]
    assert block.desk.job.settings == before.settings
    assert not any(part.fault for part in block.canvas.scene.parts)
    assert block.desk.store.undo_name == "add the parts of pegs"


def test_a_dropped_job_can_be_opened_instead(block, tmp_path):
    dropped_job(block, tmp_path)
    block.click("remedy Open it")
    block.wait(lambda: block.desk.job.name == "pegs")
    block.drawn()
    assert block.desk.job.settings == {"infill.density": 44.0}


def test_on_an_empty_bed_a_job_is_opened_and_a_newer_one_says_so(hand, tmp_path):
    dropped_job(hand, tmp_path, version=9)
    assert hand.desk.job.name == "pegs"
    assert "newer Even Step" in hand.window.area.notes.text
    assert hand.window.files.path == ""


def test_saving_over_the_opened_file_keeps_every_part_through_undo(hand, tmp_path):
    paths = [write_stl(tmp_path / f"{name}.stl", box(20, 10 + i, 5)) for i, name in enumerate("abc")]
    hand.drop(*paths)
    saved = tmp_path / "job.3mf"
    hand.window.files.save(str(saved))
    hand.wait(lambda: not hand.window.files.reading)
    hand.window.files.open(str(saved))
    hand.drawn()
    hand.desk.selection.pick([hand.spot()])
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Delete)
    hand.key(Qt.Key.Key_S, Held.ControlModifier)
    hand.wait(lambda: not hand.window.files.reading)
    assert [part.name for part in read_job_file(saved).parts] == ["b", "c"]
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    hand.drawn()
    depths = [hand.desk.stand(hand.spot(i)).size[1] for i in range(3)]
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
    bad.write_text("machine = 'Willow'\n")
    job = block.desk.job
    block.window.files.open(str(bad))
    block.wait(lambda: not block.window.files.reading)
    assert "Willow" in block.window.area.notes.text
    assert block.desk.job is job


def test_opened_files_are_remembered(block, tmp_path):
    assert block.window.files.recent == [str(tmp_path / "block.stl")]
    (tmp_path / "block.stl").unlink()
    assert block.window.files.recent == []


def test_the_job_is_kept_while_it_is_worked_on_and_let_go_once_saved(block, tmp_path):
    keeping = block.window.keeping
    keeping.keep()
    block.wait(keeping._file.exists)
    assert without_files(read_job_text(keeping._file)) == without_files(block.desk.job)
    assert Path(read_job_text(keeping._file).parts[0].file).exists()
    block.window.files.save(str(tmp_path / "saved.3mf"))
    block.wait(lambda: not block.window.files.reading)
    keeping.keep()
    assert not keeping._file.exists()


def test_what_was_not_saved_is_kept_on_closing_and_offered_at_the_next_start(block, tmp_path):
    job = block.desk.job
    block.window.close()
    (left,) = (tmp_path / "state" / "recovery").glob("unsaved-*.toml")
    assert without_files(read_job_text(left)) == without_files(job)
    other = open_window(state=tmp_path / "state")
    try:
        assert other.area.notes.isVisible()
        other.files.open(str(left), recovered=True)
        block.wait(lambda: bool(other.desk.job.parts))
        assert without_files(other.desk.job) == without_files(job)
        assert not other.desk.store.is_saved
        block.wait(lambda: not left.exists())
    finally:
        other.close()


def test_a_saved_job_leaves_nothing_behind(block, tmp_path):
    block.window.files.save(str(tmp_path / "saved.3mf"))
    block.wait(lambda: not block.window.files.reading)
    block.window.close()
    assert list((tmp_path / "state" / "recovery").glob("*")) == []


def test_models_unused_for_long_are_let_go_unless_a_kept_job_names_them(block, tmp_path):
    models = block.desk.shelf.folder
    old = time.time() - 30 * 24 * 3600
    for name in ("aaa", "bbb", "ccc"):
        (models / name).mkdir(parents=True)
        (models / name / "part.stl").write_bytes(b"x")
        if name != "ccc":
            os.utime(models / name / "part.stl", (old, old))
    recovery = tmp_path / "state" / "recovery"
    recovery.mkdir(exist_ok=True)
    (recovery / "unsaved.toml").write_text(f'file = "{models / "bbb" / "part.stl"}"')
    block.window.keeping.sweep()
    block.drawn()
    assert not (models / "aaa").exists()
    assert (models / "bbb").exists()
    assert (models / "ccc").exists()


def test_a_killed_sessions_job_is_offered_and_comes_back(block, tmp_path):
    keeping = block.window.keeping
    keeping.keep()
    block.wait(keeping._file.exists)
    job = block.desk.job
    left = keeping._folder / "999999999.toml"
    keeping._file.rename(left)
    block.desk.store.mark_saved(job)
    block.window.files.new()
    block.window.offer_recovery()
    assert block.window.area.notes.isVisible()
    block.click("remedy Recover it")
    block.drawn()
    assert without_files(block.desk.job) == without_files(job)
    assert not block.desk.store.is_saved
    block.wait(lambda: not left.exists())


def test_a_window_killed_at_work_leaves_a_job_that_can_be_recovered(qapp, tmp_path):
    model = write_stl(tmp_path / "block.stl", box(30, 20, 10))
    code = f"""
import os, signal
from pathlib import Path
def main():
    from even_step.app.main import open_window, application
    from even_step.app.settled import drawn, wait_until
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
    assert all(job.path.stem != str(os.getpid()) for job in keeping.left_behind())
    keeping.close()


def test_the_list_of_names_survives_damage(block):
    block.window.files._recent_file.write_text("{")
    assert block.window.files.recent == []
    block.window.files._recent_file.write_text(json.dumps([1, str(DATA / "demo" / "bearing_hub.stl")]))
    assert block.window.files.recent == [str(DATA / "demo" / "bearing_hub.stl")]


def test_files_named_on_the_command_line_are_brought_in(qapp, qtbot, tmp_path):
    models = [write_stl(tmp_path / f"{name}.stl", box(20, 10, 5)) for name in "ab"]
    opened = open_window([str(path) for path in models], state=tmp_path / "state")
    try:
        qtbot.waitUntil(lambda: len(opened.desk.job.parts) == 2, timeout=60_000)
        assert [part.name for part in opened.desk.job.parts] == ["a", "b"]
    finally:
        opened.close()


def test_one_bad_file_among_good_ones_is_told_and_the_others_come_in(hand, tmp_path):
    good = [write_stl(tmp_path / f"{name}.stl", box(20, 10, 5)) for name in "ab"]
    bad = tmp_path / "bad.stl"
    bad.write_bytes(b"solid nothing")
    hand.drop(good[0], bad, good[1])
    assert [part.name for part in hand.desk.job.parts] == ["a", "b"]
    assert "bad.stl" in hand.window.area.notes.text


def test_the_dialog_brings_in_what_is_named(hand, tmp_path):
    path = write_stl(tmp_path / "named.stl", box(20, 10, 5))
    answer(hand, path)
    hand.click("bring in")
    hand.drawn()
    assert [part.name for part in hand.desk.job.parts] == ["named"]


def test_save_as_asks_and_save_then_does_not(block, tmp_path):
    target = tmp_path / "mine.3mf"
    answer(block, target)
    block.key(Qt.Key.Key_S, Held.ControlModifier)
    block.wait(lambda: target.exists() and not block.window.files.reading)
    assert block.desk.store.is_saved
    block.desk.store.do("walls", edits.with_setting(block.desk.job, "walls.count", 5))
    assert not block.desk.store.is_saved
    block.activate()
    block.key(Qt.Key.Key_S, Held.ControlModifier)
    block.wait(lambda: not block.window.files.reading)
    assert read_job_file(target).settings == {"walls.count": 5}


def test_a_dialog_that_is_put_away_changes_nothing(block):
    job = block.desk.job
    when_it_opens(block, QFileDialog.reject)
    block.key(Qt.Key.Key_O, Held.ControlModifier)
    assert block.desk.job is job


def test_renaming_the_job_can_be_undone(block):
    block.type_into("job name", "my post")
    assert block.desk.job.name == "my post"
    assert block.window.files.proposed("gcode") == "my_post.gcode"
    block.canvas.setFocus()
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert block.desk.job.name == "block"


def test_trials_come_back_with_the_job(block, tmp_path):
    first = block.slice()
    block.desk.store.do("infill density 40 %", edits.with_setting(block.desk.job, "infill.density", 40.0))
    second = block.slice()
    target = tmp_path / "kept.3mf"
    block.window.files.save(str(target))
    block.wait(target.exists)
    block.wait(lambda: block.desk.store.is_saved)
    block.window.files.new()
    assert block.desk.trials.all == []
    block.window.files.open(str(target))
    block.wait(lambda: len(block.desk.trials.all) == 2)
    block.drawn()
    back = block.desk.trials.all
    assert [trial.time for trial in back] == [first.time, second.time]
    assert [trial.changed for trial in back] == [first.changed, second.changed]
    assert block.window.strip.button.below == "F5 · nothing changed"
    block.click("ticket 1")
    block.wait(lambda: block.desk.trials.shown is back[0])
    assert back[0].lines.count == first.lines.count
    assert back[0].report["time_s"] == first.time
    assert block.slice() is back[1], "the same again is no further ticket"


def test_recent_files_are_in_the_menu_whatever_is_on_the_bed(block, tmp_path):
    menu = block.find(QMenu, "recent")
    menu.aboutToShow.emit()
    assert [act.text() for act in menu.actions()] == ["block.stl"]
    menu.actions()[0].trigger()
    block.wait(lambda: len(block.desk.job.parts) == 2)
    (tmp_path / "block.stl").unlink()
    menu.aboutToShow.emit()
    assert [(act.text(), act.isEnabled()) for act in menu.actions()] == [("nothing yet", False)]


def test_each_file_being_read_can_be_stopped_and_the_others_come_in(hand):
    hand.window.files.bring_in([str(DEMO / "mast_bracket.step"), str(DEMO / "bearing_hub.stl")])
    bar = hand.find(QProgressBar, "progress mast_bracket.step")
    assert bar.accessibleName() == "reading mast_bracket.step"
    hand.click("stop mast_bracket.step")
    hand.wait(lambda: not hand.window.files.reading)
    hand.drawn()
    assert [part.name for part in hand.desk.job.parts] == ["bearing_hub"]
    assert not hand.window.area.notes.isVisible()


def test_a_file_that_is_read_says_how_far_it_is(hand):
    told = []
    hand.window.files.got_on.connect(lambda path, share: told.append(share))
    hand.drop(DEMO / "wind_arrow.3mf")
    assert told == sorted(told)
    assert 0.4 < told[-1] <= 1.0


def test_a_recovered_job_is_on_disk_at_every_moment(block, tmp_path):
    """What it was recovered from goes only once it has been written anew."""
    hand = block
    keeping = hand.window.keeping
    left = keeping._folder / "999999999.toml"
    left.parent.mkdir(parents=True, exist_ok=True)
    left.write_text(job_text(hand.desk.job))
    hand.window.files.new()
    gate, write = threading.Event(), keeping._write
    keeping._write = lambda job: gate.wait(10) and write(job)
    hand.window.files.open(str(left), recovered=True)
    hand.wait(lambda: bool(hand.desk.job.parts) and not hand.window.files.reading)
    keeping.keep()
    assert left.exists()
    assert left not in [job.path for job in keeping.left_behind()], "it is not offered while it is worked on"
    gate.set()
    hand.wait(lambda: not left.exists())
    assert keeping._file.exists()


def test_an_autosave_in_flight_does_not_bring_a_saved_job_back(block):
    hand = block
    keeping = hand.window.keeping
    hand.wait(lambda: not hand.desk.background.busy)
    gate, write = threading.Event(), keeping._write
    keeping._write = lambda job: gate.wait(10) and write(job)
    hand.desk.store.do("nudge", edits.with_setting(hand.desk.job, "infill.density", 31))
    keeping.keep()
    hand.desk.store.mark_saved(hand.desk.job)
    gate.set()
    hand.wait(lambda: not hand.desk.background.busy)
    assert not keeping._file.exists()


def test_a_job_that_was_not_saved_is_kept_when_another_takes_its_place(block):
    hand = block
    before = hand.desk.job
    hand.window.files.new()
    hand.wait(lambda: len(hand.window.keeping.left_behind()) == 1)
    (kept,) = hand.window.keeping.left_behind()
    assert kept.name == before.name
    hand.desk.store.undo()
    hand.desk.store.mark_saved(hand.desk.job)
    assert hand.window.keeping.left_behind() == []


def test_a_new_job_begins_as_a_first_start_does_on_the_same_machine(block):
    """A vase that stayed would print the next part as an empty shell."""
    hand = block
    job = hand.desk.job.model_copy(update={"recipe": find(Recipe, "Vase"), "machine": find(Machine, "Rowan 240 round")})
    hand.desk.store.do("another recipe", job)
    hand.desk.view.set("colour_by", "height")
    hand.desk.view.set("section", True)
    hand.desk.view.set("cut", 3.0)
    hand.desk.curving.open(opened=True)
    hand.key(Qt.Key.Key_N, Held.ControlModifier)
    new, view = hand.desk.job, hand.desk.view
    assert new.recipe.name == "Even"
    assert new.machine.name == "Rowan 240 round"
    assert (view.colour_by, view.section, view.cut, hand.desk.curving.opened) == ("role", False, 0.0, False)
    assert "Rowan 240 round" in hand.window.area.notes.text
    hand.desk.store.undo()
    assert hand.desk.job.recipe.name == "Vase"


def test_a_model_that_was_brought_in_is_never_replaced(block, tmp_path):
    hand, model = block, tmp_path / "block.stl"
    before = model.read_bytes()
    hand.slice()
    for write in (hand.window.files.export, hand.window.files.save):
        write(str(model))
        hand.wait(lambda: not hand.window.files.reading)
        assert model.read_bytes() == before
    hand.window.files.export(str(model))
    assert "block.stl is a model you brought in" in hand.window.area.notes.text
    assert not hand.window.files.reading


def test_what_looks_like_a_job_and_is_none_is_told_when_it_is_read(hand, tmp_path):
    damaged = tmp_path / "job.3mf"
    damaged.write_bytes(b"PK\x03\x04 but then nothing")
    hand.window.files.bring_in([str(damaged), str(tmp_path / "gone.3mf")])
    hand.wait(lambda: not hand.window.files.reading)
    assert "job.3mf" in hand.window.area.notes.text
    assert "gone.3mf" in hand.window.area.notes.text


def test_the_note_on_a_silent_worker_goes_with_its_cause(hand):
    hand.desk.worker.stuck = True
    hand.desk.worker.stuck_changed.emit()
    assert "not responding" in hand.window.area.notes.text
    assert hand.window.area.notes.isVisible()
    hand.desk.worker.stuck = False
    hand.desk.worker.stuck_changed.emit()
    assert not hand.window.area.notes.isVisible()


def test_a_job_set_aside_is_on_disk_before_the_next_takes_its_place_there(block):
    hand, keeping = block, block.window.keeping
    keeping.keep()
    hand.wait(keeping._file.exists)
    gate = threading.Event()
    for topic in ("one", "two"):
        hand.desk.background.run(topic, lambda: gate.wait(10), lambda _: None)
    hand.window.files.new()
    keeping.keep()
    assert keeping._file.exists(), "all there is of the job that was here"
    gate.set()
    hand.wait(lambda: len(keeping.left_behind()) == 1)
    keeping.keep()
    assert not keeping._file.exists()
