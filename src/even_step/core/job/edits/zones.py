"""Edits of the zones of a part."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from even_step.core.catalogue import checked, find_setting
from even_step.core.errors import JobError
from even_step.core.job.edits.change import with_part
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of
from even_step.core.job.zones import Zone


def zone_of(job: Job, part: str, zone: str) -> Zone:
    """Return a zone of a part.

    Raises
    ------
    JobError
        When the part has none of this id.
    """
    known = part_of(job, part)
    for one in known.zones:
        if one.id == zone:
            return one
    raise JobError(f"has no zone {zone}", subject=known.name)


def with_zone(job: Job, part: str, zone: Zone) -> Job:
    """Give a part a zone, over those it has."""
    return with_part(job, part, zones=(*part_of(job, part).zones, zone))


def with_zone_changed(job: Job, part: str, zone: str, **changes: Any) -> Job:
    """Change what a zone is: its shape, place, size, name or settings."""
    made = zone_of(job, part, zone).model_copy(update=changes)
    return with_part(job, part, zones=tuple(made if one.id == zone else one for one in part_of(job, part).zones))


def without_zone(job: Job, part: str, zone: str) -> Job:
    """Take a zone away."""
    return with_part(job, part, zones=tuple(one for one in part_of(job, part).zones if one.id != zone))


def with_zone_over(job: Job, part: str, zone: str) -> Job:
    """Lay a zone over the one that follows it, so that it wins; the last stays."""
    order = list(part_of(job, part).zones)
    at = order.index(zone_of(job, part, zone))
    order.insert(min(at + 1, len(order) - 1), order.pop(at))
    return with_part(job, part, zones=tuple(order))


def with_setting_of_zone(job: Job, part: str, zone: str, key: str, value: object) -> Job:
    """Change one setting within a zone.

    Raises
    ------
    SettingError
        When the catalogue refuses the value, or it cannot differ within a part.
    """
    settings = {**zone_of(job, part, zone).settings, **checked({key: value}, "zone")}
    return with_zone_changed(job, part, zone, settings=settings)


def without_settings_of_zone(job: Job, part: str, zone: str, keys: Iterable[str]) -> Job:
    """Take changes of a zone back, so that what its part has holds there again."""
    gone = {find_setting(key).key for key in keys}
    left = {key: value for key, value in zone_of(job, part, zone).settings.items() if key not in gone}
    return with_zone_changed(job, part, zone, settings=left)
