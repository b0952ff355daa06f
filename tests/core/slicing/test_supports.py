"""Supports against plain geometry: what hangs is held, the gaps are true, nothing bites or floats."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.motion.expand import layer_moves
from even_step.core.motion.moves import GO
from even_step.core.toolpath.roles import BRIM, RAFT, SUPPORT, SUPPORT_CONTACT
from tests.hung import (
    HOLD,
    Laid,
    arch,
    bell,
    cup,
    drawn,
    fan,
    finial,
    leaning,
    over_another,
    points_that_hang,
    sphere,
    table,
    tee,
)
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again

EVEN = (45.0, 45.0, 45.0, 45.0)
BARE = {"skirt.loops": 0, "infill.density": 0, "supports.line_distance": 2.0}
GAP, BESIDE, MARGIN, WIDTH = 0.2, 0.2, 0.8, 0.4
SOLIDS = {
    "tee": tee,
    "table": table,
    "over another": over_another,
    "ball": sphere,
    "bell": bell,
    "fan": fan,
    "arch": arch,
}
OF_DEMO = {"cup": cup, "finial": finial}


def volume(done):
    by_role = done.report["volume_by_role_mm3"]
    return by_role.get("support", 0.0) + by_role.get("support-contact", 0.0)


AS_SHEETS = [(name, "sheet") for name in (*SOLIDS, *OF_DEMO)]


@pytest.mark.parametrize(("name", "kind"), [*AS_SHEETS, ("table", "grid"), ("bell", "grid")])
def test_every_point_that_hangs_is_held(sliced, name, kind):
    facets = (SOLIDS | OF_DEMO)[name]()
    done = sliced(facets, {**BARE, "supports.kind": kind})
    held = Laid(done)
    middle = (facets.reshape(-1, 3).min(axis=0) + facets.reshape(-1, 3).max(axis=0)) / 2
    low = float(facets[:, :, 2].min())
    points = points_that_hang(facets - (middle[0], middle[1], low), EVEN, 0.2)
    assert len(points) > 20
    codes = [finding["code"] for finding in done.report["findings"]]
    unheld = [finding["amount"] for finding in done.report["findings"] if finding["code"] == "overhang-unheld"]
    assert not unheld or name in OF_DEMO, "and so every point has a support beneath it"
    assert "floating" not in codes
    bare = 0
    for point in points:
        layer = int(np.searchsorted(held.solid.heights.cuts, point[2], side="right"))
        inside = layer > 0 and held.outline(layer - 1).buffer(0.3).contains(_spot(held, point))
        if not inside:
            top = held.under((point[0], point[1], held.solid.heights.top[layer - 1]), MARGIN + 1.0)
            bare += top < held.solid.heights.top[layer - 1] - GAP - 0.7
    told = sum(unheld) / done.report["parts"][0]["supports"]["hanging_mm2"]
    assert bare <= 2.0 * told * len(points), "what has none is told"
    assert told < 0.12, "the roots of the horns lie within the gap beside the stem"


def _spot(held, point):
    return shapely.Point(point[0] + held.placed.at[0], point[1] + held.placed.at[1])


@pytest.mark.parametrize("name", [*SOLIDS, *OF_DEMO])
def test_supports_keep_their_gaps_and_do_not_float(sliced, name):
    held = Laid(sliced((SOLIDS | OF_DEMO)[name](), {**BARE, "supports.kind": "sheet"}))
    assert held.bites(GAP, BESIDE) < 0.02
    assert held.floating(2.5) < 0.2


@pytest.mark.parametrize("height", [0.1, 0.15, 0.2, 0.28])
@pytest.mark.parametrize("gap", [0.1, 0.17, 0.2, 0.25, 0.33, 0.5])
def test_the_gap_above_is_met_to_a_hundredth(sliced, height, gap):
    settings = {**BARE, "supports.kind": "sheet", "layers.height": height, "supports.gap_above": gap}
    held = Laid(sliced(tee(arm=6.0), settings))
    heights = held.solid.heights
    layer = int(np.searchsorted(heights.cuts, 19.99, side="right"))
    ceiling = float(heights.top[layer - 1])
    assert held.under((6.0, 0.0, ceiling), 0.5) == pytest.approx(ceiling - gap, abs=0.01)
    thick = [one for one, _ in held.layers.values()]
    assert min(thick) >= 0.05 - 1e-6
    assert max(thick) <= 0.32 + 1e-6


@pytest.mark.parametrize("gap", [0.1, 0.2, 0.37, 0.5])
def test_the_gap_below_is_kept_on_the_part(sliced, gap):
    done = sliced(over_another(), {**BARE, "supports.kind": "sheet", "supports.gap_below": gap})
    held = Laid(done)
    over = [top - thick for top, (thick, shape) in held.layers.items() if _over(held, shape, 4.5, 0.0)]
    assert min(over) >= 8.0 + gap - 0.01
    assert min(over) < 8.0 + gap + 0.21, "within a layer, for a support begins with one"


def _over(held, shape, x, y):
    return shape.intersects(shapely.Point(held.placed.at[0] + x, held.placed.at[1] + y).buffer(1.5))


def test_from_the_bed_only_leaves_nothing_on_the_part(sliced):
    settings = {**BARE, "supports.kind": "sheet", "supports.from": "bed"}
    done = sliced(over_another(), settings)
    assert volume(done) == 0.0, "all that hangs lies over the lower cube, but for a rim no column stands under"
    (finding,) = [one for one in done.report["findings"] if one["code"] == "overhang-unheld"]
    assert finding["amount"] == pytest.approx(14 * 14 - 9, rel=0.05)
    assert volume(sliced(tee(), settings)) == pytest.approx(
        volume(sliced(tee(), {**BARE, "supports.kind": "sheet"})), rel=0.01
    )


def test_the_limit_differs_by_direction_and_turns_with_the_part(tmp_path):
    job = job_of(write_stl(tmp_path / "fan.stl", fan(45.0)), {**BARE, "supports.kind": "sheet"})
    rose = job.machine.model_copy(update={"overhang_limit": (60.0, 30.0, 60.0, 60.0)})
    job = job.model_copy(update={"machine": rose})
    for turn, toward in ((0.0, (0.0, 1.0)), (90.0, (0.0, 1.0))):
        copies = tuple(copy.model_copy(update={"turn": turn}) for copy in job.parts[0].copies)
        part = job.parts[0].model_copy(update={"copies": copies})
        held = Laid(slice_again(tmp_path, job.model_copy(update={"parts": (part,)})))
        where = np.array([shape.centroid.coords[0] for _, shape in held.layers.values()]) - held.placed.at
        assert len(where)
        assert (where @ toward > 30.0).all(), "only what leans toward +y on the bed is held, whichever block that is"


def test_an_angle_takes_the_place_of_the_machines(sliced):
    block = leaning(50.0, 0.0)
    assert volume(sliced(block, {**BARE, "supports.kind": "sheet"})) > 0.0
    assert volume(sliced(block, {**BARE, "supports.kind": "sheet", "supports.angle": 55})) == 0.0
    assert volume(sliced(leaning(40.0, 0.0), {**BARE, "supports.kind": "sheet", "supports.angle": 35})) > 0.0


def test_plastic_follows_the_density_and_the_line_distance(sliced):
    wide = np.concatenate((box(4, 60, 20), box(124, 60, 4, (0, 0, 19.99))))
    bare = {**BARE, "supports.kind": "grid", "supports.contact_layers": 0, "supports.first_growth": 0}

    def plastic(**more):
        return volume(sliced(wide, {**bare, **{f"supports.{key}": value for key, value in more.items()}}))

    body = plastic(density=20) / 0.20
    assert plastic(density=40) / 0.40 == pytest.approx(body, rel=0.05)
    held = 2 * (60 - 0.7 + 0.8) * (60 + 1.6) * 19.8
    assert body == pytest.approx(held, rel=0.05)
    assert plastic(line_distance=6.0) < 0.45 * plastic(line_distance=2.0)


def test_graded_supports_are_quicker_than_even_ones_of_less_density(sliced):
    wide = np.concatenate((box(4, 40, 40), box(84, 40, 4, (0, 0, 39.99))))
    bare = {**BARE, "supports.kind": "sheet"}
    graded = sliced(wide, {**bare, "supports.density": 25, "supports.grading": 3})
    even = sliced(wide, {**bare, "supports.density": 15})
    seconds = [one.report["time_by_role_s"]["support"] for one in (graded, even)]
    assert seconds[0] < seconds[1]


def test_thick_supports_are_laid_every_other_layer(sliced):
    settings = {**BARE, "supports.kind": "sheet", "layers.height": 0.1, "supports.layers_at_once": 2}
    held = Laid(sliced(tee(), settings))
    thick = np.array([one for one, _ in held.layers.values()])
    assert len(held.layers) < 110
    assert np.median(thick) == pytest.approx(0.2)
    assert held.under((14.0, 0.0, 20.0), 1.5) == pytest.approx(19.8, abs=0.11)


def test_the_nozzle_is_raised_on_ways_to_and_from_supports_alone(sliced):
    held = {"skirt.loops": 0, "supports.kind": "sheet", "travel.lift": 0.0}
    flat, done = (sliced(tee(), held | more) for more in ({}, {"supports.lift": 0.6}))
    assert done.report["time_s"] > flat.report["time_s"]
    path, plan, settings = done.sliced.toolpath, done.sliced.plan, done.sliced.motion
    held_path = np.isin(path.role, list(HOLD))
    seen = {True: 0, False: 0}
    for layer in range(path.layers):
        moves = layer_moves(path, plan.speeds, settings, layer, 1.0)
        long = np.hypot(*np.diff(np.vstack((moves.start, moves.to))[:, :2], axis=0).T) > 1.01
        for k in np.flatnonzero((moves.kind == GO) & long & (moves.path > 0)):
            near = bool(held_path[moves.path[k]] or held_path[moves.path[k] - 1])
            seen[near] += 1
            assert moves.to[k, 2] - path.top[layer] == pytest.approx(0.6 if near else 0.0, abs=1e-6)
    assert min(seen.values()) > 20


def test_the_parts_own_lines_are_what_they_were(sliced):
    with_, without = (
        sliced(bell(), {"skirt.loops": 0, "supports.kind": kind}).report["volume_by_role_mm3"]
        for kind in ("sheet", "none")
    )
    held = {role: with_.pop(role, 0.0) for role in ("support", "support-contact")}
    assert min(held.values()) > 0.0
    assert with_ == pytest.approx(without)


def test_outlines_go_round_each_column(sliced):
    plain, walled = (
        sliced(tee(), {**BARE, "supports.kind": "sheet", "supports.outline": count}).report["volume_by_role_mm3"]
        for count in (0, 1)
    )
    assert walled["support"] > plain["support"] * 1.2


def test_contact_layers_are_as_many_as_asked(sliced):
    for count in (0, 1, 3):
        path = sliced(tee(), {**BARE, "supports.kind": "sheet", "supports.contact_layers": count}).sliced.toolpath
        layers = np.unique(path.layer_of_path()[path.role == SUPPORT_CONTACT])
        assert len(layers) == count
        if count:
            assert path.top[layers] == pytest.approx(19.8 - 0.2 * np.arange(count)[::-1])
    assert SUPPORT in path.role


def test_what_is_small_or_shallow_is_left_alone_on_wish(sliced):
    shelf = np.concatenate((box(20, 20, 10), box(4, 3, 2, (10, 0, 6)), box(4, 3, 2, (-10, 0, 6))))
    assert volume(sliced(shelf, {**BARE, "supports.kind": "sheet"})) > 0.0
    assert volume(sliced(shelf, {**BARE, "supports.kind": "sheet", "supports.least_length": 5.0})) == 0.0
    assert volume(sliced(shelf, {**BARE, "supports.kind": "sheet", "supports.least_layers": 40})) == 0.0


def test_bridges_are_spared_on_wish(sliced):
    arch = np.concatenate((box(4, 12, 8, (-6, 0, 0)), box(4, 12, 8, (6, 0, 0)), box(16, 12, 3, (0, 0, 7.99))))
    settings = {**BARE, "infill.density": 10, "supports.kind": "sheet"}
    assert volume(sliced(arch, settings)) > 0.0
    assert volume(sliced(arch, {**settings, "supports.spare_bridges": True})) == 0.0


def test_which_gap_wins_under_slopes(sliced):
    block = leaning(60.0, 0.0, rise=10.0)
    above, beside = (
        Laid(sliced(block, {**BARE, "supports.kind": "sheet", "supports.gap_wins": word}))
        for word in ("above", "beside")
    )
    assert above.bites(0.2, 0.2) < 0.05
    assert beside.bites(0.2, 0.7) < 0.05
    assert above.bites(0.2, 0.7) > 0.2, "the gap beside gives way under the slope"


def test_a_margin_rises_as_far_as_it_reaches_out(sliced):
    wide = {**BARE, "supports.kind": "sheet", "supports.margin": 3.0}
    level, rising = (Laid(sliced(tee(arm=8.0), {**wide, "supports.margin_goes": word})) for word in ("level", "rising"))
    assert max(level.layers) == pytest.approx(19.8, abs=0.01)
    assert max(rising.layers) == pytest.approx(20.0 + 3.0, abs=0.5)
    assert rising.under((13.2, 0.0, 40.0), 0.3) > 22.0, "furthest out it is highest"
    assert rising.bites(GAP, BESIDE) < 0.02
    assert rising.floating(2.5) < 0.2


def test_a_raft_carries_the_supports_and_a_brim_keeps_off_them(sliced):
    done = sliced(tee(), {**BARE, "supports.kind": "sheet", "foot.kind": "raft"})
    path = done.sliced.toolpath
    first = min(k for k in range(path.layers) if not shapely.is_empty(drawn(path, k, HOLD)))
    assert path.top[first] - path.height[path.layer[first]] >= 0.0
    raft = drawn(path, 0, {RAFT}).envelope
    assert drawn(path, first, HOLD).difference(raft).area < 0.01
    done = sliced(tee(), {**BARE, "supports.kind": "sheet", "foot.kind": "brim"})
    assert drawn(done.sliced.toolpath, 0, {BRIM}).intersection(drawn(done.sliced.toolpath, 0, HOLD)).area < 0.01
