"""Whose settings the recipe's sheet shows: the whole job's, or those of some parts, or of one's zone, alone."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from even_step.app.store import Change, JobStore
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.errors import SettingError
from even_step.core.job import edits
from even_step.core.job.cascade import Resolved, cascade, complaints
from even_step.core.job.model import Job, Part
from even_step.core.job.zones import Zone


class Whose(QObject):
    """The parts whose own settings are shown, by their ids; none for the whole job's; of one, perhaps a zone's.

    Of several parts the values of the last are shown, and an edit changes all of them.
    """

    changed = Signal()

    def __init__(self, store: JobStore, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._store = store
        self.parts: tuple[str, ...] = ()
        self.zone = ""
        self._known: tuple[Job, tuple[str, ...], str, list[Resolved]] | None = None
        self._wrong: tuple[Resolved, dict[str, SettingError]] | None = None
        store.changed.connect(self._drop_what_is_gone)

    def choose(self, parts: tuple[str, ...], zone: str = "") -> None:
        """Show the settings of some parts, or of a zone of one; of the whole job, if none."""
        if (parts, zone) != (self.parts, self.zone):
            self.parts, self.zone = parts, zone
            self.changed.emit()

    def _drop_what_is_gone(self, change: Change) -> None:
        if self.parts and change.touches("parts"):
            there = {part.id: part for part in change.new.parts}
            left = tuple(part for part in self.parts if part in there)
            known = any(zone.id == self.zone for part in left for zone in there[part].zones)
            self.choose(left, self.zone if known else "")

    @property
    def _here(self) -> list[Part]:
        """The parts that there still are, in the order they were chosen."""
        there = {part.id: part for part in self._store.job.parts}
        return [there[part] for part in self.parts if part in there]

    @property
    def _zones(self) -> list[Zone]:
        """The zone that is shown, if one is."""
        return [zone for part in self._here for zone in part.zones if zone.id == self.zone]

    @property
    def zone_title(self) -> str:
        """What the zone that is shown is called."""
        return next((zone.title for zone in self._zones), "")

    @property
    def zones_within(self) -> list[Zone]:
        """The zones of the parts that are shown, or of all, but for one that is shown itself."""
        return [] if self.zone else [zone for part in self._here or self._store.job.parts for zone in part.zones]

    @property
    def name(self) -> str:
        """Whose settings are shown, in words."""
        names = [part.name for part in self._here]
        if self.zone:
            return f"zone {self.zone_title} of {names[0]}"
        if not names:
            return "the whole job"
        return names[0] if len(names) == 1 else f"{len(names)} parts"

    @property
    def told(self) -> str:
        """How many copies the settings of a part hold for; nothing where that needs no words."""
        copies = sum(len(part.copies) for part in self._here)
        return f"for all {copies} copies" if copies > 1 else ""

    @property
    def _all(self) -> list[Resolved]:
        job = self._store.job
        if self._known is None or self._known[0] is not job or self._known[1:3] != (self.parts, self.zone):
            found = [cascade(job, part, zones=self._zones) for part in self._here]
            self._known = job, self.parts, self.zone, found or [cascade(job)]
        return self._known[3]

    @property
    def resolved(self) -> Resolved:
        """What holds, and where it comes from."""
        return self._all[-1]

    @property
    def complaints(self) -> dict[str, SettingError]:
        """What is wrong with values, by key."""
        resolved = self.resolved
        if self._wrong is None or self._wrong[0] is not resolved:
            self._wrong = resolved, complaints(self._store.job, resolved)
        return self._wrong[1]

    @property
    def _scope(self) -> str:
        return "zone" if self.zone else "part" if self.parts else "job"

    def has(self, setting: Setting) -> bool:
        """Whether a setting can be set here."""
        return self._scope in setting.scopes or (self._scope == "job" and setting.scopes != ("zone",))

    def differs(self, key: str) -> bool:
        """Whether the parts have different values."""
        return any(one.values[key] != self.resolved.values[key] for one in self._all)

    def is_own(self, key: str) -> bool:
        """Whether a value was set here."""
        return any(one.origin[key] == self._scope for one in self._all)

    @property
    def own(self) -> list[str]:
        """The keys of all that was set here."""
        return [key for key in self.resolved.origin if self.is_own(key)]

    def under(self, key: str) -> Value:
        """Return the value that would hold without what was set here."""
        if self.zone:
            return cascade(self._store.job, self._here[0]).values[key]
        if self.parts:
            return cascade(self._store.job).values[key]
        return self.resolved.under[key] if self.is_own(key) else self.resolved.values[key]

    def elsewhere(self, key: str) -> list[str]:
        """Return the names of parts that do not follow the whole job's value, while that is shown."""
        return [] if self.parts else [part.name for part in self._store.job.parts if key in part.settings]

    def set(self, key: str, value: object) -> Callable[[Job], Job]:
        """Return the edit that sets a value here."""
        parts, zone = self.parts, self.zone
        if zone:
            return lambda job: edits.with_setting_of_zone(job, parts[0], zone, key, value)
        if not parts:
            return lambda job: edits.with_setting(job, key, value)
        return lambda job: edits.with_setting_of_parts(job, parts, key, value)

    def take_back(self, keys: list[str]) -> Callable[[Job], Job]:
        """Return the edit that takes back what was set here."""
        parts, zone = self.parts, self.zone
        if zone:
            return lambda job: edits.without_settings_of_zone(job, parts[0], zone, keys)
        if not parts:
            return lambda job: edits.without_settings(job, keys)
        return lambda job: edits.without_settings_of_parts(job, parts, keys)
