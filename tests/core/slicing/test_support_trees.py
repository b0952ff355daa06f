"""Trees: less plastic than sheets for what they hold, branches within their lean, clear of the part, on firm ground."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.plane import region
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.supports.seeds import Seeds
from even_step.core.slicing.supports.trees import TreeSettings, slab_bounds, tree_columns
from even_step.core.slicing.supports.volume import frame_of
from even_step.core.toolpath.roles import SUPPORT, SUPPORT_CONTACT
from even_step.core.work import Crew
from tests.hung import Laid, over_another, points_that_hang, table, tee
from tests.shapes import box

BARE = {"skirt.loops": 0, "infill.density": 0}
EVEN = (45.0, 45.0, 45.0, 45.0)


def plastic(done):
    return sum(done.report["volume_by_role_mm3"].get(role, 0.0) for role in ("support", "support-contact"))


def figure():
    """A mast 100 mm tall with broad arms to all sides, each over a place of its own."""
    arms = []
    for number in range(9):
        turn = np.radians(40.0 * number)
        spin = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        arms.append(box(16, 6, 3, (11, 0, 30 + 7 * number)) @ spin)
    return np.concatenate((box(8, 8, 100), *arms))


@pytest.mark.parametrize("facets", [tee(arm=10.0), table(), over_another()], ids=["tee", "table", "over another"])
def test_what_hangs_is_held_by_contacts_near_by(sliced, facets):
    done = sliced(facets, {**BARE, "supports.kind": "tree"})
    codes = [finding["code"] for finding in done.report["findings"]]
    assert "overhang-unheld" not in codes
    held = Laid(done)
    heights = held.solid.heights
    for x, y, z in points_that_hang(facets, EVEN, 0.2, step=2.0):
        layer = int(np.searchsorted(heights.cuts, z, side="right"))
        spot = shapely.Point(x + held.placed.at[0], y + held.placed.at[1])
        if not held.outline(layer - 1).buffer(0.3).contains(spot):
            assert held.under((x, y, heights.top[layer - 1]), 3.2) >= heights.top[layer - 1] - 0.2 - 0.35


def test_branches_keep_clear_and_none_begins_in_the_air(sliced):
    held = Laid(sliced(table(), {**BARE, "supports.kind": "tree"}))
    assert held.bites(0.2, 0.2) < 0.02
    assert held.floating(0.45) < 0.1


def test_tips_are_contacts_and_branches_are_not(sliced):
    trees = {"skirt.loops": 0, "infill.density": 0, "supports.kind": "tree"}
    path = sliced(tee(), trees | {"supports.contact_layers": 3}).sliced.toolpath
    top = path.top[path.layer_of_path()]
    contact, branch = path.role == SUPPORT_CONTACT, path.role == SUPPORT
    assert contact.sum() > 20
    assert top[contact].min() > 19.8 - 5 * 0.2, "the last layers under the arms"
    assert top[contact].max() == pytest.approx(19.8, abs=0.01)
    assert top[branch].max() < 19.5
    none = sliced(tee(), trees | {"supports.contact_layers": 0}).sliced.toolpath
    assert not (none.role == SUPPORT_CONTACT).any()
    assert none.lengths()[none.role == SUPPORT].sum() == pytest.approx(
        path.lengths()[contact | branch].sum(), rel=0.02
    ), "as much is laid either way"


def test_trees_take_less_plastic_than_sheets_on_a_tall_figure(sliced):
    tree, sheet = (sliced(figure(), {**BARE, "supports.kind": kind}) for kind in ("tree", "sheet"))
    areas = [done.report["parts"][0]["supports"] for done in (tree, sheet)]
    held = [one["hanging_mm2"] - one["unheld_mm2"] for one in areas]
    assert held[0] == pytest.approx(held[1], rel=0.05), "at equal held area"
    assert plastic(tree) < 0.6 * plastic(sheet)


def test_from_the_bed_only_no_branch_stands_on_the_part(sliced):
    low = over_another()
    everywhere, bed = (
        sliced(low, {**BARE, "supports.kind": "tree", "supports.from": word}) for word in ("everywhere", "bed")
    )
    assert plastic(everywhere) > 0.0
    held = Laid(bed)
    cube = held.outline(10)
    for top, (thick, shape) in held.layers.items():
        if 8.0 < top - thick < 9.0:
            inside = [piece for piece in shapely.get_parts(shape) if cube.contains(piece)]
            assert not inside, "nothing stands on the lower cube"


def test_walls_and_filling_of_branches(sliced):
    bare, double, filled = (
        plastic(sliced(tee(arm=6.0), {**BARE, "supports.kind": "tree", **more}))
        for more in ({}, {"supports.branch_walls": 2}, {"supports.branch_filled": True, "supports.density": 50})
    )
    assert bare < double
    assert bare < filled


def test_slabs_hold_every_layer_once():
    top = np.cumsum([0.2, *[0.1] * 20])
    bounds = slab_bounds(top, 0.35)
    assert bounds[0] == 0
    assert bounds[-1] == 21
    assert (np.diff(bounds) > 0).all()
    assert np.diff(np.append(0.0, top)[bounds])[:-1].min() >= 0.35 - 1e-9


@pytest.mark.parametrize("angle", [20.0, 40.0, 60.0])
def test_no_branch_leans_past_its_limit(angle):
    heights = Heights(np.round(np.cumsum(np.full(150, 0.2)), 3), np.full(150, 0.2))
    frame = frame_of(np.array([-15.0, -15.0, 15.0, 15.0]), 150, 0.2, 4.0)
    under = frame.empty()
    rng = np.random.default_rng(3)
    for row, column in rng.integers(20, frame.rows - 20, (12, 2)):
        under[149 // 64, row, column] |= np.uint64(1) << np.uint64(149 % 64)
    nothing = frame.empty()
    own = TreeSettings("everywhere", 0.2, 0.7, angle, 2.0, 0.8, 1.6, 6.0)
    made = tree_columns(Seeds(frame, nothing, under, under, nothing), heights, own, Crew(1))
    lean = np.tan(np.radians(angle))
    for layer in range(1, 149):
        above, below = (made.shape[made.which[k]] for k in (layer, layer - 1))
        # A branch as it widens and goes aside: what is above lies within the lean of what is below.
        over = region.difference(
            np.array([above], object), region.offset_round(np.array([below], object), 0.2 * lean + 0.06)
        )
        assert region.area(over)[0] < 0.05, layer
    pieces = [len(region.pieces(made.shape[made.which[k : k + 1]])[0]) for k in (0, 140)]
    assert pieces[0] < pieces[1], "branches have joined"
