"""Zones in the window: drawn, listed, placed by figures, with settings of their own, undone."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QCursor, QGuiApplication, QMouseEvent
from PySide6.QtTest import QTest

from even_step.app.canvas.zone_edges import zone_lines
from even_step.app.stations.zone_grip import ZoneGrip
from even_step.core.job import edits
from tests.app.file_dialogs import answer
from tests.shapes import ball, box, write_stl

NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def plate(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "plate.stl", box(60, 40, 6)))
    hand.desk.selection.pick([hand.spot()])
    return hand


def zones(hand):
    return hand.desk.job.parts[0].zones


def put(hand):
    """Put a zone into the middle of the part, by keyboard alone."""
    hand.key(Qt.Key.Key_Z)
    hand.key(Qt.Key.Key_Return)


def on_screen(hand, *place):
    x, y, _ = hand.canvas.camera.project(np.array([place], float))[0]
    return QPoint(round(x), round(y))


def hover(hand, at):
    point, none = QPointF(at), Qt.MouseButton.NoButton
    event = QMouseEvent(QEvent.Type.MouseMove, point, hand.canvas.mapToGlobal(point), none, none, NONE)
    QGuiApplication.sendEvent(hand.canvas, event)
    hand.wait(lambda: not hand.desk.background.busy)


def test_a_key_makes_a_zone_and_figures_place_it(plate):
    hand = plate
    put(hand)
    (made,) = zones(hand)
    assert (made.shape, made.middle, made.size) == ("box", (0.0, 0.0, 3.0), (30.0, 20.0, 3.0))
    assert made.settings == {"infill.density": 30.0}
    assert hand.desk.store.undo_name == "box zone in plate"
    assert hand.desk.view.tool == "move"
    assert hand.desk.zoning.open[1] == made
    hand.type_into("zone middle X", "12")
    hand.type_into("zone size Z", "20")
    assert zones(hand)[0].middle == (12.0, 0.0, 3.0)
    assert zones(hand)[0].size == (30.0, 20.0, 20.0)
    assert hand.desk.store.undo_name == "size zone of plate"
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert zones(hand)[0].size[2] == 3.0
    hand.type_into("zone size X", "0")
    assert zones(hand)[0].size[0] == 30.0
    assert "no size of a zone" in hand.window.area.notes.text
    hand.key(Qt.Key.Key_Escape)
    hand.click(f"remove zone {made.id}")
    assert zones(hand) == ()
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(zones(hand)) == 1


def test_a_zone_gets_settings_on_the_recipe_and_what_cannot_differ_is_not_offered(plate):
    hand = plate
    hand.click("new zone cylinder")
    made = zones(hand)[0]
    hand.click("zone settings")
    assert hand.desk.view.station == "Recipe"
    assert hand.find(object, "scope part").text() == f"Only for zone {made.id}"
    hand.desk.view.set("level", "everything")
    hand.type_into("setting infill.density", "70")
    assert zones(hand)[0].settings == {"infill.density": 70.0}
    assert hand.desk.store.undo_name == f"infill density 70 % for zone {made.id} of plate"
    assert hand.window.recipe.lines["infill.density"]._origin.text() == "zone"
    lines = hand.window.recipe.lines
    assert lines["walls.count"].isVisible()
    assert not lines["walls.seam"].isVisible()
    assert not lines["heat.bed"].isVisible()
    hand.click("return all")
    assert zones(hand)[0].settings == {}
    assert hand.window.recipe.lines["infill.density"].field.text() == "15 %"
    hand.desk.view.set("station", "Supports")
    assert hand.desk.whose.zone == ""
    assert hand.desk.whose.parts == (hand.part(),)


def test_the_lower_zone_wins_and_the_order_can_be_changed(plate):
    hand = plate
    for shape in ("box", "ball"):
        hand.click(f"new zone {shape}")
    first, second = zones(hand)
    hand.click(f"zone {first.id}")
    hand.click("zone over")
    assert zones(hand) == (second, first)


def test_the_order_is_dragged_in_the_list(plate):
    hand = plate
    for shape in ("box", "ball", "cylinder"):
        hand.click(f"new zone {shape}")
    first, second, third = zones(hand)
    grip = hand.find(ZoneGrip, f"grip {first.id}")
    middle = grip.rect().center()
    down = middle + QPoint(0, 2 * (grip.parentWidget().height() + 2))
    QTest.mousePress(grip, Qt.MouseButton.LeftButton, NONE, middle)
    QTest.mouseMove(grip, down)
    QTest.mouseRelease(grip, Qt.MouseButton.LeftButton, NONE, down)
    assert zones(hand) == (second, third, first)
    assert hand.desk.store.undo_name == "order of zones"
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert zones(hand) == (first, second, third)


def test_a_zone_is_seen_and_goes_with_its_part(plate):
    hand = plate
    before = hand.canvas.grab().toImage()
    put(hand)
    hand.drawn()
    hand.window.area.repaint()
    assert hand.window.area.grab().toImage() != before
    part, shape = hand.desk.job.parts[0], hand.canvas.scene.parts[0]
    lines = np.concatenate(zone_lines(part, shape, part.zones[0], []))
    np.testing.assert_allclose(np.ptp(lines, axis=0), (30, 20, 3), atol=1e-6)
    hand.desk.store.do("turn", edits.turned(hand.desk.job, [hand.spot()], 2, 90.0))
    hand.drawn()
    part, shape = hand.desk.job.parts[0], hand.canvas.scene.parts[0]
    lines = np.concatenate(zone_lines(part, shape, part.zones[0], []))
    np.testing.assert_allclose(np.ptp(lines, axis=0), (20, 30, 3), atol=1e-6)


def test_a_zone_is_sliced_and_saved(plate, tmp_path):
    hand = plate
    plain = hand.slice()
    put(hand)
    denser = hand.slice()
    assert denser.mass > plain.mass
    assert denser.job.parts[0].zones == zones(hand)


def test_two_clicks_and_a_height_draw_a_zone_on_a_part(plate):
    hand = plate
    hand.desk.store.do("turn", edits.turned(hand.desk.job, [hand.spot()], 2, 90.0))
    hand.drawn()
    hand.key(Qt.Key.Key_Z)
    assert "Click where the zone begins" in hand.window.parts._hint.text()
    hand.click_canvas(on_screen(hand, 100, 100, 6))
    hover(hand, on_screen(hand, 108, 112, 6))
    hand.click_canvas(on_screen(hand, 108, 112, 6))
    low, high = hand.canvas.gestures.drawing.box
    np.testing.assert_allclose((low[:2], high[:2]), ((100, 100), (108, 112)), atol=0.4)
    hover(hand, on_screen(hand, 108, 112, 2))
    hand.click_canvas(on_screen(hand, 108, 112, 2))
    (made,) = zones(hand)
    assert hand.desk.view.tool == "move"
    part, shape = hand.desk.job.parts[0], hand.canvas.scene.parts[0]
    lines = np.concatenate(zone_lines(part, shape, made, []))
    np.testing.assert_allclose((lines.min(axis=0), lines.max(axis=0)), ((100, 100, 2), (108, 112, 6)), atol=0.4)
    tenths = 10 * np.array([*made.middle, *made.size])
    np.testing.assert_allclose(2 * tenths, np.round(2 * tenths), atol=1e-6)
    assert hand.desk.store.undo_name == "box zone in plate"
    hand.key(Qt.Key.Key_Z)
    hand.click_canvas(on_screen(hand, 100, 100, 6))
    hand.key(Qt.Key.Key_Escape)
    assert hand.desk.view.tool == "move"
    assert hand.canvas.gestures.drawing.box is None
    assert len(zones(hand)) == 1


@pytest.mark.parametrize(("tool", "shape"), [("zone-face", "face"), ("zone-backing", "backing")])
def test_a_click_on_a_face_makes_a_zone_of_it(plate, tool, shape):
    hand = plate
    hand.click(f"draw {tool}")
    at = on_screen(hand, 110, 110, 6)
    hover(hand, at)
    assert hand.canvas.gestures.faces.lit is not None
    hand.click_canvas(at)
    (made,) = zones(hand)
    assert (made.shape, made.depth) == (shape, 3.0)
    assert made.near[0][2] == pytest.approx(6.0, abs=1e-3)
    assert hand.desk.view.tool == "move"
    hand.type_into("zone depth", "1.6")
    assert zones(hand)[0].depth == 1.6
    hand.canvas.rims.of(hand.desk.job.parts[0], hand.canvas.scene.parts[0], zones(hand)[0])
    hand.wait(lambda: not hand.desk.background.busy)
    rim = hand.canvas.rims.of(hand.desk.job.parts[0], hand.canvas.scene.parts[0], zones(hand)[0])
    np.testing.assert_allclose(np.ptp(np.concatenate(rim), axis=0), (60, 40, 1.6), atol=1e-6)
    trial = hand.slice()
    (told,) = trial.report["parts"][0]["zones"]
    assert told["volume_mm3"] == pytest.approx(60 * 40 * 1.6)
    hand.desk.view.set("station", "Parts")
    assert "sliced:" in hand.window.parts._zones.figures._came_out.text()


def test_handles_move_size_and_turn_the_open_zone_and_are_one_undo(plate):
    hand = plate
    put(hand)
    by_kind = {(one.kind, one.axis, one.sign): one for one in hand.canvas.gestures.handles.shown}
    assert len(by_kind) == 8
    middle = on_screen(hand, *by_kind["move", 2, 1].at)
    hand.press_and_drag(middle, on_screen(hand, 118, 106, 3))
    np.testing.assert_allclose(zones(hand)[0].middle, (8, -4, 3), atol=0.5)
    assert hand.desk.store.undo_name == "move zone of plate"
    side = next(one for one in hand.canvas.gestures.handles.shown if (one.kind, one.axis, one.sign) == ("size", 0, 1))
    hand.press_and_drag(on_screen(hand, *side.at), on_screen(hand, *(side.at + (6, 0, 0))))
    assert zones(hand)[0].size[0] == pytest.approx(36, abs=0.5)
    assert zones(hand)[0].middle[0] == pytest.approx(11, abs=0.5)
    turn = next(one for one in hand.canvas.gestures.handles.shown if one.kind == "turn")
    about = np.array(by_kind["move", 2, 1].at) + (11, -4, 0)
    far = np.hypot(*(turn.at - about)[:2])
    hand.press_and_drag(on_screen(hand, *turn.at), on_screen(hand, about[0], about[1] + far, 3))
    assert zones(hand)[0].turn == (0.0, 0.0, 90.0)
    for _ in range(3):
        hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert zones(hand)[0].middle == (0.0, 0.0, 3.0)


def test_a_click_picks_a_zone_by_its_edge_and_a_part_by_its_surface(plate):
    hand = plate
    put(hand)
    hand.desk.zoning.close()
    corner = hand.canvas.scene.parts[0].box.mean(axis=0) + (15, 10, 1.5)
    hand.click_canvas(on_screen(hand, *corner))
    assert hand.desk.zoning.open[1].id == zones(hand)[0].id
    hand.desk.zoning.close()
    hand.click_canvas(on_screen(hand, 110 + 24, 110 - 15, 6))
    assert hand.desk.zoning.open is None
    assert hand.desk.selection.spots == (hand.spot(),)


def test_tab_goes_through_the_zones_under_the_pointer(plate):
    hand = plate
    for shape in ("box", "ball"):
        hand.click(f"new zone {shape}")
    first, second = zones(hand)
    hand.desk.zoning.close()
    hand.canvas.setFocus()
    QCursor.setPos(hand.canvas.mapToGlobal(on_screen(hand, 110, 110, 3)))
    told = []
    for _ in range(4):
        hand.key(Qt.Key.Key_Tab)
        told.append(hand.desk.zoning.open and hand.desk.zoning.open[1].id)
    assert told == [first.id, second.id, None, first.id]


def test_copies_in_steps_go_on_and_step_one_setting(plate):
    hand = plate
    hand.click("new zone box")
    hand.type_into("zone copies", "4")
    hand.type_into("zone step X", "10")
    steps = hand.window.parts._zones.figures._steps
    steps._key.setCurrentIndex(1)
    hand.type_into("zone step to", "70")
    hand.click("copy zone")
    made = zones(hand)
    assert [zone.middle[0] for zone in made] == [0, 10, 20, 30, 40]
    assert [zone.settings["infill.density"] for zone in made] == [30, 40, 50, 60, 70]
    assert len({zone.id for zone in made}) == 5
    assert hand.desk.store.undo_name.startswith("4 more of zone")
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(zones(hand)) == 1


def colour_at(hand, *place):
    """The colour of the picture where a place on the bed is seen."""
    hand.wait(lambda: hand.canvas.is_whole and not hand.desk.background.busy)
    at = on_screen(hand, *place) * hand.canvas.picture.devicePixelRatio()
    colour = hand.canvas.picture.pixelColor(at)
    return colour.red(), colour.green(), colour.blue()


def is_teal(colour):
    red, green, blue = colour
    return green - red > 12 and blue - red > 5


def test_the_part_is_tinted_where_its_zone_reaches_its_surface_and_nowhere_else(plate):
    hand = plate
    hand.click("new zone ball")
    hand.type_into("zone size X", "20")
    hand.type_into("zone size Y", "20")
    hand.type_into("zone size Z", "20")
    hand.desk.zoning.show("", "")
    (x, y, _), (_, _, high) = hand.canvas.scene.parts[0].box
    middle = np.array([x + 30.0, y + 20.0])
    reach = np.sqrt(10.0**2 - 3.0**2)  # on the top, 3 mm over the ball's middle
    for off in (-0.85, -0.4, 0.4, 0.85):
        assert is_teal(colour_at(hand, middle[0] + off * reach, middle[1] - 4.0 * (abs(off) < 0.5), high))
    for off in (-1.2, 1.2):
        assert not is_teal(colour_at(hand, middle[0] + off * reach, middle[1], high))
    hand.desk.selection.pick([])
    assert not is_teal(colour_at(hand, middle[0] + 4.0, middle[1], high))


def test_parts_are_cut_open_at_the_ruler_and_the_cells_of_zones_tinted(plate):
    hand = plate
    hand.click("new zone cylinder")
    hand.type_into("zone size X", "16")
    hand.type_into("zone size Y", "16")
    hand.desk.zoning.show("", "")
    hand.desk.selection.pick([])
    ruler = hand.window.area.ruler
    QTest.mousePress(ruler, Qt.MouseButton.LeftButton, NONE, QPoint(20, round(ruler.y_of(3.0))))
    QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, NONE, QPoint(20, round(ruler.y_of(3.0))))
    assert hand.desk.view.cut == pytest.approx(3.0, abs=0.05)
    hand.wait(lambda: hand.desk.cut_open.face is not None)
    (x, y, _), _ = hand.canvas.scene.parts[0].box
    at = hand.desk.view.cut
    assert is_teal(colour_at(hand, x + 30.0, y + 20.0, at))
    assert not is_teal(colour_at(hand, x + 10.0, y + 20.0, at))
    box_ = zones(hand)[0]
    hand.desk.store.do("away", edits.without_zone(hand.desk.job, hand.part(), box_.id))
    hand.wait(lambda: not is_teal(colour_at(hand, x + 30.0, y + 20.0, at)))
    hand.key(Qt.Key.Key_PageDown, Qt.KeyboardModifier.ShiftModifier)
    assert hand.desk.view.cut == pytest.approx(at - 1.0)
    hand.click_canvas(on_screen(hand, x + 30.0, y + 20.0, hand.desk.view.cut))
    assert hand.desk.selection.parts == (hand.part(),)
    for _ in range(6):
        hand.key(Qt.Key.Key_PageUp, Qt.KeyboardModifier.ShiftModifier)
    assert hand.desk.view.cut == 0.0
    assert hand.canvas.scene.cut is None


def test_what_a_click_would_pick_is_named_before_it(plate):
    hand = plate
    hand.click("new zone box")
    zone = zones(hand)[0]
    shape = hand.canvas.scene.parts[0]
    hand.desk.zoning.show("", "")
    line = zone_lines(hand.desk.job.parts[0], shape, zone, [])[1]
    hover(hand, on_screen(hand, *(line[0] * 0.4 + line[1] * 0.6)))
    assert hand.canvas.gestures.under.words == f"zone {zone.title} of plate"
    (x, y, _), (_, _, high) = shape.box
    hover(hand, on_screen(hand, x + 30.0, y + 20.0, high))
    assert hand.canvas.gestures.under.words == "plate · Tab goes through 1 zone here"
    hover(hand, QPoint(5, 5))
    assert hand.canvas.gestures.under.words == ""


def test_the_shape_of_a_zone_comes_from_a_file_and_its_edges_are_drawn(plate, tmp_path):
    hand = plate
    answer(hand, write_stl(tmp_path / "wedge.stl", box(12, 8, 4, at=(50, 60, 70))))
    hand.click("new zone file")
    hand.wait(lambda: bool(zones(hand)))
    (made,) = zones(hand)
    assert (made.shape, made.name, made.middle, made.size) == ("mesh", "wedge", (0.0, 0.0, 3.0), (12.0, 8.0, 4.0))
    part, shape = hand.desk.job.parts[0], hand.canvas.scene.parts[0]
    lines = zone_lines(part, shape, made, hand.canvas.rims.of(part, shape, made))
    assert sum(len(line) - 1 for line in lines) == 12
    corners = np.concatenate(lines)
    np.testing.assert_allclose(np.ptp(corners, axis=0), (12, 8, 4), atol=1e-4)
    hand.type_into("zone size X", "20")
    assert zones(hand)[0].size == (20.0, 8.0, 4.0)
    (tmp_path / "nothing.stl").write_text("no model")
    hand.qtbot.wait(900)  # until the first answer has seen its dialog gone
    answer(hand, tmp_path / "nothing.stl")
    hand.click("new zone file")
    hand.wait(lambda: "nothing.stl" in hand.window.area.notes.text)
    assert len(zones(hand)) == 1


@pytest.mark.parametrize("sized", [True, False], ids=["of a size", "as in its file"])
def test_the_part_is_tinted_where_a_mesh_of_a_file_reaches_its_surface(plate, tmp_path, sized):
    hand = plate
    answer(hand, write_stl(tmp_path / "drop.stl", ball(10.0, 3)))
    hand.click("new zone file")
    hand.wait(lambda: bool(zones(hand)))
    (made,) = zones(hand)
    if not sized:
        own = made.model_copy(update={"size": None})
        hand.desk.store.do("own size", edits.with_zone(hand.desk.job, hand.part(), own))
    hand.desk.zoning.show("", "")
    (x, y, _), (_, _, high) = hand.canvas.scene.parts[0].box
    middle, reach = np.array([x + 30.0, y + 20.0]), np.sqrt(10.0**2 - 3.0**2)  # on the top, 3 mm over the ball's middle
    hand.wait(lambda: is_teal(colour_at(hand, middle[0] + 0.4 * reach, middle[1] - 4.0, high)))
    for off in (-0.85, -0.4, 0.4, 0.85):
        assert is_teal(colour_at(hand, middle[0] + off * reach, middle[1] - 4.0 * (abs(off) < 0.5), high))
    for off in (-1.2, 1.2):
        assert not is_teal(colour_at(hand, middle[0] + off * reach, middle[1], high))
