"""Edits of what a hand put on parts for their supports."""

from __future__ import annotations

from even_step.core.job.by_hand import Post
from even_step.core.job.edits.change import with_part
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of


def with_post(job: Job, part: str, post: Post) -> Job:
    """Put a post to a part."""
    return with_part(job, part, posts=(*part_of(job, part).posts, post))


def without_hand(job: Job, part: str) -> Job:
    """Take away all posts and marks of a part."""
    return with_part(job, part, posts=(), marks=())
