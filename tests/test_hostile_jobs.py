"""Jobs and calls that slip or mean harm: one clear line, soon, without much memory."""

from __future__ import annotations

import os
import resource
import shutil
import socket
import subprocess
import sys
import threading
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from tools.fuzz_jobs import fault_of, samples, spoiled

from even_step import cli
from even_step.core.errors import Cancelled, EvenStepError, OutputError
from even_step.core.job.file import read_job_file
from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from even_step.core.mesh.read.model import format_of
from even_step.core.output import require_writable, write_whole
from even_step.core.pipeline import slice_job
from even_step.core.plane import region
from even_step.core.stages import StageCache
from even_step.core.work import Crew
from even_step.display import has_display
from tests.shapes import box, obj_text, stl_bytes, write_stl

PART = '[[parts]]\nname = "a"\nfile = "cube.stl"\n'
#: mm, and what is wrong with each.
HOSTILE = {
    "nested": "a = " + "[" * 5000 + "]" * 5000,
    "dotted": ".".join("a" * 5000) + " = 1\n",
    "thousands of digits": "version = " + "9" * 6000 + "\n" + PART,
    "a number beyond all measure": PART + "object = " + "9" * 4000 + "\n",
    "a zero byte in a name": '[[parts]]\nname = "a"\nfile = "cu\\u0000be.stl"\n',
    "no UTF-8": b"\xff\xfe\x00",
    "a long name": f'[[parts]]\nname = "{"x" * 300}"\nfile = "cube.stl"\n',
    "very many copies": PART + "copies = 1000000000\n",
    "more copies than beds hold": (PART + "copies = 900\n") * 3,
    "a scale of next to nothing": PART + "scale = 1e-300\n",
    "thinner than any layer": PART + "[[parts.curve]]\nlow = 0\nhigh = 10\nheight = 0.0003\n",
    "very much kept free": f"layout = {{keep_out = [{','.join('[0, 0, 1, 1]' for _ in range(60_000))}]}}\n{PART}",
    "far away": PART + "copies = [{at = [1e300, 0]}]\n",
    "no table": "settings = 3\n" + PART,
    "no parts": 'parts = "x"\n',
}


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_job_gets_one_line_soon_and_without_much_memory(tmp_path, name):
    path = tmp_path / "job.toml"
    text = HOSTILE[name]
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    before, begun = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.process_time()
    with pytest.raises(EvenStepError) as caught:
        read_job_text(path)
    assert time.process_time() - begun < 2.0
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000
    line = str(caught.value)
    assert "job.toml" in line
    assert "\n" not in line
    assert len(line) < 700


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("object = -1", "is less than 0"),
        ('unit = "furlong"', "is none of 'mm', 'cm', 'm' or 'inch'"),
        ("wheels = 4", "is not known here"),
        ('scale = [1, 2, "x"]', "is not a number"),
    ],
)
def test_what_is_wrong_with_a_value_is_told_in_plain_words(tmp_path, line, words):
    path = tmp_path / "job.toml"
    path.write_text(f"{PART}{line}\n")
    with pytest.raises(EvenStepError, match=words):
        read_job_text(path)


def test_spoiled_jobs_never_break_the_reader(tmp_path):
    """A short run of what tools/fuzz_jobs.py does ten thousand times."""
    random = np.random.default_rng(3)
    good, path = samples(), tmp_path / "job.toml"
    for case in range(300):
        path.write_bytes(spoiled(good[case % len(good)], random))
        assert not fault_of(path), path.read_bytes()[:2000]


@pytest.mark.parametrize("diameter", ["1e-300", "1e300"])
def test_a_filament_of_no_diameter_is_refused(tmp_path, run, diameter):
    write_stl(tmp_path / "cube.stl", box(10, 10, 10))
    machine = (DATA / "machines" / "larch_220.toml").read_text().replace("filament_diameter = 1.75", "")
    (tmp_path / "machine.toml").write_text(f"filament_diameter = {diameter}\n{machine}")
    code, _, err = run(
        "slice", tmp_path / "cube.stl", "--machine", tmp_path / "machine.toml", "--out", tmp_path / "a.gcode"
    )
    assert code == 2
    assert "filament_diameter" in err
    assert not (tmp_path / "a.gcode").exists()


def test_a_part_of_which_nothing_is_printed_stops(tmp_path, run):
    cube = write_stl(tmp_path / "cube.stl", box(10, 10, 10))
    code, _, err = run("slice", cube, "--scale", "0.001", "--out", tmp_path / "a.gcode")
    assert code == 1
    assert "nothing of cube would be printed" in err
    assert not (tmp_path / "a.gcode").exists()


def test_what_lies_very_deep_behind_a_face_is_the_whole_part_and_can_be_called_off(tmp_path):
    write_stl(tmp_path / "cube.stl", box(10, 10, 10))
    path = tmp_path / "job.toml"
    path.write_text(PART + '[[parts.zones]]\nshape = "backing"\nnear = [[5, 5, 10]]\ndepth = 10000\n')
    job = read_job_text(path)
    with pytest.raises(Cancelled):
        slice_job(job, Crew(1, cancelled=lambda: True), StageCache())
    sliced = slice_job(job, Crew(1), StageCache())
    prints = sliced.solids[0].prints
    for within in region.bounds(prints.outline[prints.which[0]]):
        assert (within[:2] < -5.0).all()
        assert (within[2:] > 5.0).all()


def test_a_pipe_or_a_device_is_no_input(tmp_path, run):
    os.mkfifo(tmp_path / "pipe.stl")
    os.mkfifo(tmp_path / "pipe.toml")
    os.mkfifo(tmp_path / "pipe.3mf")
    for name in ("pipe.stl", "pipe.toml", "pipe.3mf"):
        code, _, err = run("slice", tmp_path / name, "--out", tmp_path / "a.gcode")
        assert (code, "not a regular file" in err) == (2, True), name
    assert run("slice", "/dev/zero", "--out", tmp_path / "a.gcode")[0] == 2
    assert run("check", "/dev/zero")[0] == 2


def test_names_that_are_too_long_or_no_text_are_told(tmp_path, run):
    assert run("info", tmp_path / ("x" * 300 + ".stl"))[0] == 2
    strange = tmp_path / os.fsdecode(b"caf\xe9.stl")
    strange.write_bytes(stl_bytes(box(10, 10, 10)))
    code, out, _ = run("info", strange)
    assert code == 0
    assert '"parts"' in out
    long = write_stl(tmp_path / ("y" * 240 + ".stl"), box(10, 10, 10))
    assert run("slice", long, "--out", tmp_path / "a.gcode", "--quiet")[0] == 0


def test_a_model_that_is_read_is_never_replaced(tmp_path, run):
    cube = write_stl(tmp_path / "cube.stl", box(10, 10, 10))
    before = cube.read_bytes()
    (tmp_path / "link.stl").symlink_to(cube)
    (tmp_path / "job.toml").write_text(PART)
    for source, target in (
        ("cube.stl", "cube.stl"),
        ("cube.stl", "link.stl"),
        ("job.toml", "job.toml"),
        ("job.toml", "cube.stl"),
    ):
        for option in ("--out", "--report"):
            other = ("--out", tmp_path / "a.gcode") if option != "--out" else ()
            code, _, err = run("slice", tmp_path / source, option, tmp_path / target, *other)
            assert (code, "is an input" in err) == (3, True), (source, target)
    assert cube.read_bytes() == before
    assert not (tmp_path / "a.gcode").exists()


def test_a_missing_folder_is_told_before_anything_is_sliced(tmp_path, run):
    cube = write_stl(tmp_path / "cube.stl", box(10, 10, 10))
    code, _, err = run("slice", cube, "--out", tmp_path / "no" / "a.gcode")
    assert code == 3
    assert "no folder" in err
    assert "walls" not in err


def test_a_device_is_written_into_and_stays(tmp_path):
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    with pytest.raises(OutputError):
        write_whole(pipe, [b"nobody reads"])
    got = []
    reader = threading.Thread(target=lambda: got.append(pipe.read_bytes()))
    reader.start()
    for _ in range(200):
        try:
            assert write_whole(pipe, [b"some ", b"lines"]) == 10
            break
        except OutputError:
            time.sleep(0.02)
    reader.join(10.0)
    assert got == [b"some lines"]
    assert pipe.is_fifo()
    assert write_whole(Path(os.devnull), [b"gone"]) == 4
    assert Path(os.devnull).is_char_device()
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind(str(tmp_path / "s"))
        with pytest.raises(OutputError, match="not a regular file"):
            require_writable([tmp_path / "s"])


def test_a_new_file_has_the_rights_that_the_process_gives(tmp_path):
    before = os.umask(0o027)
    try:
        write_whole(tmp_path / "a", [b"x"])
        assert os.umask(0o027) == 0o027, "nobody else's files are opened to all for a moment"
    finally:
        os.umask(before)
    assert (tmp_path / "a").stat().st_mode & 0o777 == 0o640


def test_whatever_nobody_foresaw_is_one_line_and_a_log(tmp_path, run, monkeypatch):
    monkeypatch.setattr(cli.platformdirs, "user_log_dir", lambda _: str(tmp_path / "log"))

    def broken(_):
        raise ZeroDivisionError("a bug")

    monkeypatch.setattr(cli, "_chosen", lambda _: type("Chosen", (), {"computes": False, "run": staticmethod(broken)}))
    code, _, err = run("slice")
    assert code == 3
    assert err.count("\n") == 1
    (log,) = (tmp_path / "log").iterdir()
    assert str(log) in err
    assert "ZeroDivisionError: a bug" in log.read_text()


def test_a_display_that_nobody_answers_at_is_none(monkeypatch):
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    for name in ("", ":4711", "nonsense", "127.0.0.1:4711"):
        monkeypatch.setenv("DISPLAY", name)
        assert not has_display(), name
    done = subprocess.run(
        [sys.executable, "-m", "even_step.cli"],
        env={**os.environ, "DISPLAY": ":4711"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 2
    assert "no display" in done.stderr


def test_a_saved_job_names_no_file_outside_it(tmp_path, run):
    cube = write_stl(tmp_path / "cube.stl", box(10, 10, 10))
    saved = tmp_path / "job.3mf"
    assert run("slice", cube, "--out", tmp_path / "a.gcode", "--save-job", saved, "--quiet")[0] == 0
    read_job_file(saved)
    other = tmp_path / "other.3mf"
    shutil.copy(saved, other)
    with zipfile.ZipFile(saved) as from_, zipfile.ZipFile(other, "w") as to:
        for entry in from_.infolist():
            raw = from_.read(entry)
            if entry.filename.endswith(".toml"):
                raw = raw.replace(b'file = ""', b'file = "/etc/passwd"')
            to.writestr(entry, raw)
    with pytest.raises(EvenStepError, match="outside it"):
        read_job_file(other)


def test_a_large_text_is_told_apart_by_its_beginning(tmp_path):
    """No copy of the whole file is made for it: an OBJ of 210 MB took 400 MB more."""
    text = "# made somewhere\n" + obj_text(box(10, 10, 10))
    data = np.frombuffer((text + "# " + "x" * 150_000_000).encode(), np.uint8)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    assert format_of(tmp_path / "a.obj", data) == "obj"
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 20_000
