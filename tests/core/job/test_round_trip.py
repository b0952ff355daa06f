"""A job with every feature, saved and opened: equal values, the same bytes for every bed."""

from __future__ import annotations

import pytest

from even_step.core.job.beds import bed_count, on_bed
from even_step.core.job.bring_in import parts_of
from even_step.core.job.by_hand import Mark, Post
from even_step.core.job.edits import (
    added,
    copied,
    in_unit,
    mirrored,
    sized,
    split_off,
    turned,
    with_bodies_hidden,
    with_mark,
    with_part,
    with_setting,
)
from even_step.core.job.file import job_file, read_job_file, read_trials
from even_step.core.job.kept_trials import KeptTrial, summary_of
from even_step.core.job.model import Job, Layout, Machine, Material, Recipe
from even_step.core.job.shipped import DATA, find
from even_step.core.job.step_curve import Knot
from even_step.core.job.zones import Zone
from even_step.core.mesh.read.model import read_model
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import models_of, settled
from even_step.core.work import Crew
from tests.slicing_help import slice_again
from tests.spots import nth_part, nth_spot

DEMO = DATA / "demo"
ARROW, KNOB, CAP, BRACKET = (
    DEMO / name for name in ("wind_arrow.3mf", "torn_knob.stl", "ridge_cap_inches.stl", "mast_bracket.step")
)


def run():
    return StageRun(Crew(1), StageCache())


@pytest.fixture(scope="module")
def job():
    """An assembly taken apart, a mended knob, a cap in inches, a stretched mirrored bracket, on two beds."""
    made = Job(
        name="every feature",
        machine=find(Machine, "Alder 300 twin"),
        materials=(find(Material, "PLA"), find(Material, "PETG")),
        recipe=find(Recipe, "Fine"),
        layout=Layout(spacing=4.0, turning=False, keep_out=((0.0, 0.0, 30.0, 20.0),)),
    )
    made = added(made, [part for path in (ARROW, KNOB, CAP, BRACKET) for part in parts_of(path, read_model(path))])
    made, _ = split_off(made, nth_part(made), (1, 3), [body.name for body in read_model(ARROW)[0].bodies])
    made = with_bodies_hidden(made, nth_part(made), (2,), hidden=True)
    made = with_part(
        made,
        nth_part(made, 1),
        repair="all",
        name="knob, mended & named <anew>",
        curve=(Knot(low=1, high=4, height=0.1),),
    )
    made = in_unit(made, nth_part(made, 2), "inch")
    made = sized(mirrored(made, [nth_part(made, 3)], 0), nth_part(made, 3), (1.1, 0.9, 0.5))
    made = turned(made, [nth_spot(made, 3)], 0, 37.5)
    post, kept = Post(at=(1.0, 2.0, 3.5), foot=(4.0, 0.0)), Mark(kind="show", near=(0.0, 1.0, 2.0), crease=20.0)
    marks = (kept, Mark(kind="hold", facets=(7, 2, 7)), Mark(kind="keep-clear", near=(1.0, 1.0, 1.0), radius=1.5))
    spot = Zone(name="bolt", shape="cylinder", middle=(1, 2, 3), size=(8, 8, 20), turn=(0, 10, 0), snap="layers")
    body = Zone(shape="body", body=0, settings={"infill.density": 60.0})
    can = Zone(shape="mesh", file=str(CAP), middle=(4, 5, 6), size=(9, 9, 30), settings={"walls.count": 5})
    face = Zone(shape="face", near=((0.0, 1.0, 2.0),), depth=3.0, crease=30.0, settings={"top.layers": 2})
    behind = Zone(shape="backing", near=((0.0, 1.0, 2.0),), depth=1.5)
    denser = spot.model_copy(update={"settings": {"infill.density": 40.0, "infill.pattern": "grid"}})
    made = with_part(made, nth_part(made, 3), posts=(post,), marks=marks, zones=(denser, body, can, face, behind))
    made, new = copied(made, [nth_spot(made, 3), nth_spot(made, 1)])
    made = turned(with_mark(made, new, bed=1), new, 2, 25.0)
    made = with_setting(with_setting(made, "infill.density", 12.0), "layers.height", 0.28)
    made = settled(made, run())
    return with_mark(with_mark(made, [nth_spot(made, 1)], locked=True), [nth_spot(made, 3)], hidden=True)


def zones_at_home(own, part):
    both = zip(own.zones, part.zones, strict=True)
    return tuple(zone.model_copy(update={"file": mine.file, "object": mine.object}) for mine, zone in both)


def at_home(job, back):
    """The opened job with its parts referring to their own files again."""
    parts = [
        part.model_copy(update={"file": own.file, "object": own.object, "zones": zones_at_home(own, part)})
        for part, own in zip(back.parts, job.parts, strict=True)
    ]
    return back.model_copy(update={"parts": tuple(parts)})


def test_every_feature_comes_back_and_every_bed_prints_the_same(job, tmp_path):
    assert bed_count(job) == 2
    first, sliced = [], []
    for bed in range(2):
        sliced.append(slice_again(tmp_path, on_bed(job, bed)))
        first.append(sliced[-1].gcode.read_bytes())
    trials = tuple(
        KeptTrial(
            number=bed + 1,
            bed=job.beds[bed],
            changed=("first slice",),
            job=on_bed(job, bed),
            report=summary_of(one.report),
        )
        for bed, one in enumerate(sliced)
    )
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(job, models_of(job, run()), trials))
    back, told = read_job_file(saved), []
    assert at_home(job, back) == job
    kept = read_trials(saved, back, told)
    assert told == []
    assert [one.job for one in kept] == [on_bed(back, bed) for bed in range(2)]
    assert [one.report for one in kept] == [one.report for one in trials]
    again = [slice_again(tmp_path, on_bed(back, bed)).gcode.read_bytes() for bed in range(2)]
    assert again == first
    twice = tmp_path / "twice.3mf"
    twice.write_bytes(job_file(back, models_of(back, run()), kept))
    assert at_home(back, read_job_file(twice)) == back


def test_a_saved_job_holds_the_very_same_numbers(job, tmp_path):
    saved = tmp_path / "saved.3mf"
    models = models_of(job, run())
    saved.write_bytes(job_file(job, models))
    back = models_of(read_job_file(saved), run())
    for own, opened in zip(models, back, strict=True):
        for body, same in zip(own.bodies, opened.bodies, strict=True):
            assert body.name == same.name
            assert (body.mesh.vertices[body.mesh.faces] == same.mesh.vertices[same.mesh.faces]).all()
