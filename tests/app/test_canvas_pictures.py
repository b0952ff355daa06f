"""What is seen on the canvas: states by colour and hatch, lines true to width, sketches like the whole picture."""

from __future__ import annotations

from dataclasses import replace

import moderngl
import numpy as np
import pytest
import shapely
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest

from even_step.app.canvas import canvas as canvas_module
from even_step.app.canvas import renderer as renderer_module
from even_step.app.canvas.picking import facet_normal, framed, pick
from even_step.app.canvas.renderer import COARSER
from even_step.app.canvas.scene import build_scene
from even_step.app.marking import part_marks, station_marks
from even_step.app.theme.colours import PAPER
from even_step.core.job import edits
from even_step.core.job.model import Machine, Recipe
from even_step.core.job.shipped import find
from even_step.core.toolpath.roles import ROLE_NUMBER, TABLE
from tests.shapes import ball, box, extruded, inside_out, write_stl


def picture_of(hand):
    hand.drawn()
    image = hand.canvas.picture.convertToFormat(QImage.Format.Format_RGB32)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows.reshape(image.height(), image.width(), 4)[:, :, 2::-1].astype(int)


def near(picture, colour, within=40):
    """How many points are about of a colour."""
    wanted = np.array(QColor(colour).getRgb()[:3])
    return int((np.abs(picture - wanted).sum(axis=2) < within).sum())


def at_part(hand, number=0, height=1.0):
    point = hand.seen(hand.spot(number), height)
    return picture_of(hand)[point.y() - 3 : point.y() + 3, point.x() - 3 : point.x() + 3].mean(axis=(0, 1))


@pytest.fixture
def block(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "block.stl", box(40, 40, 20)))
    hand.desk.selection.pick(())
    return hand


def look(hand, **changes):
    hand.canvas.look_from(replace(hand.canvas.camera, **changes))
    hand.drawn()


def test_a_picked_part_is_tinted_and_outlined_in_plum(block):
    plain, edges = at_part(block), near(picture_of(block), PAPER.accent)
    block.desk.selection.pick([block.spot()])
    tinted = at_part(block)
    assert tinted[1] < plain[1] - 8, "green falls most when bone is tinted with plum"
    assert near(picture_of(block), PAPER.accent) > edges + 100


def test_a_part_off_the_bed_is_told_by_colour_and_by_words(block):
    plain = at_part(block)
    block.desk.store.do("move", edits.placed_at(block.desk.job, {block.spot(): (5.0, 110.0)}))
    marked = at_part(block)
    assert marked[0] - marked[1] > plain[0] - plain[1] + 15
    whole = block.window.area.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    rows = np.frombuffer(whole.constBits(), np.uint8).reshape(whole.height(), whole.width(), 4)[:, :, 2::-1]
    assert near(rows.astype(int), PAPER.stop, 6) > 300, "the slip with the words"
    assert part_marks(block.desk, block.canvas.scene)[block.part()] == ("stop", "off the bed")


def roof(angle_from_vertical):
    """A leg with a slab whose underside hangs at an angle from the vertical, toward −x and +x alike."""
    rise = 20.0 / np.tan(np.radians(angle_from_vertical))
    half, deep, top = 24.0, 20.0, 60.0
    low = [(-4.0, top - rise - 4), (4.0, top - rise - 4), (half, top), (-half, top)]
    outline = [(-4.0, 0.0), (4.0, 0.0), *low[1:2], *low[2:], *low[:1]]
    upright = extruded(shapely.Polygon(outline), deep)
    return upright[:, :, [0, 2, 1]][:, ::-1] * (1, 1, 1)


@pytest.mark.parametrize(("angle", "hatched"), [(40, False), (70, True)])
def test_what_hangs_past_the_limit_is_hatched_and_what_does_not_is_not(hand, tmp_path, angle, hatched):
    hand.drop(write_stl(tmp_path / "roof.stl", roof(angle)))
    hand.desk.selection.pick(())
    look(hand, pitch=-4.0, yaw=300.0)
    hand.canvas.fit_all()
    hand.drawn()
    clay = near(picture_of(hand), PAPER.clay, 45)
    assert (clay > 60) == hatched


def test_the_section_covers_what_its_lines_cover(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 30, 4)))
    hand.desk.store.do(
        "plain", hand.desk.job.with_settings({"infill.density": 0.0, "skirt.loops": 0, "walls.count": 1})
    )
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.desk.view.set("section", True)
    hand.desk.view.show_layers(0, 10, trial.lines.count)
    hand.canvas.look_from(replace(hand.canvas.camera, target=(110.0, 110.0, 0.0), distance=90.0))
    picture = picture_of(hand)
    covered = near(picture, TABLE[ROLE_NUMBER["outer-wall"]].colour, 150) * hand.canvas.camera.mm_a_point**2
    assert covered == pytest.approx(4 * (30 - 0.45) * 0.45, rel=0.12)


STAIRS = np.concatenate([box(40, 40 - 6 * k, 3.1, (0, 3 * k, 3.1 * k)) for k in range(6)])


@pytest.mark.parametrize("facets", [ball(25.0, 5), STAIRS], ids=["ball", "stairs"])
@pytest.mark.parametrize(("budget", "coarser"), [(1, 0), (1, 1), (2_000, 0), (200_000, 0)])
def test_a_sketch_looks_much_like_the_whole_picture(hand, tmp_path, facets, budget, coarser):
    hand.drop(write_stl(tmp_path / "part.stl", facets))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    whole = picture_of(hand)
    hand.canvas.stir()
    hand.canvas.rebuild()
    hand.canvas.look_from(hand.canvas.camera)
    drawing = hand.canvas._drawing
    renderer = drawing._begin()
    renderer._sketched, renderer._budget, renderer._coarser = None, budget, coarser
    renderer.paint(hand.canvas.scene, hand.canvas.camera, moving=True)
    image = drawing._read(renderer, hand.canvas.camera).convertToFormat(QImage.Format.Format_RGB32)
    drawing._context.doneCurrent()
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[:, :, 2::-1].astype(int)
    assert (np.abs(rows - whole).sum(axis=2) > 120).mean() < 0.05
    paper = np.abs(whole - np.array(QColor(PAPER.paper).getRgb()[:3])).sum(axis=2) < 12
    assert (np.abs(rows - whole).sum(axis=2) > 60)[paper].mean() < 0.005


def test_a_bar_says_that_the_picture_is_being_made_whole(hand, tmp_path, monkeypatch):
    monkeypatch.setattr(canvas_module, "TOLD", 0)
    hand.drop(write_stl(tmp_path / "part.stl", ball(25.0, 5)))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.drawn()
    canvas = hand.canvas
    canvas._drawing._begin()._budget = 3_000
    seen = []
    canvas.painted.connect(lambda: seen.append(canvas.share))
    canvas.look_from(replace(canvas.camera, yaw=canvas.camera.yaw + 10))
    hand.drawn()
    between = [share for share in seen if 0 < share < 1]
    assert len(between) > 5
    assert between == sorted(between)
    hand.wait(lambda: seen[-1] == 1.0)


def test_the_window_is_not_painted_anew_for_each_piece_of_a_picture(hand, tmp_path, monkeypatch):
    """What lies over the canvas took as long again as the pieces."""
    hand.drop(write_stl(tmp_path / "part.stl", ball(25.0, 5)))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.drawn()
    canvas, drawn, painted = hand.canvas, [], []
    canvas._drawing._begin()._budget = 3_000
    picture = canvas._drawing.picture
    monkeypatch.setattr(canvas._drawing, "picture", lambda *a, **how: drawn.append(0) or picture(*a, **how))
    monkeypatch.setattr(canvas_module, "TOLD", 10_000)
    canvas.painted.connect(lambda: painted.append(canvas.is_whole))
    canvas.look_from(replace(canvas.camera, yaw=canvas.camera.yaw + 10))
    hand.drawn()
    hand.wait(lambda: painted[-1])
    assert len(drawn) > 10
    assert len(painted) < 6


def test_nothing_more_is_drawn_once_the_memory_of_pictures_is_freed(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "part.stl", ball(25.0, 5)))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.wait(lambda: 0.0 < hand.canvas.share < 1.0)
    hand.canvas.release()
    QTest.qWait(100)
    assert hand.canvas._drawing._renderer is None


def test_a_picture_under_way_is_given_up_for_another_trial_and_begun_anew_after_it(hand, tmp_path):
    """Its steps held what was freed for the other trial's lines; the window ended with it."""
    hand.drop(write_stl(tmp_path / "part.stl", ball(12.0, 4)))
    first = hand.slice()
    hand.desk.store.do("hollow", hand.desk.job.with_settings({"infill.density": 0.0}))
    second = hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.drawn()
    drawing, camera = hand.canvas._drawing, hand.canvas.camera
    renderer = drawing._begin()
    scenes = [
        replace(hand.canvas.scene, lines=replace(hand.canvas.scene.lines, lines=one.lines)) for one in (first, second)
    ]
    shares = []
    for scene, times in ((scenes[0], 3), (scenes[1], 2), (scenes[0], 3)):
        for _ in range(times):
            renderer._budget = 2_000
            shares.append(renderer.paint(scene, camera, moving=False).share)
    while shares[-1] < 1.0:
        renderer._budget = 200_000
        shares.append(renderer.paint(scenes[0], camera, moving=False).share)
    drawing._context.doneCurrent()
    assert 0.0 < shares[2] < 1.0
    assert shares[3:7] == [0.0] * 4
    assert 0.0 < shares[7] <= shares[2]


def test_what_breaks_while_drawing_is_told_and_the_window_goes_on(hand, qtbot, monkeypatch):
    """What C raises in a paint event, and nobody caught, ended the program."""
    hand.drawn()
    canvas, painted = hand.canvas, renderer_module.Renderer.paint

    def broken(renderer, scene, camera, *, moving):
        raise moderngl.Error("no more memory on the graphics card")

    monkeypatch.setattr(renderer_module.Renderer, "paint", broken)
    with qtbot.capture_exceptions() as caught:
        canvas.redraw()
        hand.wait(lambda: bool(caught) and canvas.picture.isNull())
        monkeypatch.setattr(renderer_module.Renderer, "paint", painted)
        canvas.redraw()
        hand.wait(lambda: not canvas.picture.isNull())
    assert "no more memory" in str(caught[0][1])
    assert "no more memory" in canvas._drawing.fault


def test_another_bed_is_seen_under_layers_too(block):
    block.slice()
    block.desk.view.set("station", "Layers")
    square = picture_of(block)
    look(block, yaw=block.canvas.camera.yaw)
    camera = block.canvas.camera
    block.desk.store.do("machine", edits.on_machine(block.desk.job, find(Machine, "Rowan 240 round")))
    block.canvas.look_from(camera)
    assert (picture_of(block) != square).any(axis=2).mean() > 0.01


def test_a_small_budget_draws_less_and_a_large_one_everything(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "ball.stl", ball(25.0, 5)))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.drawn()
    renderer = hand.canvas._drawing._begin()
    few = renderer._lines.draw_sketch(hand.canvas.scene.lines, hand.canvas.camera, 1.0, 3000)
    all_of_them = renderer._lines.draw_sketch(hand.canvas.scene.lines, hand.canvas.camera, 1.0, 10**7)
    some_hidden = replace(hand.canvas.scene.lines, hidden_heights=frozenset({(0.05, 0.06)}))
    each = renderer._lines.draw_sketch(some_hidden, hand.canvas.camera, 1.0, 3000)
    hand.canvas._drawing._context.doneCurrent()
    assert all_of_them > 1.7 * few
    assert each > 1.5 * few, "by heights lines are told apart one by one"


def test_the_budget_follows_what_frames_take(hand, monkeypatch):
    hand.drawn()
    renderer = hand.canvas._drawing._begin()
    renderer._budget = 100_000
    now = [0.0]
    monkeypatch.setattr(renderer_module.time, "perf_counter", lambda: now[0])
    for _ in range(8):
        now[0] += renderer_module.AIM * 4
        renderer._learn(renderer._budget, now[0] - renderer_module.AIM * 4)
    assert renderer._budget < 40_000
    for _ in range(20):
        now[0] += renderer_module.AIM / 4
        renderer._learn(renderer._budget, now[0] - renderer_module.AIM / 4)
    assert renderer._budget > 100_000
    hand.canvas._drawing._context.doneCurrent()


def test_where_no_less_can_be_drawn_a_moving_picture_has_fewer_points(hand, monkeypatch):
    hand.drawn()
    canvas, renderer = hand.canvas, hand.canvas._drawing._begin()
    now = [0.0]
    monkeypatch.setattr(renderer_module.time, "perf_counter", lambda: now[0])

    def learn(took, times):
        for _ in range(times):
            now[0] += took
            renderer._learn(renderer._budget, now[0] - took)
        return COARSER[renderer._coarser]

    renderer._budget, renderer._coarser = 100_000, 0
    assert learn(2 * renderer_module.SLOW, 1) == 1.0, "first it draws less"
    assert learn(2 * renderer_module.SLOW, 20) == COARSER[-1]
    for moving, size in ((True, round(canvas.width() * COARSER[-1])), (False, canvas.width() * renderer.finer)):
        renderer._sketched = renderer._whole = None
        while renderer.paint(canvas.scene, canvas.camera, moving=moving).share < 1.0 and not moving:
            pass
        assert renderer._shown.colour.size[0] == size
        assert canvas._drawing._read(renderer, canvas.camera).width() == canvas.width()
    renderer.paint(canvas.scene, canvas.camera, moving=True)
    renderer._coarser = 0
    assert not renderer.paint(canvas.scene, canvas.camera, moving=True).fresh, (
        "what is drawn is not drawn again coarser"
    )
    renderer._coarser = len(COARSER) - 1  # the clock stood still
    assert learn(0.9 * renderer_module.AIM, 5) == COARSER[-1], "with more points it would be too slow again"
    assert learn(0.2 * renderer_module.AIM, 5) == 1.0
    canvas._drawing._context.doneCurrent()


def test_the_inside_of_an_open_part_is_seen(hand, tmp_path):
    facets = box(40, 40, 20)
    lid = facets[:, :, 2].min(axis=1) > 19.9
    hand.drop(write_stl(tmp_path / "open.stl", facets[~lid]))
    hand.desk.selection.pick(())
    look(hand, pitch=80.0)
    inside = at_part(hand, height=0.0)
    bed = np.array(QColor(PAPER.bed).getRgb()[:3])
    assert np.abs(inside - bed).sum() > 20


def test_a_part_of_many_facets_is_drawn_in_pieces_and_whole_in_the_end(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "ball.stl", ball(40.0, 7)))
    renderer = hand.canvas._drawing._begin()
    renderer._budget = 9000
    hand.canvas._drawing._context.doneCurrent()
    hand.canvas.look_from(hand.canvas.camera.turned(40, 0))
    assert not hand.canvas.is_whole
    picture = picture_of(hand)
    assert hand.canvas.is_whole
    centre = hand.seen(hand.spot())
    assert abs(int(picture[centre.y(), centre.x()].sum()) - 3 * 215) < 200


def test_a_pick_names_the_nearest_part_and_its_facet(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "a.stl", box(30, 20, 10)), write_stl(tmp_path / "b.stl", box(20, 20, 8)))
    scene, camera = hand.canvas.scene, hand.canvas.camera
    for spot in hand.desk.spots:
        point = hand.seen(spot, 1.0)
        hit = pick(scene, camera, point.x(), point.y())
        assert hit.spot == spot
        assert facet_normal(hit) / np.linalg.norm(facet_normal(hit)) == pytest.approx((0, 0, 1))
        assert hit.place[2] == pytest.approx(hit.part.size[2])
    assert pick(scene, camera, 2, 2) is None
    assert framed(scene, camera, (0, 0, 1, 1)) == []


def test_the_scene_follows_machine_dragging_and_station(block):
    desk = block.desk
    scene = build_scene(desk, {block.spot(): (20.0, 30.0)}, {block.spot(): block.spot()}, frozenset())
    assert scene.parts[0].at == (20.0, 30.0)
    assert scene.parts[0].fault.startswith("runs into ")
    assert scene.box[0] == pytest.approx((0, 0, 0))
    desk.store.do("machine", edits.on_machine(desk.job, find(Machine, "Alder 300 twin")))
    assert build_scene(desk, {}, {}, frozenset()).bed.height == 320
    block.slice()
    desk.view.set("station", "Layers")
    scene = build_scene(desk, {}, {}, frozenset())
    assert scene.parts == ()
    assert scene.lines.last == desk.trials.shown.lines.count - 1


def test_stations_are_marked_by_what_changed_and_what_is_wrong(block):
    def marks():
        return {word: mark for word, (mark, _) in station_marks(block.desk, block.canvas.scene).items() if mark}

    assert marks() == {}
    block.slice()
    assert marks() == {}
    block.desk.store.do("walls", edits.with_setting(block.desk.job, "walls.count", 5))
    assert marks() == {"Recipe": "changed"}
    block.desk.store.do("move", edits.moved(block.desk.job, [block.spot()], (1.0, 0.0)))
    assert marks() == {"Recipe": "changed", "Parts": "changed"}
    fine = edits.on_machine(block.desk.job, find(Machine, "Larch 220 fine"))
    block.desk.store.do("machine", edits.with_recipe(fine, find(Recipe, "Quick")))
    assert marks()["Recipe"] == "stop", "0.28 mm layers are beyond a 0.2 mm nozzle"
    assert "Layer height" in block.window.strip.button.below


def test_a_part_inside_out_is_mended_and_looks_like_any_other(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "a.stl", box(40, 40, 20)))
    hand.desk.selection.pick(())
    right = at_part(hand)
    hand.window.files.new()
    hand.drop(write_stl(tmp_path / "b.stl", inside_out(box(40, 40, 20))))
    hand.desk.selection.pick(())
    assert at_part(hand) == pytest.approx(right, abs=2)


def test_the_ruler_measures_parts_and_its_lower_end_hides_layers(block):
    ruler = block.find(object, "ruler")
    assert ruler.tallest == pytest.approx(20.0)
    assert ruler.y_of(0) - ruler.y_of(20.0) > 200
    block.slice()
    block.desk.view.set("station", "Layers")
    block.drawn()
    count = block.desk.trials.shown.lines.count
    block.desk.view.show_layers(20, count - 1, count)
    tops = block.desk.trials.shown.lines.top
    start = QPoint(20, round(ruler.y_of(tops[19])))
    QTest.mousePress(ruler, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    QTest.mouseMove(ruler, QPoint(20, round(ruler.y_of(tops[40]))))
    QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    first, last = block.desk.view.layers
    assert abs(first - 40) <= 1
    assert last == count - 1


def test_bars_are_as_tall_as_layers_take_long_and_tell_the_time_so_far(block):
    block.slice()
    block.desk.view.set("station", "Layers")
    block.drawn()
    bars = block.find(object, "layer bars")
    lines = block.desk.trials.shown.lines
    block.desk.view.show_layers(0, 9, lines.count)
    assert bars._elapsed() == pytest.approx(float(lines.layer_time[:10].sum()))
    block.desk.view.set("along", 0.5)
    assert float(lines.layer_time[:9].sum()) < bars._elapsed() < float(lines.layer_time[:10].sum())
    before = bars.grab().toImage()
    block.desk.view.show_layers(0, 30, lines.count)
    assert bars.grab().toImage() != before
