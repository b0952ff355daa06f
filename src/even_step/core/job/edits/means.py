"""Edits of what the job is printed with and in which order: the machine, its materials, the recipe."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from even_step.core.errors import JobError
from even_step.core.job.edits.places import moved
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.spots import spots_of


def on_machine(job: Job, machine: Machine) -> Job:
    """Put the job on another machine; parts keep their place from the middle of the bed."""
    shift = np.subtract(machine.bed.centre, job.machine.bed.centre)
    materials = job.materials[: len(machine.extruders)]
    moved_job = moved(job, spots_of(job), (float(shift[0]), float(shift[1])))
    return moved_job.model_copy(update={"machine": machine, "materials": materials})


def with_material(job: Job, extruder: int, material: Material | None) -> Job:
    """Load a material into an extruder; none empties the last one.

    Raises
    ------
    JobError
        When the machine has no such extruder, or an extruder before it would be empty.
    """
    if extruder >= len(job.machine.extruders) or extruder > len(job.materials):
        raise JobError(f"has no extruder {extruder + 1} to load", subject=job.machine.name)
    materials = list(job.materials)
    if material is None:
        del materials[max(1, extruder) :]
    elif extruder == len(materials):
        materials.append(material)
    else:
        materials[extruder] = material
    return job.model_copy(update={"materials": tuple(materials)})


def with_recipe(job: Job, recipe: Recipe) -> Job:
    """Follow another recipe; what the job itself changed stays changed."""
    return job.model_copy(update={"recipe": recipe})


def in_order(job: Job, parts: Iterable[str]) -> Job:
    """Lay parts one by one in an order; those it leaves out come after, in the safest one."""
    there = {part.id for part in job.parts}
    return job.model_copy(update={"order": tuple(part for part in parts if part in there)})
