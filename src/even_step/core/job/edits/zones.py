"""Edits of the zones of a part."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any, NamedTuple

from even_step.core.catalogue import checked, find_setting
from even_step.core.errors import JobError
from even_step.core.job.edits.change import with_part
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of
from even_step.core.job.value import Point
from even_step.core.job.zones import MOST_ZONES, Zone
from even_step.core.mesh.turning import turn_matrix, turn_of


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
    order = part_of(job, part).zones
    return with_zone_at(job, part, zone, order.index(zone_of(job, part, zone)) + 1)


def with_zone_at(job: Job, part: str, zone: str, place: int) -> Job:
    """Put a zone at a place of the order of its part's."""
    moved = zone_of(job, part, zone)
    order = [one for one in part_of(job, part).zones if one is not moved]
    order.insert(max(0, min(place, len(order))), moved)
    return with_part(job, part, zones=tuple(order))


class ZoneStep(NamedTuple):
    """How a copy of a zone lies to the one before: shifted, mm, and turned about an upright axis, degrees."""

    shift: Point = (0.0, 0.0, 0.0)
    turn: float = 0.0
    about: tuple[float, float] = (0.0, 0.0)

    def of(self, zone: Zone, times: int) -> dict[str, Any]:
        """Return where a copy lies so many steps on."""
        angle = math.radians(times * self.turn)
        x, y = zone.middle[0] - self.about[0], zone.middle[1] - self.about[1]
        turned = x * math.cos(angle) - y * math.sin(angle), x * math.sin(angle) + y * math.cos(angle)
        base = turned[0] + self.about[0], turned[1] + self.about[1], zone.middle[2]
        middle = tuple(round(at + times * by, 6) for at, by in zip(base, self.shift, strict=True))
        turn = turn_of(turn_matrix((0.0, 0.0, times * self.turn)) @ turn_matrix(zone.turn))
        return {"middle": middle, "turn": tuple(round(one, 6) for one in turn)}


def with_zone_in_steps(
    job: Job, part: str, zone: str, count: int, step: ZoneStep, stepped: tuple[str, float] | None = None
) -> Job:
    """Put copies of a zone over it, each one step on; ``stepped`` names a setting and what it is in the last of them.

    Raises
    ------
    JobError
        When there are too few or too many, or the zone has no such setting.
    SettingError
        When the catalogue refuses a value.
    """
    first = zone_of(job, part, zone)
    known = part_of(job, part)
    if not 1 <= count <= MOST_ZONES - len(known.zones):
        raise JobError(f"{count} copies of a zone", subject=first.title, remedy=f"1 to {MOST_ZONES - len(known.zones)}")
    made = []
    for k in range(1, count + 1):
        settings = dict(first.settings)
        if stepped:
            key, last = stepped
            if key not in settings:
                raise JobError(f"has no {key} of its own", subject=first.title, remedy="give it one first")
            value = float(settings[key]) + (last - float(settings[key])) * k / count
            settings |= checked({key: round(value) if find_setting(key).kind == "count" else round(value, 6)}, "zone")
        name = f"{first.title} {k + 1}"
        made.append(first.model_copy(update={"id": "", "name": name, "settings": settings, **step.of(first, k)}))
    at = known.zones.index(first) + 1
    return with_part(job, part, zones=(*known.zones[:at], *made, *known.zones[at:]))


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
