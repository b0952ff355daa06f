"""Round holes and bosses laid with few sides: as drawn, and as they come out, measured in the layers' outlines."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import SlicedSolid
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.true_size import sides_of


def holes_of(solid: SlicedSolid) -> list[dict[str, Any]]:
    """Describe what is laid with few sides in a solid, smallest first.

    Returns
    -------
    list of dict
        ``kind`` hole or boss; ``drawn_mm`` across; ``laid_mm``, the largest circle within a hole or the smallest round
        a boss, over all its layers; ``sides``; ``at_mm``, its middle from the part's; ``from_mm`` and ``to_mm``.
    """
    rounds, found = solid.few_sided.rounds, []
    for one in np.argsort(rounds.across, kind="stable"):
        layers = np.flatnonzero(solid.few_sided.laid[:, one])
        if len(layers) == 0:
            continue
        hole, middle, across = bool(rounds.hole[one]), rounds.middle[one], float(rounds.across[one])
        reach = [_reach(solid.outlines, int(which), middle, across, hole=hole) for which in _kinds(solid, layers)]
        found.append(
            {
                "kind": "hole" if hole else "boss",
                "drawn_mm": across,
                "laid_mm": 2 * (min(reach) if hole else max(reach)),
                "sides": sides_of(across),
                "at_mm": middle.tolist(),
                "from_mm": float(rounds.low[one]),
                "to_mm": float(rounds.high[one]),
            }
        )
    return found


def _kinds(solid: SlicedSolid, layers: NDArray[np.int64]) -> list[int]:
    """Return the different outlines of some layers."""
    return [int(which) for which in np.unique(solid.outlines.which[layers])]


def _reach(outlines: Outlines, which: int, middle: NDArray[np.float64], across: float, *, hole: bool) -> float:
    """Return how far an outline is from the middle of a hole, or reaches from that of a boss, mm."""
    rings = outlines.rings
    reach = []
    for ring in range(outlines.of_outline[which], outlines.of_outline[which + 1]):
        a = rings.xy[rings.start[ring] : rings.start[ring + 1]] - middle
        step = np.roll(a, -1, axis=0) - a
        share = -np.einsum("ij,ij->i", a, step) / np.maximum(np.einsum("ij,ij->i", step, step), 1e-12)
        away = np.hypot(*(a + np.clip(share, 0.0, 1.0)[:, None] * step).T)
        reach.append(float(away.min() if hole else np.hypot(*a.T).max()))
    return min(reach, key=lambda far: abs(far - across / 2))
