"""The page of a trial tells the figures of its report, what was set, and its layers."""

from __future__ import annotations

import re
from html.parser import HTMLParser

from even_step.core.job.kept_trials import summary_of
from even_step.core.job.zones import Zone
from even_step.core.trials.page import BANDS, as_html, as_text, tables_of
from even_step.core.wording import clock, grams
from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of, slice_again


class Cells(HTMLParser):
    """The cells of all tables, row by row."""

    def __init__(self):
        super().__init__()
        self.rows, self.cell = [], None

    def handle_starttag(self, tag, attrs):  # noqa: ARG002 - the parser's own
        if tag == "tr":
            self.rows.append([])
        self.cell = "" if tag in {"td", "th"} else self.cell

    def handle_data(self, data):
        if self.cell is not None:
            self.cell += data

    def handle_endtag(self, tag):
        if tag in {"td", "th"} and self.cell is not None:
            self.rows[-1].append(self.cell)
            self.cell = None


def sliced(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(20, 20, 4)), {"infill.density": 30, "layers.first_height": 0.3})
    zone = Zone(name="a <b> & c", shape="box", middle=(0, 0, 2), size=(8, 8, 8), settings={"walls.count": 5})
    parts = tuple(one.model_copy(update={"zones": (zone,), "settings": {"top.layers": 2}}) for one in job.parts)
    return slice_again(tmp_path, job.model_copy(update={"parts": parts}))


def test_every_figure_is_the_reports_and_what_was_set_stands_with_where(tmp_path):
    done = sliced(tmp_path)
    told = done.report
    page = Cells()
    page.feed(as_html("a <job>", tables_of(told, done.sliced.job), [("a picture", "data:,")]))
    page.rows = [row for row in page.rows if row]
    rows = {row[0]: row for row in page.rows}
    assert rows["printing time"][1] == clock(told["time_s"])
    assert rows["mass"][1] == grams(told["material"][0]["mass_g"])
    assert rows["retractions"][1] == str(told["retractions"])
    for role, seconds in told["time_by_role_s"].items():
        assert rows[role.replace("-", " ")][1] == clock(seconds)
    assert ["whole job", "infill density 30 %, first layer height 0.3 mm"] in page.rows
    assert ["part", "top layers 2"] in page.rows
    assert ["zone a <b> & c of part", "walls 5"] in page.rows
    heights = [row for row in page.rows if len(row) == 5 and row[0] != "from, mm"]
    assert heights[0][3] == "0.30"
    assert sum(int(row[2]) for row in heights) == told["layers"]["count"]


def test_as_text_the_columns_stand_in_line_and_nothing_is_escaped(tmp_path):
    done = sliced(tmp_path)
    text = as_text("trial 1", tables_of(done.report, done.sliced.job))
    assert "zone a <b> & c of part" in text
    lines = [line for line in text.splitlines() if re.match(r"  (outer wall|inner wall|top|infill)  ", line)]
    assert len({re.search(r"\d", line).start() for line in lines}) == 1


def test_a_trial_that_was_kept_tells_what_it_knows(tmp_path):
    done = sliced(tmp_path)
    tables = tables_of(summary_of(done.report), done.sliced.job)
    assert ("printing time", clock(done.report["time_s"])) in tables[0].rows
    assert "Set for this job" in [table.title for table in tables]


def test_layers_that_change_often_are_told_in_bands_that_hold_them_all(tmp_path):
    done = slice_again(
        tmp_path, job_of(write_stl(tmp_path / "ball.stl", ball(9.0, 4)), {"layers.follow_surface": True})
    )
    (layers,) = (one for one in tables_of(done.report, done.sliced.job) if one.title == "Layers")
    assert 2 < len(layers.rows) <= BANDS
    assert sum(int(row[2]) for row in layers.rows) == done.report["layers"]["count"]
    assert layers.rows[-1][1] == f"{done.report['layers']['z_mm'][-1]:.2f}"
