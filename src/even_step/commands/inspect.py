"""``info``, ``check``, ``settings`` and ``list``: commands that only look, and answer in JSON."""

from __future__ import annotations

import argparse
import dataclasses
from pathlib import Path
from typing import Any

from even_step.commands.job_options import print_json
from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting
from even_step.core.job.model import Machine, Material, Recipe
from even_step.core.job.shipped import find, shipped
from even_step.core.mesh.measure import measure
from even_step.core.mesh.mesh import Model
from even_step.core.mesh.read.model import read_model
from even_step.core.mesh.units import proposed_unit
from even_step.core.motion.check import check_gcode
from even_step.core.pipeline import stage_of

KINDS: dict[str, Any] = {"machines": Machine, "materials": Material, "recipes": Recipe}


def add_to(commands: Any) -> None:
    """Declare the commands."""
    info = commands.add_parser("info", help="what is in a model file")
    info.add_argument("files", nargs="+", metavar="FILE")
    info.set_defaults(run=lambda chosen: _say([_file(Path(path)) for path in chosen.files]))
    check = commands.add_parser("check", help="read G-code back and measure it")
    check.add_argument("file", metavar="OUT.gcode")
    check.add_argument("--machine", metavar="NAME|FILE", help="whose limits; the file's own head when left out")
    check.set_defaults(run=_check)
    settings = commands.add_parser("settings", help="every setting")
    settings.set_defaults(computes=False, run=lambda _: _say([_setting(setting) for setting in CATALOGUE.values()]))
    names = commands.add_parser("list", help="what ships with the program")
    names.add_argument("what", choices=tuple(KINDS))
    names.set_defaults(computes=False, run=lambda chosen: _say(list(shipped(KINDS[chosen.what]))))


def _say(record: object) -> int:
    print_json(record)
    return 0


def _check(chosen: argparse.Namespace) -> int:
    machine = find(Machine, chosen.machine) if chosen.machine else None
    return _say(dataclasses.asdict(check_gcode(Path(chosen.file), machine)))


def _file(path: Path) -> dict[str, Any]:
    return {"file": str(path), "parts": [_part(model) for model in read_model(path)]}


def _part(model: Model) -> dict[str, Any]:
    mesh = model.merged()
    low, high = mesh.bounds
    volume, area = measure(mesh)
    return {
        "name": model.name,
        "bodies": [{"name": body.name, "triangles": len(body.mesh.faces)} for body in model.bodies],
        "triangles": model.triangles,
        "volume_mm3": volume,
        "area_mm2": area,
        "size_mm": [float(side) for side in high - low],
        "bounds_mm": [low.tolist(), high.tolist()],
        "unit": model.unit,
        "unit_proposed": proposed_unit(model),
        "closed": model.closed,
        "repairs": list(model.repairs),
        "warnings": list(model.warnings),
    }


def _setting(setting: Setting) -> dict[str, Any]:
    return {
        "key": setting.key,
        "label": setting.label,
        "group": setting.group,
        "type": setting.type,
        "unit": setting.unit,
        "range": setting.range,
        "choices": setting.choices or None,
        "default": setting.default,
        "scopes": setting.scopes,
        "level": setting.level,
        "stage": stage_of(setting.key),
        "explanation": setting.explanation,
    }
