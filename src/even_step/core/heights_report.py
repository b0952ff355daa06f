"""The heights of a part's layers: which are in use, with layers and time of each, and how rough its slopes come out."""

from __future__ import annotations

from typing import Any

import numpy as np

from even_step.core.catalogue.layers import HEIGHT
from even_step.core.findings.finding import SlicedSolid
from even_step.core.pipeline import Sliced
from even_step.core.slicing.stairs import BANDS, even_stairs, stairs_of
from even_step.core.slicing.surface import facets_of


def heights_of(sliced: Sliced, first: int, copies: int) -> dict[str, Any]:
    """Describe the layers of a part.

    Parameters
    ----------
    first, copies
        The number of its first copy on the bed, and how many it has.

    Returns
    -------
    dict
        ``heights``: of each height in use, to 1 µm, in mm, how many layers of a copy have it and what all copies' lines
        in these take, s. ``stair_mean_mm`` (by area) and ``stair_largest_mm``: what its slopes show. ``stair_areas``:
        how much of them shows stairs up to so much (``to_mm``, none for the rest), now and if all layers were as thick
        as ``layers.height`` says, mm²; ``rough_area_mm2`` and ``rough_even_area_mm2``: how much shows larger ones than
        0.1 mm, so and so. Where layers follow the surface, ``finer_from_deg`` and ``finest_from_deg``: the slopes, from
        upright, from which on they are thinner than the thickest in use, and as thin as the thinnest.
    """
    solid, path, plan = sliced.solids[sliced.placed[first].solid], sliced.toolpath, sliced.plan
    mine = (path.part >= first) & (path.part < first + copies) & (path.own >= 0)
    took = (plan.way_time + plan.path_time)[mine]
    each = np.bincount(path.own[mine], took, len(solid.heights.thick))
    high, which, count = np.unique(np.round(solid.heights.thick, 3), return_inverse=True, return_counts=True)
    time = np.bincount(which.ravel(), each, len(high))
    rows = zip(high.tolist(), count.tolist(), time.tolist(), strict=True)
    facets = facets_of(solid.mesh)
    stairs, even = stairs_of(facets, solid.heights), even_stairs(facets, float(solid.settings[HEIGHT.key]))
    areas = zip((*BANDS, None), stairs.areas, even.areas, strict=True)
    return {
        "heights": [{"height_mm": height, "layers": layers, "time_s": spent} for height, layers, spent in rows],
        "stair_mean_mm": stairs.mean,
        "stair_largest_mm": stairs.largest,
        "rough_area_mm2": stairs.rough,
        "rough_even_area_mm2": even.rough,
        "stair_areas": [{"to_mm": to, "area_mm2": now, "even_area_mm2": was} for to, now, was in areas],
        **_slopes(solid),
    }


def _slopes(solid: SlicedSolid) -> dict[str, float]:
    """Return the slopes at which heights change, degrees: a layer of height h leaves a stair of h times the sine."""
    thick = solid.heights.thick[1:]
    if not solid.settings["layers.follow_surface"] or len(thick) == 0:
        return {}
    stair = float(solid.settings["layers.stair_step"])
    ends = (("finer_from_deg", float(thick.max())), ("finest_from_deg", float(thick.min())))
    return {name: float(np.degrees(np.arcsin(min(1.0, stair / high)))) for name, high in ends}
