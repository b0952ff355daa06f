"""Lines coloured by role, material, part or a scale: one choice, with what the colours mean beside it."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtWidgets import QLabel

from even_step.app.canvas.palette import STEPS, kind_colour, scale_colour, shades_of
from even_step.app.stations.colour_rows import ScaleBar, Swatch
from even_step.app.widgets.setting_line import SettingLine
from even_step.core.channels import CHANNELS, SCALES
from even_step.core.job import edits
from even_step.core.job.model import Machine, Material
from even_step.core.job.shipped import find
from even_step.core.job.zones import Zone
from tests.shapes import box, write_stl


@pytest.fixture
def twin(hand, tmp_path):
    """A block on the machine with two extruders, its infill of the second material."""
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 30, 6)))
    job = edits.with_material(
        edits.on_machine(hand.desk.job, find(Machine, "Alder 300 twin")), 1, find(Material, "PETG")
    )
    hand.desk.store.do("two materials", edits.with_setting(job, "extruder.infill", 2))
    return hand


def colours_of(hand):
    hand.drawn()
    image = hand.canvas.picture.convertToFormat(hand.canvas.picture.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


def is_the_same(hand, picture):
    return bool((colours_of(hand) == picture).all())


def near(picture, colour):
    """Count the points of a colour, lit from any side."""
    wanted = np.array([colour.red(), colour.green(), colour.blue()])
    share = picture.sum(axis=2, keepdims=True) / max(wanted.sum(), 1)
    return int((np.abs(picture - wanted * share).max(axis=2) < 12).sum())


def test_materials_are_seen_and_named(twin):
    hand = twin
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.desk.view.show_layers(0, 9, trial.lines.count)
    hand.find(object, "colour by").setCurrentIndex(CHANNELS.index("material"))
    hand.find(object, "colour by").activated.emit(CHANNELS.index("material"))
    assert hand.desk.view.colour_by == "material"
    rows = hand.window.findChildren(Swatch)
    assert len(rows) == 2
    picture = colours_of(hand)
    assert near(picture, kind_colour(0)) > 300
    assert near(picture, kind_colour(1)) > 300


def test_a_scale_has_the_numbers_of_its_ends(twin):
    hand = twin
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    for channel, unit in SCALES.items():
        hand.desk.view.set("colour_by", channel)
        values = trial.lines.of_paths(channel)
        told = f"from {values.min():.3g} to {values.max():.3g} {unit}"
        hand.wait(lambda told=told: [bar.accessibleName() for bar in bars(hand)] == [told])
    hand.desk.view.set("colour_by", "role")
    hand.wait(lambda: not bars(hand))


def bars(hand):
    return [one for one in hand.window.findChildren(ScaleBar) if one.isVisible()]


def test_every_channel_gives_another_picture_and_back(twin):
    hand = twin
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.desk.view.show_layers(0, 9, trial.lines.count)
    hand.canvas.look_from(hand.canvas.camera)
    first = colours_of(hand)
    for channel in CHANNELS[1:-1]:  # the last needs a second trial
        hand.desk.view.set("colour_by", channel)
        hand.wait(lambda: not is_the_same(hand, first))
    hand.desk.view.set("colour_by", "role")
    hand.wait(lambda: is_the_same(hand, first))
    assert shades_of(trial.lines, "part").colours.shape == (STEPS, 3)
    assert scale_colour(0.0).lightness() > scale_colour(0.5).lightness() > scale_colour(1.0).lightness()


def test_settings_of_several_extruders_are_offered_where_there_are_several(twin):
    hand = twin
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "everything")
    lines = hand.window.recipe.lines
    assert isinstance(lines["extruder.infill"], SettingLine)
    assert lines["extruder.infill"].isVisible()
    assert lines["purge.volume"].isVisible()
    hand.window.run("edit.undo")
    assert not lines["extruder.infill"].isVisible()
    assert not lines["heat.idle_nozzle"].isVisible()


def test_a_setting_of_several_extruders_says_that_there_is_one(hand):
    hand.desk.view.set("station", "Recipe")
    hand.window.recipe.reveal("extruder.infill")
    hand.wait(lambda: "has one" in hand.window.area.notes.text)
    assert not hand.window.recipe.lines["extruder.infill"].isVisible()


def test_the_output_tells_what_each_extruder_lays(twin):
    hand = twin
    hand.slice()
    hand.desk.view.set("station", "Output")
    told = [label.text() for label in hand.window.output.findChildren(type(hand.window.output.remark))]
    assert any(text.startswith("PLA, ") for text in told)
    assert any(text.startswith("PETG, ") for text in told)
    assert any("purged" in text for text in told)


def test_the_largest_number_has_the_deepest_colour(hand, tmp_path):
    """A box of which all layers but the first are as thick as may be: its side is dark, not pale."""
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 30, 12)))
    changes = edits.with_setting(hand.desk.job, "layers.height", 0.3)
    hand.desk.store.do("heights", edits.with_setting(changes, "layers.first_height", 0.1))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.desk.view.set("colour_by", "height")
    shades = shades_of(hand.desk.trials.shown.lines, "height")
    where = np.floor(shades.place[[int(shades.place.argmin()), int(shades.place.argmax())]] * STEPS)
    assert where.tolist() == [0, STEPS - 1]
    dark = colours_of(hand).sum(axis=2) < 330
    assert dark.sum() > 5_000


def test_zones_are_seen_and_named(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 30, 6)))
    zone = Zone(name="core", shape="box", middle=(0, 0, 3), size=(14, 14, 10), settings={"infill.density": 80.0})
    part = hand.desk.job.parts[0].model_copy(update={"zones": (zone,)})
    hand.desk.store.do("zone", hand.desk.job.model_copy(update={"parts": (part,)}))
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.desk.view.show_layers(0, 14, trial.lines.count)
    hand.desk.view.set("colour_by", "zone")
    assert [row.text() for row in hand.window.findChildren(QLabel) if "core" in row.text()] == ["block: core"]
    picture = colours_of(hand)
    assert near(picture, kind_colour(0)) > 300
    assert near(picture, kind_colour(-1)) > 300
