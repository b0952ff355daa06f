from __future__ import annotations

import errno
import io

import pytest
from PIL import Image

from even_step.core import output
from even_step.core.errors import OutputError
from even_step.core.job.model import Bed
from even_step.core.output import write_whole
from even_step.core.picture import section_picture
from even_step.core.toolpath.roles import ROLE_NUMBER, TABLE
from tests.shapes import box


def test_a_file_appears_whole(tmp_path):
    path = tmp_path / "a.txt"
    assert write_whole(path, [b"one ", b"two"]) == 7
    assert path.read_bytes() == b"one two"
    assert list(tmp_path.iterdir()) == [path]


def test_a_failing_source_leaves_what_was_there(tmp_path):
    path = tmp_path / "a.txt"
    path.write_bytes(b"before")

    def pieces():
        yield b"half"
        raise RuntimeError

    with pytest.raises(RuntimeError):
        write_whole(path, pieces())
    assert path.read_bytes() == b"before"
    assert list(tmp_path.iterdir()) == [path]


def test_a_full_disk_is_told_and_leaves_nothing(tmp_path, monkeypatch):
    class Full(io.RawIOBase):
        def write(self, _data):
            raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(output.os, "fdopen", lambda handle, *rest, **more: Full())
    with pytest.raises(OutputError, match="No space left") as caught:
        write_whole(tmp_path / "a.txt", [b"data"])
    assert caught.value.exit_code == 3
    assert list(tmp_path.iterdir()) == []


def test_a_missing_folder_and_a_folder_as_target_are_told(tmp_path):
    with pytest.raises(OutputError, match="No such file"):
        write_whole(tmp_path / "no" / "a.txt", [b""])
    with pytest.raises(OutputError, match="folder"):
        write_whole(tmp_path, [b""])


def test_a_section_shows_the_roles_in_their_colours(sliced):
    done = sliced(box(20, 20, 4), {"skirt.loops": 0})
    picture = section_picture(done.sliced.toolpath, 10, done.sliced.job.machine.bed, 1200)
    image = Image.open(io.BytesIO(picture)).convert("RGB")
    colours = {colour: count for count, colour in image.getcolors(1 << 20)}
    assert max(image.size) == 1200
    for role in ("outer-wall", "inner-wall", "infill"):
        assert colours.get(tuple(bytes.fromhex(TABLE[ROLE_NUMBER[role]].colour[1:])), 0) > 1000
    # 20 mm of 36 mm are the part; its four outer walls are 0.45 mm wide.
    wall = colours[tuple(bytes.fromhex(TABLE[ROLE_NUMBER["outer-wall"]].colour[1:]))] * (36 / 1200) ** 2
    # Their edges are smoothed and the inner wall lies over them a little.
    assert 0.6 * 80 * 0.45 < wall < 80 * 0.45


def test_an_empty_layer_is_drawn_as_paper(sliced):
    done = sliced(box(30, 0.3, 4), {"skirt.loops": 0})
    assert section_picture(done.sliced.toolpath, 3, Bed(size=(100, 100), shape="round"), 200)[:4] == b"\x89PNG"
