"""Two extruders: each line from its own, few changes, what is purged, and the G-code read back."""

from __future__ import annotations

import re

import numpy as np
import pytest

from even_step.core.errors import EvenStepError, SettingError
from even_step.core.job import edits
from even_step.core.job.cascade import resolve
from even_step.core.job.model import Material
from even_step.core.job.shipped import find
from even_step.core.motion.check import check_gcode
from even_step.core.stages import StageCache
from even_step.core.toolpath.roles import INFILL, OUTER_WALL, PURGE, SKIRT, SUPPORT, SUPPORT_CONTACT
from tests.hung import Laid, tee
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, laid, plain_moves, slice_again
from tests.spots import nth_part, nth_spot

BARE = {"skirt.loops": 0}


def twin(tmp_path, *sides, settings=None, materials=("PLA", "PETG")):
    """Return a job of boxes in a row on the machine with two extruders."""
    job = None
    for k, side in enumerate(sides):
        one = job_of(
            write_stl(tmp_path / f"part{k}.stl", box(side, side, 6)), {**BARE, **(settings or {})}, "Alder 300 twin"
        )
        job = edits.added(job, [one.parts[0].model_copy(update={"id": ""})]) if job else one
    job = job.model_copy(update={"materials": tuple(find(Material, name) for name in materials)})
    return edits.placed_at(job, {nth_spot(job, k): (80.0 + 60.0 * k, 100.0) for k in range(len(sides))})


def by_extruder(done, chosen=None):
    path, volume = done.sliced.toolpath, done.sliced.plan.volume
    chosen = np.ones(len(volume), bool) if chosen is None else chosen
    return np.bincount(path.extruder[chosen], volume[chosen], 2)


def test_two_parts_in_two_materials_each_from_its_own_extruder(tmp_path):
    job = twin(tmp_path, 24, 30)
    for group in ("walls", "infill", "covers"):
        job = edits.with_setting_of_parts(job, [nth_part(job, 1)], f"extruder.{group}", 2)
    done = slice_again(tmp_path, job)
    path = done.sliced.toolpath
    alone = [slice_again(tmp_path / "..", edits.removed(job, [nth_spot(job, 1 - k)])) for k in (0, 1)]
    parts = by_extruder(done, path.part >= 0)
    for number, one in enumerate(alone):
        assert parts[number] == pytest.approx(float(one.sliced.plan.volume.sum()), rel=0.005)
    assert set(path.extruder[path.part == 0].tolist()) == {0}
    assert set(path.extruder[path.part == 1].tolist()) == {1}
    told = [(one["name"], one["extruder"]) for one in done.report["material"]]
    assert told == [("PLA", 1), ("PETG", 2)]
    assert done.report["material"][1]["mass_g"] == pytest.approx(by_extruder(done)[1] / 1000 * 1.27, rel=1e-6)
    assert [len(one.report["material"]) for one in alone] == [1, 1]


@pytest.fixture
def mixed(tmp_path):
    """Walls of one material round infill of the other."""
    return slice_again(tmp_path, twin(tmp_path, 30, settings={"extruder.infill": 2}))


def test_walls_in_one_and_infill_in_the_other(mixed):
    path = mixed.sliced.toolpath
    assert set(path.extruder[path.role == INFILL].tolist()) == {1}
    assert set(path.extruder[(path.part >= 0) & (path.role != INFILL)].tolist()) == {0}
    roles = mixed.report["volume_by_role_mm3"]
    assert by_extruder(mixed, path.part >= 0)[1] == pytest.approx(roles["infill"], rel=0.005)


def test_the_g_code_read_back_is_equal(mixed):
    checked = check_gcode(mixed.gcode)
    told = [one["volume_mm3"] for one in mixed.report["material"]]
    assert checked.volume_by_extruder_mm3 == pytest.approx(told, rel=0.001)
    assert checked.changes_of_extruder == mixed.report["changes_of_extruder"] > 10
    assert checked.time_s == pytest.approx(mixed.report["time_s"], rel=0.01)
    assert checked.volume_by_role_mm3["purge"] == pytest.approx(mixed.report["volume_by_role_mm3"]["purge"], rel=0.001)


def test_a_layer_begins_with_the_extruder_in_hand(mixed):
    path = mixed.sliced.toolpath
    changes = mixed.sliced.plan.speeds.changes > 0
    within = [int(changes[a:b].sum()) for a, b in zip(path.layer[:-1], path.layer[1:], strict=True)]
    assert max(within) == 1
    for a, b in zip(path.layer[1:-1], path.layer[2:], strict=True):
        before = path.extruder[a - 1]
        assert path.extruder[a] == before or before not in path.extruder[a:b]


def test_what_is_purged_is_told_and_enough(mixed):
    path, volume = mixed.sliced.toolpath, mixed.sliced.plan.volume
    purged = path.role == PURGE
    after = [float(volume[purged & (path.layer_of_path() == k)].sum()) for k in range(path.layers)]
    changed = np.array(
        [mixed.sliced.plan.speeds.changes[a:b].any() for a, b in zip(path.layer[:-1], path.layer[1:], strict=True)]
    )
    assert min(np.array(after)[changed][1:]) >= 60.0
    assert max(np.array(after)[changed][1:]) < 80.0
    assert max(np.array(after)[~changed][1:], default=0.0) < 25.0, "open where nothing changes"
    last = int(np.flatnonzero(changed)[-1])
    assert after[last + 1 :] == [0.0] * (path.layers - last - 1), "no taller than the last change"
    assert mixed.report["mass_by_role_g"]["purge"] > 0


def test_the_tower_keeps_clear_of_the_parts_and_the_skirt_goes_round_it(tmp_path):
    done = slice_again(tmp_path, twin(tmp_path, 30, 30, settings={"extruder.infill": 2, "skirt.loops": 1}))
    path = done.sliced.toolpath
    tower = bounds(path, path.role == PURGE)
    for part in (0, 1):
        other = bounds(path, path.part == part)
        apart = np.maximum(tower[0] - other[1], other[0] - tower[1]).max()
        assert apart > 4.0
    around = path.role == SKIRT
    low, high = bounds(path, around)
    assert (low < tower[0]).all()
    assert (high > tower[1]).all()
    assert done.report["findings"] == []


def bounds(path, chosen):
    spans = [path.xy[path.start[p] : path.start[p + 1]] for p in np.flatnonzero(chosen)]
    points = np.concatenate(spans)
    return points.min(axis=0), points.max(axis=0)


def test_a_wished_place_holds_and_one_on_a_part_stops(tmp_path):
    job = twin(tmp_path, 30, settings={"extruder.infill": 2})
    there = slice_again(tmp_path, job.model_copy(update={"tower": (200.0, 200.0)}))
    low, high = bounds(there.sliced.toolpath, there.sliced.toolpath.role == PURGE)
    assert ((low + high) / 2).tolist() == pytest.approx([200.0, 200.0], abs=0.01)
    struck = slice_again(tmp_path, job.model_copy(update={"tower": (90.0, 100.0)}))
    (found,) = [f for f in struck.report["findings"] if f["code"] == "parts-touch"]
    assert (found["severity"], found["part"]) == ("stop", "part0")
    assert "purge tower" in found["message"]


def test_only_materials_in_use_count(tmp_path):
    one = slice_again(tmp_path, twin(tmp_path, 30, materials=("PLA",)))
    first = one.gcode.read_bytes()
    both = slice_again(tmp_path, twin(tmp_path, 30, materials=("PLA", "ABS")))
    assert both.gcode.read_bytes() == first
    assert [used["name"] for used in both.report["material"]] == ["PLA"]
    assert both.report["changes_of_extruder"] == 0


def test_a_second_material_lays_with_its_own_settings(tmp_path):
    """Its flow, its melt limit and its heat are those of what lies in that extruder."""
    petg = find(Material, "PETG").model_copy(
        update={"settings": {"flow.amount": 90, "heat.nozzle": 233}, "flow_limit": 2.0}
    )
    job = twin(tmp_path, 30, settings={"extruder.infill": 2})
    job = job.model_copy(update={"materials": (job.materials[0], petg)})
    plain = slice_again(tmp_path, twin(tmp_path, 30))
    done = slice_again(tmp_path, job)
    path, plan = done.sliced.toolpath, done.sliced.plan
    speeds = plan.speeds
    infill = path.role == INFILL
    assert (speeds.feed[infill] / 60 * speeds.area[infill]).max() <= 2.0 + 1e-6
    assert (speeds.feed[~infill] / 60 * speeds.area[~infill]).max() > 2.0
    same = plain.sliced.toolpath.role == INFILL
    assert plan.volume[infill].sum() == pytest.approx(0.9 * plain.sliced.plan.volume[same].sum(), rel=0.01)
    assert "M109 T1 S233" in done.gcode.read_text()


def test_the_ledger_reckons_each_line_with_its_own_extruders_flow(tmp_path):
    """What of a layer is laid by a second extruder that gives less is that much less; walls are as before."""
    petg = find(Material, "PETG")
    lean = petg.model_copy(update={"settings": {**petg.settings, "flow.amount": 90}})
    ledgers, laid_by = [], []
    for material in (petg, lean):
        job = twin(tmp_path, 30, settings={"extruder.infill": 2}, materials=("PLA", "PLA"))
        done = slice_again(tmp_path, job.model_copy(update={"materials": (job.materials[0], material)}))
        ledgers.append(done.sliced.ledgers[0].rows[5:12, 1])
        path = done.sliced.toolpath
        mine = (path.part == 0) & (path.layer_of_path() >= 5) & (path.layer_of_path() < 12)
        laid_by.append(by_extruder(done, mine) / np.diff(path.top)[5])
    assert ledgers[0].sum() == pytest.approx(laid_by[0].sum(), rel=0.005)
    assert ledgers[1].sum() == pytest.approx(laid_by[1].sum(), rel=0.005)
    assert ledgers[0].sum() - ledgers[1].sum() == pytest.approx(0.1 * laid_by[0][1], rel=0.05)


def test_the_bed_is_as_warm_as_the_material_in_use_that_wants_it_warmest(tmp_path):
    """What is loaded but lays nothing has no say."""
    for settings, wanted in (({"extruder.infill": 2}, 75), ({}, 60)):
        job = twin(tmp_path, 24, settings=settings)
        warm = tuple(
            one.model_copy(update={"settings": {**one.settings, "heat.bed": heat}})
            for one, heat in zip(job.materials, (60, 75), strict=True)
        )
        done = slice_again(tmp_path, job.model_copy(update={"materials": warm}))
        assert f"M190 S{wanted}\n" in done.gcode.read_text()
        rate = job.machine.heating.bed_rate
        assert done.report["heat_up_s"] >= (wanted - 25) / rate * 0.9


def test_a_change_counts_toward_the_least_time_of_its_layer(tmp_path):
    """It takes its own time whatever the pace, and the lines are slowed for what is lacking then."""
    slow = {"extruder.infill": 2, "cooling.least_layer_time": 60, "cooling.least_speed": 1, "purge.volume": 5}
    plan = slice_again(tmp_path, twin(tmp_path, 12, settings=slow)).sliced.plan
    changed = plan.layer_time[3:-6]
    assert changed.min() > 60 * 0.98
    assert changed.max() < 60 * 1.01


def test_the_offset_is_taken_off(mixed):
    """A line of the second nozzle is where the toolpath has it once its offset is added again."""
    offset = np.array(mixed.sliced.job.machine.extruders[1].offset)
    lines = [move for move in laid(plain_moves(mixed.gcode)) if move.role in {"infill", "outer-wall"}]
    path = mixed.sliced.toolpath
    for role, number, by in (("infill", INFILL, offset), ("outer-wall", OUTER_WALL, 0.0)):
        ends = np.array([move.end[:2] for move in lines if move.role == role]) + by
        low, high = bounds(path, path.role == number)
        assert ends.min(axis=0) == pytest.approx(low, abs=0.002)
        assert ends.max(axis=0) == pytest.approx(high, abs=0.002)


def test_a_waiting_nozzle_idles_and_is_warm_in_time(tmp_path):
    settings = {"extruder.covers": 2, "heat.idle_nozzle": 150, "motion.print_speed": 20}
    done = slice_again(tmp_path, twin(tmp_path, 60, settings=settings))
    lines = done.gcode.read_text().splitlines()
    idle = [i for i, line in enumerate(lines) if line == "M104 T1 S150"]
    warm = [i for i, line in enumerate(lines) if re.fullmatch(r"M104 T1 S2\d\d", line)]
    swaps = [i for i, line in enumerate(lines) if line == "T1"]
    assert len(idle) >= 2
    assert warm
    for begin in warm:
        assert min(swap for swap in swaps if swap > begin) > begin
    assert "M104 T0 S0" in lines[max(swaps[-1], 0) :] or "M104 T1 S0" in lines[swaps[-1] :], "turned off in the end"


def test_each_pair_of_materials_has_its_own_amount(tmp_path):
    petg = find(Material, "PETG").model_copy(update={"purge_after": {"PLA": 150.0}})
    job = twin(tmp_path, 30, settings={"extruder.infill": 2})
    done = slice_again(tmp_path, job.model_copy(update={"materials": (job.materials[0], petg)}))
    path = done.sliced.toolpath
    volume = done.sliced.plan.volume
    for extruder, least in ((0, 60.0), (1, 150.0)):
        mine = (path.role == PURGE) & (path.extruder == extruder)
        layers = np.unique(path.layer_of_path()[mine & (done.sliced.plan.layer_time[path.layer_of_path()] > 0)])
        sums = [float(volume[mine & (path.layer_of_path() == k)].sum()) for k in layers[2:-2]]
        assert max(sums) >= least


def test_without_a_tower_nothing_is_purged(tmp_path):
    done = slice_again(tmp_path, twin(tmp_path, 30, settings={"extruder.infill": 2, "purge.kind": "none"}))
    assert "purge" not in done.report["volume_by_role_mm3"]
    assert done.report["changes_of_extruder"] > 10


def test_what_cannot_be_is_refused_with_a_remedy(tmp_path):
    job = twin(tmp_path, 30, 30, materials=("PLA",), settings={"extruder.infill": 2})
    with pytest.raises(SettingError, match="no material in extruder 2"):
        resolve(job)
    both = twin(tmp_path, 30, 30, settings={"extruder.infill": 2, "order.parts": "one-by-one"})
    with pytest.raises(SettingError, match="purge tower"):
        resolve(both)
    resolve(both.with_settings({"purge.kind": "none"}))


def test_a_width_is_held_to_the_nozzle_that_lays_it(tmp_path):
    """Wide infill by a wide second nozzle beside fine walls."""
    job = twin(tmp_path, 30, settings={"extruder.infill": 2, "infill.line_width": 1.85})
    with pytest.raises(SettingError, match="line_width"):
        resolve(job)
    first, second = job.machine.extruders
    wide = second.model_copy(update={"bore": 0.9, "line_width": (0.5, 1.9)})
    wider = job.model_copy(update={"machine": job.machine.model_copy(update={"extruders": (first, wide)})})
    done = slice_again(tmp_path, wider)
    path = done.sliced.toolpath
    assert path.width[path.role == INFILL].max() == pytest.approx(1.85)
    assert "line-wide" not in {f["code"] for f in done.report["findings"]}
    with pytest.raises(SettingError, match="line_width"):
        resolve(wider.with_settings({"extruder.infill": 1}))


def test_a_tower_moved_makes_no_part_anew(tmp_path):
    cache = StageCache()
    job = twin(tmp_path, 30, settings={"extruder.infill": 2})
    slice_again(tmp_path, job, cache=cache)
    again = slice_again(tmp_path, job.model_copy(update={"tower": (200.0, 200.0)}), cache=cache)
    assert again.run.made <= {"purge", "foot", "order", "motion"}


def test_what_is_said_to_extruders_is_said_though_layers_repeat(tmp_path):
    """Layers of equal boxes are written once and repeated; a nozzle warmed in one of them is warmed once."""
    job = twin(tmp_path, 40, settings={"extruder.covers": 2, "infill.density": 5, "cooling.least_layer_time": 0})
    done = slice_again(tmp_path, job)
    lines = done.gcode.read_text().splitlines()
    swaps = [i for i, line in enumerate(lines) if line == "T1"]
    warmed = [i for i, line in enumerate(lines) if re.fullmatch(r"M104 T1 S2\d\d", line)]
    idled = [i for i, line in enumerate(lines) if line == "M104 T1 S160"]
    assert len(warmed) <= len(swaps)
    assert len(idled) >= 1
    for begin in idled[1:]:
        later = [swap for swap in swaps if swap > begin]
        assert not later or any(begin < warm < later[0] for warm in warmed)


def test_the_number_of_threads_never_shows(tmp_path):
    job = twin(tmp_path, 30, 24, settings={"extruder.infill": 2})
    assert slice_again(tmp_path, job, 1).gcode.read_bytes() == slice_again(tmp_path, job, 2).gcode.read_bytes()


def test_lines_of_the_tower_lie_apart(mixed):
    """Its rows touch and do not overlap: what is laid in a layer is no more than it has room for."""
    path, volume = mixed.sliced.toolpath, mixed.sliced.plan.volume
    low, high = bounds(path, path.role == PURGE)
    width = float(path.width[path.role == PURGE][0])
    room = float(np.prod(high - low + width))
    thick = mixed.sliced.toolpath.courses.thickest()
    for k in range(path.layers):
        mine = (path.role == PURGE) & (path.layer_of_path() == k)
        assert volume[mine].sum() <= room * thick[k] * 1.02


def test_contact_layers_of_supports_are_laid_by_the_extruder_that_dissolves(tmp_path):
    job = job_of(write_stl(tmp_path / "tee.stl", tee(arm=8.0)), machine="Alder 300 twin", recipe="Soluble")
    two = job.model_copy(update={"materials": (find(Material, "PLA"), find(Material, "soluble support"))})
    done = slice_again(tmp_path, two)
    path = done.sliced.toolpath
    assert set(path.extruder[path.role == SUPPORT_CONTACT].tolist()) == {1}
    assert set(path.extruder[path.role == SUPPORT].tolist()) == {0}
    assert [one["name"] for one in done.report["material"]] == ["PLA", "soluble support"]
    held = Laid(done)
    ceiling = float(held.solid.heights.top[int(np.searchsorted(held.solid.heights.cuts, 19.99, side="right")) - 1])
    assert held.under((7.0, 0.0, ceiling), 0.6) == pytest.approx(ceiling, abs=0.01), "it lies on them without a gap"


def test_an_extruder_for_supports_that_are_not_laid_needs_no_material(tmp_path):
    job = job_of(write_stl(tmp_path / "tee.stl", tee(arm=8.0)), {"extruder.supports": 2}, machine="Alder 300 twin")
    assert slice_again(tmp_path, job).report["material"][0]["name"] == "PLA"
    with pytest.raises(EvenStepError, match="no material in extruder 2"):
        slice_again(tmp_path, job.with_settings({"supports.kind": "sheet"}))
