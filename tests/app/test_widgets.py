"""Small widgets, each alone, driven by real keys and clicks."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QVBoxLayout, QWidget

from even_step.app.theme.colours import PAPER, mixed, role_colour
from even_step.app.theme.icons import icon, pixmap
from even_step.app.view import STATIONS
from even_step.app.widgets.drawings import BOX, DRAWINGS, SettingDrawing
from even_step.app.widgets.fields import ChoiceField, NumberField
from even_step.app.widgets.marks import draw_mark
from even_step.app.widgets.note_bar import NoteBar
from even_step.app.widgets.rail import Rail
from even_step.app.widgets.sheet import Group, Sheet, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.errors import SettingError
from even_step.core.job.shipped import DATA
from even_step.core.toolpath.roles import ROLE_NUMBER, TABLE
from even_step.core.wording import clock, grams, millimetres, size


@pytest.fixture
def holder(qapp, qtbot):
    """A window that holds a widget and has the keyboard."""
    made = QWidget()
    made.setLayout(QVBoxLayout())
    qtbot.addWidget(made)
    made.show()
    made.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is made)
    return made


@pytest.fixture
def field(holder):
    def refuse_above_100(value):
        if value > 100:
            raise SettingError("too much", remedy="up to 100")

    made = NumberField("field", "mm", decimals=3, step=0.5, check=refuse_above_100)
    holder.layout().addWidget(made)
    holder.layout().addWidget(QPushButton("elsewhere"))
    made.show_value(12.5)
    made.setFocus()
    made.chose = []
    made.refusals = []
    made.chosen.connect(made.chose.append)
    made.refused.connect(made.refusals.append)
    return made


def pixels(image):
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 4].reshape(image.height(), image.width(), 4)[:, :, :3].copy()


def painted(draw, width=120, height=60):
    image = QImage(width, height, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    draw(painter)
    painter.end()
    return pixels(image)


def test_a_number_is_shown_with_its_unit_and_without_idle_zeros(field):
    assert field.text() == "12.5 mm"
    field.show_value(3.0)
    assert field.text() == "3 mm"
    field.show_value(-0.0001)
    assert field.text() == "0 mm"


def test_typing_chooses_on_enter_and_takes_sums_and_inches(field):
    QTest.keyClicks(field, "127/2")
    assert field.chose == []
    QTest.keyClick(field, Qt.Key.Key_Return)
    QTest.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(field, "2 in")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.chose == [63.5, 50.8]
    assert field.text() == "50.8 mm"


def test_enter_without_typing_chooses_nothing(field):
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.chose == []


@pytest.mark.parametrize("text", ["101", "many", "1/0"])
def test_what_is_refused_says_why_and_the_value_comes_back_on_leaving(field, text):
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.chose == []
    assert len(field.refusals) == 1
    assert field.property("wrong") == "true"
    field.clearFocus()
    assert field.text() == "12.5 mm"
    assert field.property("wrong") == "false"


def test_up_and_down_step_and_shift_steps_tenfold(field):
    QTest.keyClick(field, Qt.Key.Key_Up)
    QTest.keyClick(field, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert field.chose == [13.0, 8.0]


def test_escape_takes_back_what_was_typed(field):
    QTest.keyClicks(field, "99")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "12.5 mm"
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.chose == []


def test_a_new_value_does_not_disturb_what_is_being_typed(field):
    QTest.keyClicks(field, "9")
    field.show_value(77.0)
    assert field.text() == "9"


def test_the_wheel_scrolls_past_a_choice(holder):
    choice = ChoiceField("choice", ("inner-first", "outer-first"))
    holder.layout().addWidget(choice)
    choice.show_value("inner-first")
    assert choice.currentText() == "inner first"
    event = QWheelEvent(
        QPointF(5, 5),
        QPointF(5, 5),
        QPoint(0, 0),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(choice, event)
    assert choice.currentIndex() == 0
    assert not event.isAccepted()


@pytest.mark.parametrize("key", sorted(DRAWINGS))
def test_every_drawing_shows_its_value_within_its_box(qapp, qtbot, key):
    setting = CATALOGUE[key]
    values = setting.choices or (setting.default, float(setting.default) * 1.6 + 1)
    pictures = []
    for value in values[:2]:
        drawing = SettingDrawing(setting)
        qtbot.addWidget(drawing)
        drawing.resize(280, drawing.height())
        drawing.show_values(value, value)
        pictures.append(pixels(drawing.grab().toImage()))
    assert (pictures[0] != pictures[1]).any(), "another value draws another picture"
    ground = pictures[0][-1, -1]
    assert (pictures[0][:, BOX.width() + 12 :] == ground).all(), "nothing beside the one box"


def test_a_changed_value_is_drawn_beside_the_one_under_it(qapp, qtbot):
    drawing = SettingDrawing(CATALOGUE["infill.density"])
    qtbot.addWidget(drawing)
    drawing.resize(280, drawing.height())
    drawing.show_values(10.0, 15.0)
    picture = pixels(drawing.grab().toImage())
    assert (picture[:, BOX.width() + 12 :] != picture[-1, -1]).any()


def test_denser_infill_draws_more_lines(qapp):
    from_to = []
    for percent in (10.0, 40.0):
        picture = painted(lambda painter, p=percent: DRAWINGS["infill.density"](painter, QRectF(0, 0, 96, 44), p))
        straw = np.array([0x82, 0xBE, 0xD3])
        from_to.append((np.abs(picture.astype(int) - straw).sum(axis=2) < 30).sum())
    assert from_to[1] > 2 * from_to[0]


def test_every_setting_of_the_short_page_has_a_drawing():
    short = {key for key, setting in CATALOGUE.items() if setting.level == "short"}
    assert short <= set(DRAWINGS)
    assert set(DRAWINGS) <= set(CATALOGUE)


def test_marks_differ_in_shape_not_only_in_colour(qapp):
    shapes = {}
    for mark in ("changed", "warn", "stop", "note"):
        picture = painted(lambda painter, m=mark: draw_mark(painter, m, 20, 20), 40, 40)
        shapes[mark] = (picture.sum(axis=2) < 600).tobytes()
    assert len(set(shapes.values())) == 4


def test_stairs_step_right_and_show_their_mark(qapp, qtbot):
    rail = Rail()
    qtbot.addWidget(rail)
    rail.resize(rail.width(), 500)
    rail.stand_on("Layers")
    assert [word for word, step in rail.steps.items() if step.isChecked()] == ["Layers"]
    plain = pixels(rail.grab().toImage())
    rail.steps["Parts"].set_mark("stop", "outside the build volume")
    assert (pixels(rail.grab().toImage()) != plain).any()
    assert "outside the build volume" in rail.steps["Parts"].toolTip()
    lefts = []
    for step in rail.steps.values():
        row = plain[step.y() + 30]
        lefts.append(int(np.flatnonzero((row != row[0]).any(axis=1))[0]) if step.y() else 0)
    assert lefts == sorted(lefts)
    assert tuple(rail.steps) == STATIONS


def test_a_group_folds(holder):
    group = Group("Walls")
    inside = label("three")
    group.add(inside)
    holder.layout().addWidget(group)
    QApplication.processEvents()
    assert inside.isVisible()
    QTest.mouseClick(group.findChild(QPushButton, "fold Walls"), Qt.MouseButton.LeftButton)
    assert not inside.isVisible()


def test_a_long_text_does_not_widen_a_sheet(holder):
    sheet = Sheet("Walls")
    sheet.add(line(label("a very long remark " * 20), 1, QPushButton("button")))
    sheet.setFixedSize(300, 200)
    holder.layout().addWidget(sheet)
    QApplication.processEvents()
    assert sheet.widget().width() <= 300


def test_a_note_goes_by_itself_and_a_stop_stays(holder, qtbot):
    bar = NoteBar()
    holder.layout().addWidget(bar)
    bar._gone.setInterval(30)
    bar.offer("Saved", "note", [])
    assert bar.isVisible()
    qtbot.waitUntil(lambda: not bar.isVisible())
    bar.offer("Broken", "stop", [])
    qtbot.wait(80)
    assert bar.isVisible()
    QTest.mouseClick(bar.findChild(QPushButton, "put note away"), Qt.MouseButton.LeftButton)
    assert not bar.isVisible()


def test_a_remedy_runs_and_puts_the_note_away(holder):
    bar = NoteBar()
    holder.layout().addWidget(bar)
    done = []
    bar.offer("Lost", "caution", [("Recover it", lambda: done.append(1))])
    QApplication.processEvents()
    QTest.mouseClick(bar.findChild(QPushButton, "remedy Recover it"), Qt.MouseButton.LeftButton)
    assert done == [1]
    assert not bar.isVisible()


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0, "0 s"), (59.4, "59 s"), (60, "1 min 00 s"), (3599.6, "1 h 00 min"), (22_907, "6 h 21 min")],
)
def test_times_read_as_hours_and_minutes(seconds, words):
    assert clock(seconds) == words


def test_masses_and_sizes_read_short():
    assert grams(82.64) == "82.6 g"
    assert grams(1234.5) == "1.23 kg"
    assert millimetres(7.2) == "7.2"
    assert millimetres(0.824) == "0.82"
    assert millimetres(66.0) == "66"
    assert size((66.0, 5.25, 100.04)) == "66 × 5.25 × 100"


def test_every_role_has_a_colour_of_its_own_but_what_lies_round_the_parts():
    stone = {"skirt", "brim", "raft", "purge"}
    others = [role.colour for role in TABLE if role.word not in stone]
    assert len(others) == len(set(others))
    assert role_colour("outer-wall").name().upper() == TABLE[ROLE_NUMBER["outer-wall"]].colour.upper()


def luminance(colour):
    def linear(value):
        return value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4

    red, green, blue = (linear(int(colour[i : i + 2], 16) / 255) for i in (1, 3, 5))
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@pytest.mark.parametrize("ink", ["ink", "accent", "stop", "faint"])
@pytest.mark.parametrize("ground", ["paper", "sheet"])
def test_text_stands_out_from_its_ground(ink, ground):
    dark, light = luminance(getattr(PAPER, ink)), luminance(getattr(PAPER, ground))
    assert (light + 0.05) / (dark + 0.05) >= 4.0


def test_roles_that_meet_differ_in_lightness_for_any_eye():
    for one, other in (
        ("outer-wall", "inner-wall"),
        ("inner-wall", "top"),
        ("outer-wall", "infill"),
        ("top", "bottom"),
    ):
        a, b = sorted((luminance(TABLE[ROLE_NUMBER[one]].colour), luminance(TABLE[ROLE_NUMBER[other]].colour)))
        assert (b + 0.05) / (a + 0.05) > 1.4, (one, other)


def test_a_mixed_colour_lies_between():
    assert mixed("#000000", "#FFFFFF", 0.5).red() in {127, 128}
    assert mixed("#102030", "#405060", 0.0).name() == "#102030"


def test_every_shipped_icon_is_drawn_and_has_its_licence(qapp):
    names = sorted(path.stem for path in (DATA / "icons").glob("*.svg"))
    assert (DATA / "icons" / "LICENSE.txt").exists()
    assert (DATA / "fonts" / "LICENSE.txt").exists()
    sources = "".join(
        path.read_text() for path in (Path(__file__).parents[2] / "src" / "even_step" / "app").rglob("*.py")
    )
    for name in names:
        assert f'"{name}"' in sources or f"{name}.svg" in sources, f"{name} is shipped and not used"
        picture = pixmap(name).toImage()
        assert any(picture.pixelColor(x, y).alpha() for x in range(32) for y in range(32)), name
    assert not icon("save").isNull()


def test_a_number_field_grows_with_its_figure(qapp):
    field = NumberField("place", "mm", decimals=3)
    narrow = field.width()
    field.show_value(-1274.866)
    assert field.width() > narrow
    assert field.fontMetrics().horizontalAdvance(field.text()) < field.width() - 12
    field.show_value(5)
    assert field.width() == narrow
