"""Edits of settings, of the whole job and of some of its parts alone."""

from __future__ import annotations

from collections.abc import Iterable

from even_step.core.catalogue import checked, find_setting
from even_step.core.job.edits.change import with_part
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of


def with_setting(job: Job, key: str, value: object) -> Job:
    """Change one setting for the job.

    Raises
    ------
    SettingError
        When the catalogue refuses the value.
    """
    return job.with_settings({key: value})


def without_settings(job: Job, keys: Iterable[str]) -> Job:
    """Take changes back, so that what lies under them holds again."""
    gone = {find_setting(key).key for key in keys}
    return job.model_copy(update={"settings": {k: v for k, v in job.settings.items() if k not in gone}})


def with_setting_of_parts(job: Job, parts: Iterable[str], key: str, value: object) -> Job:
    """Change one setting for some parts alone, with all their copies.

    Raises
    ------
    SettingError
        When the catalogue refuses the value, or a part cannot have the setting of its own.
    """
    change = checked({key: value}, "part")
    for part in parts:
        job = with_part(job, part, settings={**part_of(job, part).settings, **change})
    return job


def without_settings_of_parts(job: Job, parts: Iterable[str], keys: Iterable[str]) -> Job:
    """Take changes of some parts back, so that the job's hold for them again."""
    gone = {find_setting(key).key for key in keys}
    for part in parts:
        left = {key: value for key, value in part_of(job, part).settings.items() if key not in gone}
        job = with_part(job, part, settings=left)
    return job
