"""Settings of a part's own: they hold for it and nothing else, and what they leave alone is shared."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import settings_read_by
from even_step.core.errors import InputError, SettingError
from even_step.core.job import edits
from even_step.core.job.cascade import cascade, resolve
from even_step.core.job.differences import differences
from even_step.core.job.file import job_file, read_job_file
from even_step.core.job.text import job_text, read_job_text
from even_step.core.motion.check import check_gcode
from even_step.core.motion.fan import FanSettings
from even_step.core.pipeline import GRAPH, STAGES, slice_job
from even_step.core.plane import region
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import OF_A_PART, models_of
from even_step.core.toolpath.roles import INFILL, ROLES
from even_step.core.work import Crew
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_part, nth_spot

BARE = {"infill.end_run": 0, "infill.overlap": 0}
OF_A_SOLID = {
    record for stage in GRAPH for record in (*(() if stage.of == "bed" else stage.records), *stage.own, *stage.by_role)
}


@pytest.fixture
def two(tmp_path):
    """Two equal blocks side by side, each a part of its own."""
    path = write_stl(tmp_path / "block.stl", box(24, 24, 6))
    job = job_of(path)
    job = edits.added(job, [job.parts[0].model_copy(update={"name": "other", "id": "", "copies": ({},)})])
    return edits.placed_at(job, {nth_spot(job): (60.0, 60.0), nth_spot(job, 1): (120.0, 60.0)})


class Watched(StageRun):
    """Notes every stage that had to compute."""

    def stage(self, name, made_from, make):
        return super().stage(name, made_from, lambda: (MADE.append(name), make())[1])


MADE = []


def watched(job, cache):
    """Slice, and return which stages had to compute, as often as they did."""
    MADE.clear()
    hands = Crew(1)
    sliced = slice_job(job, hands, cache, Watched(hands, cache))
    return list(MADE), sliced


def volumes(done):
    """Volume by part and role, mm³."""
    path = done.sliced.toolpath
    owner, role = np.asarray(path.part), np.asarray(path.role)
    whole = done.sliced.plan.volume
    return {
        (int(part), ROLES[kind]): float(whole[(owner == part) & (role == kind)].sum())
        for part in np.unique(owner[owner >= 0])
        for kind in np.unique(role)
    }


def test_the_job_holds_for_a_part_unless_it_has_its_own(two):
    job = edits.with_setting_of_parts(
        two.with_settings({"infill.density": 30}), [nth_part(two, 1)], "infill.density", 60
    )
    scopes = resolve(job)
    first, second = (scopes.of(part)[0] for part in job.parts)
    assert (first.values["infill.density"], first.origin["infill.density"]) == (30.0, "job")
    assert (second.values["infill.density"], second.origin["infill.density"]) == (60.0, "part")
    assert second.under["infill.density"] == 30.0
    back = edits.without_settings_of_parts(job, [nth_part(job, 1)], ["infill.density"])
    assert resolve(back).of(back.parts[1])[0].values == first.values


def test_a_part_may_have_what_only_its_own_records_are_read_for():
    """What is shared with the whole bed, such as its heat, cannot differ."""
    readers = {key: set() for key in CATALOGUE}
    for record in (record for records in STAGES.values() for record in records):
        for setting in settings_read_by(record).values():
            readers[setting.key].add(record)
    possible = [key for key, records in readers.items() if records and records <= OF_A_SOLID | {FanSettings}]
    assert list(OF_A_PART) == possible


@pytest.mark.parametrize("key", ["heat.bed", "motion.travel_speed", "skirt.loops"])
def test_what_a_part_cannot_have_is_refused_in_every_way_in(two, tmp_path, key):
    with pytest.raises(SettingError, match="cannot be set for a part alone"):
        edits.with_setting_of_parts(two, [nth_part(two)], key, 50)
    path = tmp_path / "job.toml"
    path.write_text(f'[[parts]]\nname = "a"\nfile = "a.stl"\nsettings = {{ {key} = 50 }}\n')
    with pytest.raises(InputError, match="cannot be set for a part alone"):
        read_job_text(path)


def test_a_value_the_machine_cannot_do_names_the_part(two):
    job = edits.with_setting_of_parts(two, [nth_part(two, 1)], "walls.line_width", 3.0)
    with pytest.raises(SettingError, match="for other alone"):
        resolve(job)
    assert cascade(job).values["walls.line_width"] != 3.0


def test_each_part_is_laid_with_its_own(two, tmp_path):
    job = edits.with_setting_of_parts(two, [nth_part(two, 1)], "infill.density", 45)
    job = edits.with_setting_of_parts(job, [nth_part(job, 1)], "walls.count", 1)
    done = slice_again(tmp_path, job)
    head = done.gcode.read_text()[:3000]
    alone = [slice_again(tmp_path, two.with_settings(dict(part.settings))) for part in job.parts]
    mixed = volumes(done)
    for number, one in enumerate(alone):
        own = volumes(one)
        for role in ("outer-wall", "inner-wall", "infill", "top", "bottom"):
            assert mixed.get((number, role), 0.0) == pytest.approx(own.get((number, role), 0.0), rel=1e-3), role
    assert [part["changed"] for part in done.report["parts"]] == [{}, {"infill.density": 45.0, "walls.count": 1}]
    assert done.report["job"]["changed"] == {}
    assert ';es own="other" infill.density=45' in head


def test_ten_parts_with_ten_densities_are_cut_and_walled_once(tmp_path):
    path = write_stl(tmp_path / "block.stl", box(20, 20, 6))
    one = job_of(path).parts[0]
    densities = [10.0 + 5.0 * k for k in range(10)]
    parts = [one.model_copy(update={"id": "", "settings": {"infill.density": d, **BARE}}) for d in densities]
    job = job_of(path).model_copy(update={"parts": tuple(parts)})
    places = {nth_spot(job, k): (30.0 + 35.0 * (k % 5), 60.0 + 40.0 * (k // 5)) for k in range(10)}
    job = edits.placed_at(job, places)
    made, sliced = watched(job, StageCache())
    assert {name: made.count(name) for name in ("contours", "regions", "walls", "covers", "infill")} == {
        "contours": 1,
        "regions": 1,
        "walls": 1,
        "covers": 1,
        "infill": 10,
    }
    assert len(sliced.solids) == len(sliced.placed) == 10
    path_ = sliced.toolpath
    for k, density in enumerate(densities):
        covers = sliced.solids[k].covers
        room = float(region.area(covers.room)[covers.which].sum())
        laid = float(sliced.plan.volume[(path_.part == k) & (path_.role == INFILL)].sum())
        assert laid / (room * 0.2) == pytest.approx(density / 100.0, rel=0.03)


def test_copies_of_a_part_with_its_own_settings_are_one_solid(two, tmp_path):
    job = edits.with_copies(
        edits.with_setting_of_parts(two, [nth_part(two, 1)], "infill.density", 45), nth_part(two, 1), 2
    )
    job = edits.placed_at(job, {nth_spot(job, 1, 1): (120.0, 120.0)})
    done = slice_again(tmp_path, job)
    assert [part.solid for part in done.sliced.placed] == [0, 1, 1]
    same = edits.with_setting_of_parts(two, [nth_part(two, 1)], "infill.density", 15)
    assert len(slice_again(tmp_path, same).sliced.solids) == 1, "the same values are the same solid"


def test_a_change_of_one_part_makes_nothing_of_the_other_anew(two, tmp_path):
    cache = StageCache()
    slice_again(tmp_path, two, cache=cache)
    made, _ = watched(edits.with_setting_of_parts(two, [nth_part(two, 1)], "walls.count", 5), cache)
    assert made.count("walls") == made.count("infill") == 1
    assert "contours" not in made


def test_it_is_saved_and_told(two, tmp_path):
    job = edits.with_setting_of_parts(two, [nth_part(two, 1)], "infill.density", 45)
    assert differences(two, job) == ["infill density 45 % for other"]
    assert differences(job, two) == ["infill density as the job's for other"]
    text = tmp_path / "job.toml"
    text.write_text(job_text(job))
    assert read_job_text(text).parts[1].settings == {"infill.density": 45.0}
    saved = tmp_path / "job.3mf"
    saved.write_bytes(job_file(job, models_of(job, StageRun(Crew(1), StageCache()))))
    assert read_job_file(saved).parts[1].settings == {"infill.density": 45.0}


def test_a_setting_of_a_part_that_has_no_effect_is_told_with_its_name(two, tmp_path):
    job = edits.with_setting_of_parts(two, [nth_part(two, 1)], "infill.density", 0)
    job = edits.with_setting_of_parts(job, [nth_part(job, 1)], "infill.angle", 30)
    idle = [one for one in slice_again(tmp_path, job).report["findings"] if one["code"] == "setting-idle"]
    assert [(one["part"], one["message"].split(" has")[0]) for one in idle] == [("other", "Infill angle")]
    mixed = two.with_settings({"infill.density": 0, "infill.angle": 30})
    mixed = edits.with_setting_of_parts(mixed, [nth_part(two, 1)], "infill.density", 20)
    idle = [one for one in slice_again(tmp_path, mixed).report["findings"] if one["code"] == "setting-idle"]
    assert idle == [], "it has its effect in one of the parts"


def test_each_part_is_laid_at_its_own_speed_and_flow(two, tmp_path):
    own = {"motion.print_speed": 40, "motion.outer_wall_speed": 20, "flow.amount": 90, "motion.first_layer_speed": 15}
    job = two
    for key, value in own.items():
        job = edits.with_setting_of_parts(job, [nth_part(job, 1)], key, value)
    plain, done = slice_again(tmp_path, two), slice_again(tmp_path, job)
    path, feed = done.sliced.toolpath, done.sliced.plan.speeds.feed
    later = path.layer_of_path() > 0
    for part, speeds in ((0, (100, 50, 25)), (1, (40, 20, 15))):
        mine = path.part == part
        assert feed[mine & later & (path.role == ROLES.index("inner-wall"))].max() == speeds[0] * 60
        assert feed[mine & later & (path.role == ROLES.index("outer-wall"))].max() == speeds[1] * 60
        assert feed[mine & ~later].max() <= speeds[2] * 60
    mixed, alike = volumes(done), volumes(plain)
    assert mixed[0, "infill"] == pytest.approx(alike[0, "infill"], rel=1e-6)
    assert mixed[1, "infill"] == pytest.approx(0.9 * alike[1, "infill"], rel=1e-3)
    told = sum(done.report["volume_by_role_mm3"].values())
    assert sum(check_gcode(done.gcode, None).volume_by_role_mm3.values()) == pytest.approx(told, rel=1e-3)
    assert done.sliced.ledgers[1].rows[5, 1] == pytest.approx(0.9 * done.sliced.ledgers[0].rows[5, 1], rel=1e-3)


def test_a_change_of_a_parts_speed_re_runs_motion_alone(two, tmp_path):
    cache = StageCache()
    slice_again(tmp_path, two, cache=cache)
    made, _ = watched(edits.with_setting_of_parts(two, [nth_part(two, 1)], "motion.print_speed", 40), cache)
    assert made == ["motion"]


def test_each_part_is_cooled_by_its_own_fan(two, tmp_path):
    job = edits.with_setting_of_parts(two, [nth_part(two, 1)], "cooling.fan", 40)
    job = edits.with_setting_of_parts(job, [nth_part(job, 1)], "cooling.fan_from_layer", 3)
    lines = slice_again(tmp_path, job).gcode.read_text().splitlines()
    fan, part, layer, seen = 0, "", -1, {}
    for line in lines:
        if line.startswith("M106 S"):
            fan = int(line[6:])
        elif line.startswith(";es layer="):
            layer = int(line.split("=")[1].split()[0])
        elif line.startswith(";es part="):
            part = line.split('"')[1]
        elif line.startswith("G1 ") and " E" in line and " X" in line and part:
            seen.setdefault((part, layer), set()).add(fan)
    assert seen["block", 2] == {255}
    assert seen["other", 2] == {0}
    assert seen["other", 5] == {102}
    assert seen["block", 5] == {255}


def test_what_has_no_effect_is_told_once_a_part(two, tmp_path):
    """Also of one whose copies are two solids, and of one that shares its solid with another part."""
    job = edits.with_copies(two.with_settings({"infill.density": 0}), nth_part(two, 1), 2)
    job = edits.turned(edits.placed_at(job, {nth_spot(job, 1, 1): (120.0, 120.0)}), [nth_spot(job, 1, 1)], 2, 30.0)
    for number in (0, 1):
        job = edits.with_setting_of_parts(job, [nth_part(job, number)], "infill.angle", 30)
    idle = [one for one in slice_again(tmp_path, job).report["findings"] if one["code"] == "setting-idle"]
    assert [one["part"] for one in idle] == ["block", "other"]
