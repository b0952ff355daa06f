"""Parts with zones, sliced, and their lines by role and layer."""

from __future__ import annotations

import numpy as np
import shapely

from even_step.core.job.zones import Zone
from tests import shapes
from tests.slicing_help import job_of, laid, plain_moves

OPEN = {"top.layers": 0, "bottom.layers": 0, "infill.end_run": 0.0}


def block(x, y, z):
    return shapes.box(x, y, z, at=(x / 2, y / 2, 0))


def zone(middle, size, settings=None, shape="box", **more):
    return Zone(shape=shape, middle=middle, size=size, settings=settings or {}, **more)


def zoned(tmp_path, facets, zones, settings=None, **more):
    job = job_of(shapes.write_stl(tmp_path / "part.stl", facets), OPEN if settings is None else settings, **more)
    return job.model_copy(
        update={"parts": tuple(part.model_copy(update={"zones": tuple(zones)}) for part in job.parts)}
    )


def lines_of(done, size, *roles):
    """Lines of some roles by layer, in the part's frame."""
    found, shift = {}, np.array([110.0 - size[0] / 2, 110.0 - size[1] / 2])
    for move in laid(plain_moves(done.gcode)):
        if move.role in roles:
            found.setdefault(move.layer, []).append((move.start[:2], move.end[:2]))
    return {
        layer: shapely.multilinestrings(shapely.linestrings(np.array(ends) - shift)) for layer, ends in found.items()
    }


def infill_of(done, size):
    return lines_of(done, size, "infill")
