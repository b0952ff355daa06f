"""Layers as bad meshes leave them: rings that touch, overlap, cross, run backwards, or all but close."""

from __future__ import annotations

import numpy as np

from even_step.core.catalogue.setting import take
from even_step.core.plane import region
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.contours import Contours
from even_step.core.slicing.covers import CoverSettings, covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.infill import InfillSettings, Stand, infill
from even_step.core.slicing.ledger import LedgerSettings, ledger
from even_step.core.slicing.ordering import OrderSettings, order_lines
from even_step.core.slicing.regions import RegionSettings, outlines_of
from even_step.core.slicing.walls import WallSettings, walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.toolpath.roles import ROLES


def _polygon(random, sides, radius, wobble=0.0):
    turn = np.sort(random.uniform(0, 2 * np.pi, sides)) if wobble else np.linspace(0, 2 * np.pi, sides, endpoint=False)
    far = radius * (1 - wobble * random.random(sides))
    return np.stack((far * np.cos(turn), far * np.sin(turn)), axis=1)


def _box(x0, y0, x1, y1):
    return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], float)


def _touching(random):
    """Bodies side by side, faceted differently, a micrometre or more apart or into each other."""
    gap = random.choice([0.0, 1e-6, 0.001, 0.002, 0.01, 0.04, -0.001])
    seam = random.uniform(3, 6)
    rows = np.sort(random.uniform(0, 8, random.integers(1, 12)))
    right = np.column_stack((np.full(len(rows), seam + gap) + random.normal(0, 5e-4, len(rows)), rows[::-1]))
    return [_box(0, 0, seam, 8), np.concatenate((_box(seam + gap, 0, 10, 8), right))]


def _nested(random):
    """A pin in a hole, each with sides of its own."""
    radius = random.uniform(1, 3)
    hole = _polygon(random, int(random.integers(7, 60)), radius)[::-1]
    pin = _polygon(random, int(random.integers(7, 60)), radius - random.choice([0.0, 0.001, 0.003, 0.03, -0.002]))
    return [_polygon(random, 40, radius + random.uniform(0.2, 3)), hole, pin]


def _overlapping(random):
    return [
        _polygon(random, int(random.integers(3, 30)), random.uniform(1, 5), 0.6) + random.uniform(-2, 2, 2)
        for _ in range(int(random.integers(2, 5)))
    ]


def _sliver(random):
    high = 10 ** random.uniform(-3.3, -0.5)
    return [_box(0, 0, 9, high), _polygon(random, 5, 3) + (4, 2.9 * random.random())]


def _collinear(random):
    x = np.sort(random.uniform(0, 10, int(random.integers(5, 80))))
    edge = np.column_stack((x, random.normal(0, 10 ** random.uniform(-4.5, -2), len(x))))
    return [np.concatenate((edge, [(10, 5), (0, 5)]))]


def _crossing(random):
    """One ring that runs through itself."""
    return [random.uniform(-4, 4, (int(random.integers(4, 14)), 2))]


def _spiked(random):
    ring = _polygon(random, int(random.integers(5, 20)), 4)
    at = int(random.integers(1, len(ring)))
    tip = ring[at] * random.uniform(1.01, 3)
    return [np.insert(ring, at, [tip, ring[at] + random.normal(0, 1e-4, 2)], axis=0)]


def _comb(random):
    teeth, gap = int(random.integers(2, 9)), 10 ** random.uniform(-3, 0)
    return [
        _box(0, 0, teeth * (0.7 + gap), 2),
        *(_box(k * (0.7 + gap), 2 - 1e-3, k * (0.7 + gap) + 0.7, 6) for k in range(teeth)),
    ]


def _broken(_):
    """The smallest shape met in a real file that mending by rounds left invalid."""
    shell = [(-39.239, 11.128), (-36.243, -9.726), (-83.757, 48.757)]
    hole = [(-46.840531, 15.472023), (-47.041, 15.083), (-46.992222, 15.177433), (-47.038, 15.088)]
    return [np.array(shell), np.array([*hole, (-46.945808, 15.267288)])]


KINDS = (_touching, _nested, _overlapping, _sliver, _collinear, _crossing, _spiked, _comb, _broken)


def dirty_layer(random):
    """Rings of one layer, each counter-clockwise about material, or turned as torn meshes have them."""
    rings = [ring for _ in range(int(random.integers(1, 3))) for ring in KINDS[random.integers(len(KINDS))](random)]
    angle = random.uniform(0, 2 * np.pi)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    rings = [np.round(ring @ turn.T, 3) if random.random() < 0.8 else ring @ turn.T for ring in rings]
    return [ring[::-1] if random.random() < 0.15 else ring for ring in rings]


def dirty_regions(random, count):
    """Regions made of dirty layers, as contours are."""
    layers = [dirty_layer(random) for _ in range(count)]
    flat = [ring for layer in layers for ring in layer]
    start = np.concatenate(([0], np.cumsum([len(ring) for ring in flat]))).astype(np.int64)
    each = np.arange(len(flat))
    item = np.repeat(np.arange(count), [len(layer) for layer in layers])
    return region.from_rings(np.concatenate(flat), start, each, item, count)


def through_every_stage(outline, values, hands, bore=0.4):
    """Take outlines, one a layer, through all stages of a solid; returns its ordered lines and its ledger."""
    count = len(outline)
    height = float(values["layers.height"])
    thick = np.full(count, height)
    heights = Heights(np.round(np.cumsum(thick), 3), thick)
    cut = Contours(np.arange(count), outline, np.zeros((0, 4)), 0)
    outlines = outlines_of(cut, take(RegionSettings, values), hands)
    laid = walls(outlines, thick, take(WallSettings, values, bore=bore), hands)
    over_air = take(BridgeSettings, values, bore=bore)
    covered = covers(outlines, laid, heights, take(CoverSettings, values), over_air, hands)
    chosen = take(InfillSettings, values, bore=bore, overhang=45.0)
    filled = infill(laid, covered, heights, Stand((0.0, 0.0), 0.0), chosen, hands)
    fills = (*covered.fills, *filled, *covered.tops)
    blocks = order_lines(outlines, laid, fills, take(OrderSettings, values), take(WaySettings, values), hands)
    reckoned = [[take(LedgerSettings, values, bore=bore)] * len(ROLES)]
    return blocks, ledger(outlines, covered, blocks, thick, reckoned, hands)
