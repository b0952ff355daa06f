"""The worker: what it does for each request, its lanes, and the window's end of the line."""

from __future__ import annotations

import os
import queue
import signal
import struct
import threading
from dataclasses import dataclass, field
from multiprocessing import Pipe
from multiprocessing.reduction import ForkingPickler

import numpy as np
import pytest

from even_step.app import trials as trials_module
from even_step.app.background import Background
from even_step.app.shelf import standing
from even_step.app.store import JobStore
from even_step.app.trials import Trials
from even_step.app.work import client as client_module
from even_step.app.work import server, shared
from even_step.app.work.client import TRIES, WorkerClient, _Reader
from even_step.app.work.duties import (
    KEPT_SLICES,
    Memory,
    Outcome,
    export_gcode,
    find_voids,
    keep_file,
    open_job,
    read_file,
    save_job,
)
from even_step.app.work.requests import (
    Answer,
    Begin,
    ExportGcode,
    FindVoids,
    OpenJob,
    Progress,
    ReadFile,
    SaveJob,
    SliceJob,
)
from even_step.app.work.server import Lane, Line, Open
from even_step.core.errors import InputError, JobError
from even_step.core.job import edits
from even_step.core.job.bring_in import pose_matrix
from even_step.core.job.file import read_job_file
from even_step.core.job.model import MM_PER, Copy
from even_step.core.job.shipped import DATA
from even_step.core.mesh.pose import set_down
from even_step.core.mesh.read.model import read_model
from even_step.core.motion.check import check_gcode
from even_step.core.work import Crew
from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of
from tests.spots import nth_spot


@pytest.fixture
def memory():
    return Memory()


@pytest.fixture
def part(tmp_path):
    return write_stl(tmp_path / "part.stl", box(20, 20, 4))


def test_a_read_file_comes_with_all_a_view_needs(memory, tmp_path, part):
    outcome = read_file(ReadFile(str(part), str(tmp_path / "kept")), memory, Crew(1))
    (about,) = outcome.facts["models"]
    assert len(outcome.arrays["0 0 faces"]) == 12
    assert about["bodies"] == [("part", True)]
    assert len(outcome.arrays["0 0 extremes"]) == 8
    assert len(outcome.arrays["0 0 edges"]) == 24
    assert outcome.facts["file"].startswith(str(tmp_path / "kept"))


def test_a_large_model_comes_with_a_coarser_one(memory, tmp_path):
    path = write_stl(tmp_path / "ball.stl", ball(20.0, 6))
    arrays = read_file(ReadFile(str(path), str(tmp_path / "kept")), memory, Crew(1)).arrays
    assert len(arrays["0 0 few faces"]) < 0.5 * len(arrays["0 0 faces"])


def test_a_missing_file_is_refused_by_name(memory, tmp_path):
    with pytest.raises(InputError, match=r"gone\.stl"):
        read_file(ReadFile(str(tmp_path / "gone.stl"), str(tmp_path)), memory, Crew(1))


def test_the_same_bytes_under_two_names_are_two_kept_files(tmp_path):
    one, two = (write_stl(tmp_path / name, box(5, 5, 5)) for name in ("a.stl", "b.stl"))
    kept = {keep_file(path, tmp_path / "kept") for path in (one, two)}
    assert {path.name for path in kept} == {"a.stl", "b.stl"}
    changed = write_stl(tmp_path / "a.stl", box(5, 5, 6))
    assert keep_file(changed, tmp_path / "kept") not in kept


def test_a_name_with_strange_letters_is_kept_within_the_folder(tmp_path):
    path = write_stl(tmp_path / "a;b:c*d?.stl", box(5, 5, 5))
    kept = keep_file(path, tmp_path / "kept")
    assert kept.parent.parent == tmp_path / "kept"
    assert kept.exists()


def test_an_opened_job_has_its_files_kept_and_every_copy_placed(memory, tmp_path):
    text = tmp_path / "job.toml"
    write_stl(tmp_path / "part.stl", box(20, 20, 4))
    text.write_text('[[parts]]\nname = "part"\nfile = "part.stl"\ncopies = 3\n')
    opened = open_job(OpenJob(str(text), str(tmp_path / "kept")), memory, Crew(1)).facts
    job, told = opened.job, opened.told
    assert told == ()
    assert all(copy.at is not None for copy in job.parts[0].copies)
    assert job.parts[0].file.startswith(str(tmp_path / "kept"))


def test_a_job_with_all_places_is_there_before_its_models_are_read(memory, tmp_path):
    outcome = open_job(OpenJob(str(DATA / "demo" / "weather_post.toml"), str(tmp_path / "kept")), memory, Crew(1))
    assert len(outcome.facts.job.parts) == 6
    assert memory.cache.used == 0


def test_a_saved_job_is_the_same_job(memory, tmp_path, part):
    job = edits.with_setting(job_of(part, copies=2), "infill.density", 33)
    target = tmp_path / "saved.3mf"
    written = save_job(SaveJob(job, str(target)), memory, Crew(1)).facts
    assert written == target.stat().st_size
    back = read_job_file(target)
    assert back.settings == job.settings
    assert len(back.parts[0].copies) == 2
    assert all(copy.at for copy in back.parts[0].copies)


def test_an_export_that_a_finding_stops_is_written_only_by_force(memory, tmp_path, part):
    job = edits.placed_at(job_of(part), {nth_spot(job_of(part), 0, 0): (0.0, 0.0)})
    target = tmp_path / "out.gcode"
    with pytest.raises(JobError, match="export anyway"):
        export_gcode(ExportGcode(job, str(target)), memory, Crew(1))
    assert not target.exists()
    size = export_gcode(ExportGcode(job, str(target), force=True), memory, Crew(1)).facts
    assert size == target.stat().st_size
    assert check_gcode(target, None).layers == 20


def test_voids_are_found_of_a_slice_at_hand(memory, tmp_path):
    path = write_stl(tmp_path / "thin.stl", box(30, 0.2, 4))
    outcome = find_voids(FindVoids(job_of(path), 5), memory, Crew(1))
    assert outcome.facts == 5
    assert len(outcome.arrays["xy"]) >= 4
    assert len(memory.slices) == 1


def test_only_the_last_slices_are_kept(memory, part):
    for percent in range(10, 10 + KEPT_SLICES + 2):
        memory.sliced(job_of(part, {"infill.density": float(percent)}), Crew(1))
    assert len(memory.slices) == KEPT_SLICES


@dataclass
class Told:
    """A connection that notes what is sent."""

    messages: list = field(default_factory=list)

    def send(self, message):
        self.messages.append(message)


def lane_with(monkeypatch, duty):
    told = Told()
    monkeypatch.setitem(server.DUTIES, SliceJob, duty)
    return Lane(Line(told), Memory(), Open()), told


def run(lane, *numbers):
    for number in numbers:
        lane.waiting.put(Begin(number, SliceJob(None)))
    lane.waiting.put(None)
    lane.work()


def test_a_lane_answers_in_turn_with_progress_in_steps(monkeypatch):
    def duty(_, __, crew):
        crew.expect(1000)
        for _ in range(1000):
            crew.begin("walls")
            crew.end()
        return Outcome("well")

    lane, told = lane_with(monkeypatch, duty)
    run(lane, 1, 2)
    answers = [message for message in told.messages if isinstance(message, Answer)]
    assert [(answer.number, answer.outcome, answer.facts) for answer in answers] == [
        (1, "done", "well"),
        (2, "done", "well"),
    ]
    steps = [message.share for message in told.messages if isinstance(message, Progress) and message.number == 1]
    assert steps == sorted(steps)
    assert 50 < len(steps) <= 102


def test_a_request_called_off_before_its_turn_is_not_begun(monkeypatch):
    begun = []
    lane, told = lane_with(monkeypatch, lambda *_: begun.append(1) or Outcome())
    lane.open.called_off.add(7)
    run(lane, 7)
    assert begun == []
    assert [message.outcome for message in told.messages] == ["cancelled"]
    assert lane.open.called_off == set()


def test_whatever_breaks_is_told_and_the_lane_goes_on(monkeypatch, capsys):
    outcomes = iter([RuntimeError("a bug"), MemoryError(), JobError("bad", subject="part")])

    def duty(*_):
        raise next(outcomes)

    lane, told = lane_with(monkeypatch, duty)
    run(lane, 1, 2, 3)
    assert [message.outcome for message in told.messages] == ["failed"] * 3
    assert "a bug" in told.messages[0].facts
    assert "memory" in told.messages[1].facts
    assert told.messages[2].facts == "part: bad"
    assert "RuntimeError" in capsys.readouterr().err


@pytest.fixture
def client(qapp, qtbot):
    made = WorkerClient()
    yield made
    made.close()
    assert not made._process.is_alive()


def test_a_worker_that_was_let_go_serves_another_as_if_it_were_new(qapp, qtbot, tmp_path, part):
    first, got, begun = WorkerClient(), [], []
    heavy = job_of(write_stl(tmp_path / "ball.stl", ball(60.0, 6)), {"layers.height": 0.06})
    first.ask(SliceJob(heavy), done=lambda *_: got.append("slice"), progress=lambda *_: begun.append(True))
    qtbot.waitUntil(lambda: bool(begun), timeout=30_000)
    started = first.release()
    second = WorkerClient(started)
    assert second.pid == started.process.pid
    second.ask(ReadFile(str(part), str(tmp_path / "kept")), done=lambda *_: got.append("read"))
    qtbot.waitUntil(lambda: bool(got), timeout=30_000)
    assert got == ["read"]
    second.close()
    first.close()
    assert second.release() is None


def test_what_is_called_off_too_late_is_forgotten():
    requests = Open()
    requests.begin(1)
    requests.end(1)
    requests.call_off(1)
    requests.begin(1)
    assert not requests.called_off, "the next client's first request is not to be cancelled"
    requests.call_off(1)
    assert requests.called_off == {1}


def test_a_request_is_answered_and_its_task_ends_done(client, qtbot, tmp_path, part):
    got = []
    task = client.ask(
        ReadFile(str(part), str(tmp_path / "kept")), done=lambda facts, arrays: got.append((facts, arrays))
    )
    assert task.state == "queued"
    qtbot.waitUntil(lambda: bool(got), timeout=30_000)
    assert task.state == "done"
    _, arrays = got[0]
    assert arrays["0 0 vertices"].flags.writeable, "kernels would be compiled again for read-only arrays"


def test_a_failed_request_tells_in_one_line(client, qtbot, tmp_path):
    told = []
    client.ask(ReadFile(str(tmp_path / "gone.stl"), str(tmp_path)), failed=told.append)
    qtbot.waitUntil(lambda: bool(told), timeout=30_000)
    assert "gone.stl" in told[0]
    assert "\n" not in told[0]


def test_reading_does_not_wait_for_a_slice(client, qtbot, tmp_path, part):
    order = []
    heavy = job_of(write_stl(tmp_path / "ball.stl", ball(60.0, 6)), {"layers.height": 0.06})
    task = client.ask(SliceJob(heavy), done=lambda *_: order.append("slice"), cancelled=lambda: order.append("slice"))
    client.ask(ReadFile(str(part), str(tmp_path / "kept")), done=lambda *_: order.append("read"))
    qtbot.waitUntil(lambda: bool(order), timeout=60_000)
    assert order == ["read"]
    client.call_off(task)
    qtbot.waitUntil(lambda: len(order) == 2, timeout=30_000)
    assert task.state in {"cancelled", "done"}


def test_a_worker_that_keeps_dying_is_not_started_for_ever(client, qtbot):
    told = []
    client.lost.connect(told.append)
    for count in range(TRIES):
        os.kill(client.pid, signal.SIGKILL)
        qtbot.waitUntil(lambda count=count: len(told) > count, timeout=30_000)
    assert "again and again" in told[-1]
    assert not client._process.is_alive()


def test_who_waits_is_told_when_the_worker_dies(client, qtbot, tmp_path):
    told = []
    heavy = job_of(write_stl(tmp_path / "ball.stl", ball(60.0, 6)))
    client.ask(SliceJob(heavy), failed=told.append)
    os.kill(client.pid, signal.SIGKILL)
    qtbot.waitUntil(lambda: bool(told), timeout=30_000)
    assert "stopped" in told[0]


def test_newer_work_under_a_topic_replaces_what_waits(qapp, qtbot):
    background = Background()
    gate, got = threading.Event(), []
    for k in range(6):
        background.run("figures", lambda k=k: gate.wait(10) and k, got.append)
    gate.set()
    qtbot.waitUntil(lambda: not background.busy, timeout=10_000)
    assert got == [5]
    background.close()
    background.run("figures", lambda: 1, got.append)
    assert got == [5]


def test_older_trials_let_go_of_their_lines_and_get_them_back(qapp, qtbot, client, part, monkeypatch):
    monkeypatch.setattr(trials_module, "MOST_BYTES", 1)
    store = JobStore(job_of(part))
    trials = Trials(lambda: (0, store.job), client)
    for percent in (10, 20):
        store.do("density", edits.with_setting(store.job, "infill.density", percent))
        before = len(trials.all)
        trials.slice()
        qtbot.waitUntil(lambda before=before: len(trials.all) > before, timeout=60_000)
    first, second = trials.all
    assert first.lines is None
    assert second.lines is not None
    trials.show(first)
    qtbot.waitUntil(lambda: trials.shown is first, timeout=60_000)
    assert first.lines is not None
    assert len(trials.all) == 2


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (90.0, 0.0, 30.0), (12.0, 34.0, 56.0)])
@pytest.mark.parametrize("unit", ["mm", "inch"])
def test_the_window_stands_a_part_where_slicing_does(tmp_path, turn, unit):
    path = write_stl(tmp_path / "part.stl", box(20, 10, 4, (3, 5, 7)))
    (model,) = read_model(path)
    part = job_of(path).parts[0].model_copy(update={"turn": turn, "scale": (1.5, 1.0, 2.0), "unit": unit})
    copy = Copy(turn=17.0)
    posed, _ = set_down(model.merged(), pose_matrix(part, copy) * MM_PER[unit])
    stand = standing(model.merged().vertices, unit, part.scale, part.turn, copy.turn)
    stood = model.merged().vertices @ stand.matrix[:3, :3].T + stand.matrix[:3, 3]
    assert np.abs(stood - posed.vertices).max() < 1e-9
    assert stand.size == pytest.approx(posed.bounds[1] - posed.bounds[0])


def test_the_queue_of_a_lane_is_its_own():
    one, two = Lane(Line(Told()), Memory(), Open()), Lane(Line(Told()), Memory(), Open())
    one.waiting.put(None)
    with pytest.raises(queue.Empty):
        two.waiting.get_nowait()


def test_lack_of_memory_for_an_answer_is_told_and_nothing_is_said_before(monkeypatch):
    def none_left(*_):
        raise OSError(12, "Cannot allocate memory")

    monkeypatch.setattr(shared.os, "posix_fallocate", none_left)
    lane, told = lane_with(monkeypatch, lambda *_: Outcome("well", {"a": np.ones(3)}))
    run(lane, 1)
    assert [message.outcome for message in told.messages] == ["failed"]
    assert "memory" in told.messages[0].facts


def test_a_line_that_is_cut_or_starved_anywhere_is_taken_for_lost():
    """Two hundred answers, each cut off at some byte, garbled, or without the memory that it speaks of."""
    chance = np.random.default_rng(5)
    whole = bytes(ForkingPickler.dumps(Answer(1, "done", {"figures": list(range(300))})))
    for turn in range(200):
        ours, theirs = Pipe()
        got, broken = [], threading.Event()
        reader = _Reader(ours, lambda message, arrays, got=got: got.append(message), lambda: None, broken.set)
        kind = turn % 4
        if kind == 0:  # cut
            os.write(theirs.fileno(), (struct.pack("!i", len(whole)) + whole)[: chance.integers(len(whole))])
        elif kind == 1:  # garbled
            place = int(chance.integers(4, 60))
            theirs.send_bytes(whole[:place] + bytes([0xFF, 0x2E]) + whole[place + 2 :])
        elif kind == 2:  # the worker dies before it hands the memory over
            theirs.send(Answer(1, "done", None, layout=(("a", "<f8", (3,), 0),)))
        else:  # a layout that no memory can have
            theirs.send(Answer(1, "done", None, layout=(("a", "<f8", (3, 1 << 60), 0), ("b", "no type", (1,), 8))))
        theirs.close()
        assert broken.wait(10.0), turn
        reader.thread.join(10.0)
        assert not reader.thread.is_alive()
        assert kind == 1 or not got
        ours.close()


def test_what_was_called_off_is_never_answered_as_done(client, qtbot, part, tmp_path):
    got = []
    task = client.ask(
        ReadFile(str(part), str(tmp_path / "kept")),
        done=lambda *_: got.append("done"),
        cancelled=lambda: got.append("cancelled"),
    )
    task.state = "cancelling"  # as if the worker had answered before it heard of it
    qtbot.waitUntil(lambda: bool(got), timeout=30_000)
    assert got == ["cancelled"]
    assert task.state == "cancelled"


def test_a_worker_that_says_nothing_is_told_and_can_be_replaced(client, qtbot, part, tmp_path, monkeypatch):
    told, got = [], []
    client.ask(ReadFile(str(part), str(tmp_path / "kept")), done=lambda *_: got.append("read"))
    qtbot.waitUntil(lambda: bool(got), timeout=30_000)
    monkeypatch.setattr(client_module, "SILENCE", 3.0)
    stopped = client.pid
    os.kill(stopped, signal.SIGSTOP)
    client.ask(ReadFile(str(part), str(tmp_path / "kept")), failed=told.append)
    qtbot.waitUntil(lambda: client.stuck, timeout=30_000)
    client.replace()
    qtbot.waitUntil(lambda: bool(told), timeout=30_000)
    assert client.pid != stopped
    qtbot.waitUntil(lambda: not client.stuck, timeout=30_000)
    client.ask(ReadFile(str(part), str(tmp_path / "kept")), done=lambda *_: got.append("again"))
    qtbot.waitUntil(lambda: got == ["read", "again"], timeout=30_000)
