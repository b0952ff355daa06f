"""The report of a trial: as PDF, as HTML, its figures as text on the clipboard."""

from __future__ import annotations

import re
from base64 import b64decode

from PySide6.QtGui import QGuiApplication, QImage

from even_step.app.report_page import write_report
from even_step.core.wording import clock, grams
from tests.app.file_dialogs import answer


def test_a_page_is_written_as_html_with_its_pictures_and_figures(block, tmp_path):
    trial = block.slice()
    block.wait(lambda: block.canvas.is_whole)
    block.desk.view.set("station", "Output")
    target = tmp_path / "block.html"
    answer(block, target)
    block.click("report")
    block.wait(target.exists)
    text = target.read_text()
    assert clock(trial.time) in text
    assert grams(trial.mass) in text
    pictures = [QImage.fromData(b64decode(one)) for one in re.findall(r"base64,([^\"]+)\"", text)]
    assert len(pictures) == 2
    assert all(picture.width() > 300 for picture in pictures)
    assert "http" not in text


def test_a_page_is_written_as_pdf(block, tmp_path):
    block.slice()
    target = tmp_path / "block.pdf"
    answer(block, target)
    block.window.run("slice.report")
    block.wait(target.exists)
    data = target.read_bytes()
    assert data.startswith(b"%PDF-")
    assert b"%%EOF" in data[-32:]
    assert 1 <= data.count(b"/Type /Page\n") <= 2
    block.wait(lambda: "Saved the report block.pdf" in block.window.area.notes.text)


def test_a_folder_that_is_not_there_is_told(block, tmp_path):
    block.slice()
    write_report(block.desk, str(tmp_path / "no" / "block.pdf"), ("seen", block.canvas.picture))
    block.wait(lambda: "block.pdf" in block.window.area.notes.text)
    assert not (tmp_path / "no").exists()


def test_the_figures_are_on_the_clipboard(block):
    trial = block.slice()
    block.desk.view.set("station", "Output")
    block.click("copy figures")
    text = QGuiApplication.clipboard().text()
    assert clock(trial.time) in text
    assert "By role" in text
