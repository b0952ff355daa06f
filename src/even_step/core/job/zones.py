"""Zones of a part: shapes within which some settings differ.

Places are mm in the part's frame: the file's numbers times its unit, before size and turn, so that zones move, turn and
size with the part.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from even_step.core.catalogue.setting import Value
from even_step.core.job.ids import Id
from even_step.core.job.tables import ZoneSettings
from even_step.core.job.value import FileName, Finite, Frozen, Number, Point
from even_step.core.mesh.mesh import Repair

MOST_ZONES = 1000
LEAST_SIZE, MOST_SIZE = 0.001, 10_000.0  # mm
Size = Annotated[float, Field(ge=LEAST_SIZE, le=MOST_SIZE, allow_inf_nan=False)]


Depth = Annotated[float, Field(ge=0, le=MOST_SIZE, allow_inf_nan=False)]
#: What each shape needs, and what it may have besides.
NEEDS = {
    "box": ("size",),
    "cylinder": ("size",),
    "ball": ("size",),
    "body": ("body",),
    "mesh": ("file",),
    "face": ("near",),
    "backing": ("near", "depth"),
}
MAY_HAVE = {"mesh": ("size",), "face": ("depth", "above")}
OWN = ("size", "body", "file", "near", "depth", "above")
PLACED = ("box", "cylinder", "ball", "mesh")  # the others lie where their face or body does


class Zone(Frozen):
    """A shape over a part, and what holds within it.

    A *box*, *cylinder* or *ball* lies about its ``middle`` with a ``size`` along x, y and z (of a cylinder two
    diameters and a height), turned about x, then y, then z, in degrees; a *mesh* is the ``object`` of a ``file``, its
    numbers taken as mm, stretched to ``size`` where that is given, turned, then moved by ``middle``; a *body* is one of
    the part's own, by its number in the file. A *face* is the surface round each of the spots ``near``, up to folds of
    ``crease`` degrees, carried ``depth`` mm into the part and ``above`` mm out of it; a *backing* is what lies within
    ``depth`` of that surface, full unless its settings say otherwise. ``snap`` moves it, as it stands on the bed, to
    reach from the first layer up or from the last one down, or stretches it to whole layers.
    """

    id: Id = ""
    name: Annotated[str, Field(max_length=200)] = ""
    shape: Literal["box", "cylinder", "ball", "mesh", "body", "face", "backing"]
    middle: Point = (0.0, 0.0, 0.0)
    turn: tuple[Finite, Finite, Finite] = (0.0, 0.0, 0.0)
    size: tuple[Size, Size, Size] | None = None
    file: FileName | None = None
    object: Number = 0
    body: Number | None = None
    near: Annotated[tuple[Point, ...], Field(max_length=100)] = ()
    crease: Annotated[Finite, Field(ge=0, le=180)] = 20.0
    depth: Depth = 0.0
    above: Depth = 0.0
    snap: Literal["none", "layers", "first", "last"] = "none"
    settings: ZoneSettings = {}

    @property
    def title(self) -> str:
        """What it is called."""
        return self.name or self.id

    @property
    def source(self) -> tuple[str, Repair]:
        """The file of its own, and how its meshes are mended."""
        return self.file or "", "winding"

    @property
    def holds(self) -> Mapping[str, Value]:
        """What holds within: its settings, over what its shape brings along."""
        return {"infill.density": 100.0, **self.settings} if self.shape == "backing" else self.settings

    @model_validator(mode="after")
    def _has_what_its_shape_needs(self) -> Self:
        needed, more = NEEDS[self.shape], MAY_HAVE.get(self.shape, ())
        for name in OWN:
            has = getattr(self, name) != type(self).model_fields[name].default
            if (has and name not in needed + more) or (name in needed and not has):
                raise ValueError(f"a {self.shape} needs {', '.join(needed)}" + (f" and takes no {name}" if has else ""))
        if self.shape not in PLACED and (any(self.middle) or any(self.turn)):
            raise ValueError(f"a {self.shape} lies where it lies in the part and takes neither middle nor turn")
        if self.shape == "face" and not self.depth + self.above:
            raise ValueError("a face needs depth or above")
        if self.shape == "backing" and self.snap != "none":
            raise ValueError("a backing follows its face and takes no snap")
        return self
