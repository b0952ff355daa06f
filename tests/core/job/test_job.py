from __future__ import annotations

import json
import tomllib

import jsonschema
import lib3mf
import pytest
import tomli_w
from pydantic import ValidationError

from even_step.core.errors import InputError, JobError, SettingError
from even_step.core.job.bring_in import kept_in_place, laid_flat, pose_matrix
from even_step.core.job.cascade import resolve
from even_step.core.job.edits import placed_at, with_mark
from even_step.core.job.file import job_file, read_job_file
from even_step.core.job.model import Copy, Job, Layout, Machine, Material, Part, Recipe
from even_step.core.job.shipped import DATA, find
from even_step.core.job.text import is_job_file, job_record, job_schema, job_text, read_job_text
from even_step.core.mesh.read.model import read_model
from tests.conftest import mended
from tests.shapes import box, comb, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_spot


def job_with(plain_job, **update):
    return plain_job.model_copy(update=update)


def test_the_later_word_wins_and_is_told(plain_job):
    job = job_with(plain_job, recipe=find(Recipe, "Fine")).with_settings({"walls.count": 5})
    resolved = resolve(job).job
    assert resolved.values["walls.count"] == 5
    assert resolved.origin["walls.count"] == "job"
    assert resolved.under["walls.count"] == 3
    assert resolved.origin["layers.height"] == "recipe"
    assert resolved.origin["heat.nozzle"] == "material"
    assert resolved.origin["infill.angle"] == "default"
    fine = resolve(job_with(plain_job, machine=find(Machine, "Larch 220 fine"))).job
    assert fine.origin["layers.height"] == "machine"
    assert fine.values["walls.line_width"] == 0.22


@pytest.mark.parametrize(
    ("key", "value", "told"),
    [
        ("layers.height", 0.5, "0.05 to 0.32"),
        ("walls.line_width", 1.5, "0.24 to 1.2 mm"),
        ("heat.nozzle", 400, "280"),
        ("heat.bed", 150, "100"),
        ("motion.print_speed", 900, "300"),
    ],
)
def test_what_the_machine_cannot_do_is_refused_with_its_range(plain_job, key, value, told):
    with pytest.raises(SettingError, match=told):
        resolve(plain_job.with_settings({key: value}))


def test_a_line_narrower_than_high_is_refused(plain_job):
    job = plain_job.with_settings({"layers.height": 0.3, "infill.line_width": 0.25})
    with pytest.raises(SettingError, match=r"0\.25 mm wide cannot be 0\.3 mm high"):
        resolve(job)


def test_a_job_is_a_value(plain_job):
    with pytest.raises(ValidationError):
        plain_job.name = "other"
    other = plain_job.with_settings({"walls.count": 4})
    assert plain_job.settings == {}
    assert other.machine is plain_job.machine
    assert other.with_settings({"walls.count": 4}) == other


def test_more_materials_than_extruders_are_refused(plain_job):
    with pytest.raises(ValidationError, match="2 materials for the 1 extruder"):
        Job.model_validate({**dict(plain_job), "materials": (find(Material, "PLA"), find(Material, "ASA"))})


def test_a_jobs_text_reads_back_equal(plain_job, tmp_path):
    part = Part(
        name="a",
        file="a.stl",
        scale=(1, 2, 3),
        turn=(90, 0, 12.5),
        copies=(Copy(at=(10, 20), turn=5), Copy()),
    )
    job = job_with(plain_job, parts=(part,), settings={"infill.density": 40.0}, name="two rings")
    path = tmp_path / "job.toml"
    path.write_text(job_text(job))
    back = read_job_text(path)
    assert back.model_copy(update={"parts": ()}) == job.model_copy(update={"parts": ()})
    assert back.parts[0] == job.parts[0].model_copy(update={"file": str(tmp_path / "a.stl")})


def test_the_schema_in_the_repository_is_the_models():
    assert (DATA / "job.schema.json").read_text() == job_schema()


@pytest.mark.parametrize("name", ["weather_post", "funnel_job", "finial_job", "swatch_job", "arrow_job"])
def test_the_demo_jobs_keep_to_the_schema(name):
    record = tomllib.loads((DATA / "demo" / f"{name}.toml").read_text())
    jsonschema.validate(record, json.loads(job_schema()))
    job = read_job_text(DATA / "demo" / f"{name}.toml")
    jsonschema.validate(json.loads(json.dumps(job_record(job))), json.loads(job_schema()))


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("machine = 'Willow'", "Larch 220"),
        ("recipe = 'Soup'", "Even"),
        ("materials = 'PLA'", "list"),
        ("colour = 'red'", "colour"),
        ("[settings]\nwalls.count = 99", "0 to 40"),
        ("[settings]\nwalls.cuont = 9", "no such setting"),
        ("[[parts]]\nfile = 'a.stl'", "name"),
        ("[[parts]]\nname='a'\nscale = 0", "scale"),
        ("[[parts]]\nname='a'\ncopies = []", "copies"),
        ("[[parts]]\nname='a'\nunit = 'furlong'", "unit"),
        ("not toml at all", "TOML"),
        ("machine = 'other.toml'", "other"),
        ("[[parts]]\nname='a'\ncopies = [{at = [nan, 0]}]", "at"),
    ],
)
def test_a_bad_job_text_is_told_in_one_line(tmp_path, text, told):
    path = tmp_path / "job.toml"
    path.write_text(text)
    with pytest.raises((InputError, JobError), match=told) as caught:
        read_job_text(path)
    assert "\n" not in str(caught.value)


def test_own_machines_are_read_from_files(tmp_path):
    path = tmp_path / "own.toml"
    path.write_text((DATA / "machines" / "larch_220.toml").read_text().replace("Larch 220", "Own one"))
    assert find(Machine, str(path)).name == "Own one"
    path.write_text("name = 'no bed'")
    with pytest.raises(InputError, match="bed"):
        find(Machine, str(path))


def test_keeping_the_files_place(tmp_path):
    mesh = mended(box(10, 10, 10, (33, 44, 0)))
    assert kept_in_place(Part(name="a"), mesh).copies[0].at == (33.0, 44.0)


def test_a_flat_pose_lays_a_part_on_its_largest_side(plain_job):
    mesh = mended(box(5, 20, 30))
    part = laid_flat(Part(name="a"), mesh)
    low, high = (
        (mesh.vertices @ pose_matrix(part, Copy()).T).min(axis=0),
        (mesh.vertices @ pose_matrix(part, Copy()).T).max(axis=0),
    )
    assert (high - low)[2] == pytest.approx(5)


def test_a_saved_job_opens_with_everything_and_gives_the_same_gcode(tmp_path):
    path = write_stl(tmp_path / "part.stl", comb(teeth=3, height=5.0))
    job = job_of(path, {"infill.density": 33.0}, copies=2)
    part = job.parts[0].model_copy(
        update={"turn": (90.0, 0.0, 30.0), "scale": (1.5, 1.0, 1.0), "mirrored": (True, False, False)}
    )
    job = job.model_copy(
        update={"parts": (part,), "layout": Layout(spacing=9.5, turning=False, keep_out=((0.0, 0.0, 20.0, 30.0),))}
    )
    job = with_mark(job, [nth_spot(job, 0, 1)], locked=True, hidden=True)
    first = slice_again(tmp_path, job)
    places = {nth_spot(job, 0, k): copy.at for k, copy in enumerate(first.sliced.placed)}
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(placed_at(job, places), [first.sliced.solids[0].model]))
    assert is_job_file(saved)
    back = read_job_file(saved)
    assert back.machine == job.machine
    assert back.settings == job.settings
    assert back.layout == job.layout
    at_home = {"file": job.parts[0].file, "object": 0}
    assert back.parts[0].model_copy(update=at_home) == placed_at(job, places).parts[0]
    (tmp_path / "again").mkdir()
    again = slice_again(tmp_path / "again", back)
    assert again.gcode.read_bytes() == first.gcode.read_bytes()


@pytest.mark.parametrize("name", ['a & b <"c">', "Tür ☂", "line\nend", "it's"])
def test_any_name_survives_saving(tmp_path, name):
    path = write_stl(tmp_path / "part.stl", box(20, 10, 5))
    job = job_of(path)
    job = job.model_copy(update={"parts": (job.parts[0].model_copy(update={"name": name}),)})
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(placed_at(job, {nth_spot(job): (50.0, 60.0)}), read_model(path)))
    assert read_job_file(saved).parts[0].name == name
    assert read_model(saved)[0].name == name.replace("\n", " ")


def test_a_saved_job_is_plain_geometry_to_other_readers(tmp_path):
    path = write_stl(tmp_path / "part.stl", box(20, 10, 5))
    job = job_of(path)
    models = read_model(path)
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(placed_at(job, {nth_spot(job): (50.0, 60.0)}), models))
    model = lib3mf.get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.ReadFromFile(str(saved))
    items = model.GetBuildItems()
    assert items.MoveNext()
    shift = [items.GetCurrent().GetObjectTransform().Fields[3][i] for i in range(3)]
    assert shift == pytest.approx([50, 60, 0])
    assert job_file(placed_at(job, {nth_spot(job): (50.0, 60.0)}), models) == saved.read_bytes()


def test_a_newer_jobs_file_opens_with_what_is_known_and_tells_the_rest(tmp_path):
    path = write_stl(tmp_path / "part.stl", box())
    job = job_of(path, {"infill.density": 33.0})
    job = placed_at(job, {nth_spot(job): (50.0, 60.0)})
    saved, told = tmp_path / "saved.3mf", []
    saved.write_bytes(job_file(job, read_model(path)))
    assert read_job_file(saved, told).parts[0].name == "part"
    assert told == []
    record = job_record(job)
    record["version"], record["weather"] = 7, {"wind": "north"}
    record["settings"]["infill.sparkle"], record["settings"]["walls.count"] = 3, 1000
    record["parts"][0]["sheen"] = "matt"
    text = tmp_path / "newer.toml"
    text.write_text(tomli_w.dumps(record))
    opened = read_job_text(text, told)
    assert opened.settings == {"infill.density": 33.0}
    assert opened.parts[0].copies[0].at == (50.0, 60.0)
    assert opened.version == 1
    (line,) = told
    assert "newer Even Step" in line
    for left_out in ("weather", "parts.0.sheen", "infill.sparkle", "walls.count"):
        assert left_out in line


def test_what_is_damaged_in_a_newer_job_is_still_refused(tmp_path):
    text = tmp_path / "newer.toml"
    text.write_text("version = 7\n[[parts]]\nname='a'\nunit = 'furlong'")
    with pytest.raises(InputError, match="unit"):
        read_job_text(text)


def test_posts_and_marks_are_read_from_text(tmp_path):
    write_stl(tmp_path / "cap.stl", box())
    text = """
[[parts]]
name = "cap"
file = "cap.stl"
[[parts.posts]]
at = [10, 4, 22]
diameter = 3
foot = [14, 4]
[[parts.marks]]
kind = "keep-clear"
near = [10, 4, 22]
crease = 20
"""
    path = tmp_path / "job.toml"
    path.write_text(text)
    (part,) = read_job_text(path).parts
    assert (part.posts[0].foot, part.marks[0].crease, part.marks[0].radius) == ((14.0, 4.0), 20.0, 3.0)
    path.write_text(text.replace("near = [10, 4, 22]\n", ""))
    with pytest.raises(InputError, match=r"job.toml.*near a spot or on facets"):
        read_job_text(path)
    path.write_text(text.replace("keep-clear", "keep_clear"))
    with pytest.raises(InputError, match=r"job.toml.*hold"):
        read_job_text(path)
