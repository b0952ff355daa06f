"""Poses proposed for a part, ranked by what the user weighs most."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.cascade import Resolved, tools_of
from even_step.core.job.model import Job
from even_step.core.mesh.measure import measure
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.poses import PoseCosts, candidates, pose_costs
from even_step.core.mesh.turning import Matrix
from even_step.core.overhang import limits_of

#: What a pose is weighed by, and how much at first.
WEIGHTS: dict[str, float] = {"support": 1.0, "contact": 0.3, "height": 0.3, "step": 0.3, "time": 0.5}
SUPPORT_SHARE = 0.2  # of the room under what hangs is plastic
LAYER_TIME = 2.0  # s that a layer takes beside what it lays
STANDS = 0.02  # of the largest contact there is
SAME = 0.01  # poses that cost so nearly the same are one


@dataclass(frozen=True, eq=False)
class Proposals:
    """Poses with their figures.

    Attributes
    ----------
    matrix : (C, 3, 3) float64
        Rotations from the mesh's frame.
    figures : dict of (C,) float64
        support mm³, contact mm², height mm, step mm (the mean stair of what slopes), time s (rough).
    """

    matrix: NDArray[np.float64]
    figures: dict[str, NDArray[np.float64]]


def proposals(mesh: Mesh, job: Job, resolved: Resolved, most: int = 100) -> Proposals:
    """Work out what the poses worth trying would cost.

    Parameters
    ----------
    mesh
        The part, mm, scaled, in any pose.
    job, resolved
        Whose machine and recipe it would be printed with.
    most
        How many poses to try.
    """
    tries: list[Matrix] = candidates(mesh, most)
    layer = float(resolved.values["layers.first_height"])
    limits = limits_of(float(resolved.values["supports.angle"]), job.machine.overhang_limit)
    costs = pose_costs(mesh, tries, limits, layer)
    return Proposals(costs.matrix, _figures(mesh, costs, job, resolved))


def best_pose(mesh: Mesh, job: Job, resolved: Resolved) -> Matrix:
    """Return the rotation that is proposed first."""
    found = proposals(mesh, job, resolved)
    return np.asarray(found.matrix[ranked(found, WEIGHTS, 1)[0]])


def _figures(mesh: Mesh, costs: PoseCosts, job: Job, resolved: Resolved) -> dict[str, NDArray[np.float64]]:
    """Add the rough time: what is laid at the speed of lines, and what each layer takes beside."""
    values = resolved.values
    height, width = float(values["layers.height"]), float(values["walls.line_width"])
    volume, surface = measure(mesh)
    shell = min(abs(volume), surface * width * float(values["walls.count"]))
    plastic = shell + (abs(volume) - shell) * float(values["infill.density"]) / 100.0
    material = job.materials[min(tools_of(values)["walls"], len(job.materials) - 1)]
    rate = min(float(values["motion.print_speed"]) * width * height, material.flow_limit)
    time = (plastic + SUPPORT_SHARE * costs.support) / rate + LAYER_TIME * costs.height / height
    return {
        "support": costs.support,
        "contact": costs.contact,
        "height": costs.height,
        "step": costs.slope * height,
        "time": time,
    }


def ranked(found: Proposals, weights: Mapping[str, float], most: int = 6) -> list[int]:
    """Return the numbers of the best poses, the best first; of such as cost the same one is enough.

    Each figure counts by where it lies between the least and the largest of all poses, times its weight; much contact
    is good, all else is bad.
    """
    total = np.zeros(len(found.matrix))
    for name, figure in found.figures.items():
        spread = float(np.ptp(figure))
        share = (figure - figure.min()) / spread if spread > 0 else np.zeros(len(figure))
        total += weights.get(name, 0.0) * (1 - share if name == "contact" else share)
    contact = found.figures["contact"]
    total += np.where(contact < STANDS * contact.max(), 10.0, 0.0)  # on an edge or a point nothing stands
    chosen: list[int] = []
    for i in np.argsort(np.round(total, 6), kind="stable").tolist():
        if len(chosen) < most and not any(_same(found, i, other) for other in chosen):
            chosen.append(i)
    return chosen


def _same(found: Proposals, a: int, b: int) -> bool:
    return all(
        abs(figure[a] - figure[b]) <= SAME * max(abs(figure[a]), abs(figure[b]), float(figure.max()) * SAME)
        for figure in found.figures.values()
    )
