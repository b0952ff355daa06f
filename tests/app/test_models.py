"""What the window works with, without a window: store, camera, shared arrays, worker."""

from __future__ import annotations

import multiprocessing
import signal
import threading

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from even_step.app.canvas.camera import Camera
from even_step.app.store import JobStore
from even_step.app.work.duties import Memory, keep_file, slice_
from even_step.app.work.requests import GoHome, SliceJob
from even_step.app.work.server import serve
from even_step.app.work.shared import receive_arrays, to_shared_memory
from even_step.core.job import edits
from even_step.core.job.model import Bed
from even_step.core.job.room import fits
from even_step.core.work import Crew
from tests.shapes import box, write_stl
from tests.slicing_help import job_of


@pytest.fixture
def store(qapp, plain_job):
    return JobStore(plain_job)


def test_undo_goes_back_and_redo_forward_with_names(store):
    first = store.job
    store.do("density 20 %", edits.with_setting(first, "infill.density", 20))
    store.do("walls 5", edits.with_setting(store.job, "walls.count", 5))
    last = store.job
    assert (store.undo_name, store.redo_name) == ("walls 5", "")
    store.undo()
    store.undo()
    assert store.job is first
    assert store.redo_name == "density 20 %"
    store.redo()
    store.redo()
    assert store.job is last


def test_an_edit_that_changes_nothing_is_no_step(store):
    store.do("nothing", store.job.model_copy())
    assert store.undo_name == ""


def test_edits_in_quick_turn_with_one_key_are_one_step(store):
    first = store.job
    for percent in (20, 21, 22):
        store.do("density", edits.with_setting(store.job, "infill.density", percent), "density")
    store.undo()
    assert store.job is first


def test_an_edit_after_undo_forgets_what_was_undone(store):
    store.do("a", edits.with_setting(store.job, "infill.density", 20))
    store.undo()
    store.do("b", edits.with_setting(store.job, "infill.density", 30))
    assert store.redo_name == ""


def test_a_job_is_saved_until_it_changes_and_again_when_undone(store):
    store.mark_saved(store.job)
    store.do("a", edits.with_setting(store.job, "infill.density", 20))
    assert not store.is_saved
    store.undo()
    assert store.is_saved


cameras = st.builds(
    Camera,
    target=st.tuples(*[st.floats(-50, 300)] * 3),
    distance=st.floats(50, 2000),
    yaw=st.floats(0, 360),
    pitch=st.floats(-80, 80),
    size=st.tuples(st.integers(200, 2000), st.integers(200, 2000)),
    flat=st.booleans(),
)


@given(cameras, st.floats(0.05, 0.95), st.floats(0.05, 0.95))
def test_a_point_on_a_ray_is_seen_where_the_ray_began(camera, u, v):
    x, y = u * camera.size[0], v * camera.size[1]
    eye, direction = camera.ray(x, y)
    seen = camera.project((eye + direction * camera.distance)[None])[0]
    assert seen[:2] == pytest.approx((x, y), abs=1e-4 * max(camera.size))


@given(cameras, st.floats(0.5, 2.0), st.floats(0.1, 0.9), st.floats(0.1, 0.9))
def test_zooming_keeps_what_lies_under_the_pointer(camera, factor, u, v):
    x, y = u * camera.size[0], v * camera.size[1]
    eye, direction = camera.ray(x, y)
    toward = camera.axes[2]
    far = (eye - np.asarray(camera.target)) @ toward / -(direction @ toward)
    point = eye + direction * far
    seen = camera.zoomed(factor, x, y).project(point[None])[0]
    assert seen[:2] == pytest.approx((x, y), abs=0.02 * max(camera.size) / 100)


@example(Camera(distance=50.0, yaw=29.0, pitch=0.0, size=(200, 1759)))
@example(Camera(distance=50.0, yaw=0.0, pitch=0.0, size=(200, 1803)))
@given(cameras)
def test_a_fitted_box_is_seen_whole(camera):
    low, high = np.array([0.0, 0.0, 0.0]), np.array([220.0, 180.0, 60.0])
    corners = np.array([(x, y, z) for x in (0, 220) for y in (0, 180) for z in (0, 60)], float)
    seen = camera.fitted(low, high, (40, 10, 20, 30)).project(corners)
    assert (seen[:, 0] >= -3).all()
    assert (seen[:, 0] <= camera.size[0] + 3).all()
    assert (seen[:, 1] >= -3).all()
    assert (seen[:, 1] <= camera.size[1] + 3).all()


def test_quarter_views_are_square_to_the_bed():
    camera = Camera(yaw=332.0)
    assert camera.quarter("right").yaw == 0.0
    assert camera.quarter("left").yaw == 270.0
    assert camera.quarter("up").quarter("up").pitch > 89
    assert camera.quarter("down").pitch == 0.0


def test_a_part_fits_by_its_bounds_and_a_round_bed_by_its_circle():
    square, disc = Bed(size=(200, 200)), Bed(shape="round", size=(200, 200), origin="centre")
    size = np.array([40.0, 20.0, 10.0])
    assert fits(square, (20.0, 10.0), size)
    assert not fits(square, (19.9, 10.0), size)
    assert fits(disc, (0.0, 79.0), size)
    assert not fits(disc, (75.0, 75.0), size)


def test_arrays_pass_between_processes_bit_for_bit():
    ours, theirs = multiprocessing.get_context("spawn").Pipe()
    sent = {
        "numbers": np.arange(10_001, dtype=np.float64) / 7,
        "flags": np.array([True, False]),
        "empty": np.zeros((0, 3), np.int32),
        "turned": np.arange(12, dtype=np.int64).reshape(3, 4).T,
    }
    block = to_shared_memory(sent)
    thread = threading.Thread(target=block.hand_over, args=(theirs,))
    thread.start()
    got = receive_arrays(ours, block.layout)
    thread.join()
    block.close()
    for name, array in sent.items():
        assert got[name].dtype == array.dtype
        assert np.array_equal(got[name], array)
    assert receive_arrays(ours, to_shared_memory({}).layout) == {}


@pytest.mark.parametrize("politely", [True, False])
def test_the_worker_leaves_when_sent_home_or_when_its_line_breaks(politely):
    ours, theirs = multiprocessing.get_context("spawn").Pipe()
    thread = threading.Thread(target=lambda: serve_quietly(theirs))
    thread.start()
    if politely:
        ours.send(GoHome())
    else:
        ours.close()
    thread.join(10)
    assert not thread.is_alive()


def serve_quietly(connection):
    original = signal.signal
    signal.signal = lambda *_: None  # only the main thread may
    try:
        serve(connection)
    finally:
        signal.signal = original


def test_a_kept_file_is_kept_once_under_its_own_name(tmp_path):
    path = write_stl(tmp_path / "my part.stl", box(10, 10, 10))
    folder = tmp_path / "kept"
    first = keep_file(path, folder)
    assert first.name == "my part.stl"
    assert first.read_bytes() == path.read_bytes()
    assert keep_file(path, folder) == first
    assert len(list(folder.rglob("*.stl"))) == 1


def test_slicing_tells_everything_a_view_draws(tmp_path):
    path = write_stl(tmp_path / "part.stl", box(20, 20, 4))
    outcome = slice_(SliceJob(job_of(path)), Memory(), Crew(1))
    arrays = outcome.arrays
    assert len(arrays["layer"]) == outcome.facts["layers"]["count"] + 1
    assert arrays["layer time"].sum() == pytest.approx(outcome.facts["time_s"])
    assert arrays["path end time"][-1] == pytest.approx(outcome.facts["time_s"])
    assert arrays["path start"][-1] == len(arrays["points"])
