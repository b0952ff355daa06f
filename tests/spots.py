"""Copies and parts of a job by where they stand in it, as tests speak of them."""

from even_step.core.job.spots import Spot


def nth_part(job, number=0):
    """Return the id of a part."""
    return job.parts[number].id


def nth_spot(job, number=0, copy=0):
    """Return the spot of a copy of a part."""
    return Spot(nth_part(job, number), job.parts[number].copies[copy].id)
