"""Two trials compared: the settings that differ, their figures side by side, findings gained and lost."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from even_step.core.trials.figures import figures_of

#: A finding that says the same of the same: code, part, zone.
Same = tuple[str, str, str]
OF_JOB = "job"


@dataclass(frozen=True)
class Compared:
    """One side of a comparison.

    Attributes
    ----------
    settings : {(scope, key): value}
        What was set: scope is ``job``, the name of a part, or ``zone NAME of PART``.
    figures : {name: number}
    findings : list of records
        As in a report.
    """

    settings: Mapping[tuple[str, str], Any]
    figures: Mapping[str, float]
    findings: Sequence[Mapping[str, Any]] = field(default=())


def side_of(report: Mapping[str, Any]) -> Compared:
    """Return the side that a report is."""
    job = report["job"]
    settings: dict[tuple[str, str], Any] = {(OF_JOB, key): job[key] for key in ("machine", "materials", "recipe")}
    settings |= {(OF_JOB, key): value for key, value in job["changed"].items()}
    for name, part in _named(report["parts"]):
        settings |= {(name, key): value for key, value in part.get("changed", {}).items()}
        for number, zone in enumerate(part.get("zones", ()), 1):
            scope = f"zone {zone['name'] or number} of {name}"
            settings |= {(scope, key): value for key, value in zone["changed"].items()}
    return Compared(settings, figures_of(report), report["findings"])


def _named(parts: Sequence[Mapping[str, Any]]) -> Iterator[tuple[str, Mapping[str, Any]]]:
    """Give parts with their names, numbered where two have the same."""
    many = Counter(part["name"] for part in parts)
    seen: Counter[str] = Counter()
    for part in parts:
        name = part["name"]
        seen[name] += 1
        yield (f"{name} ({seen[name]})" if many[name] > 1 else name), part


def compare(a: Compared, b: Compared) -> dict[str, Any]:
    """Return what differs as a record that JSON can hold; of a trial and itself that is nothing.

    Returns
    -------
    dict
        ``settings``: scope, key and both values, ``null`` where a side does not set it. ``figures``: by name, both and
        the difference. ``same``: figures in which they agree. ``findings``: those ``gained`` and ``lost`` from the
        first to the second.
    """
    keys = sorted({*a.settings, *b.settings})
    pairs = [(scope, key, a.settings.get((scope, key)), b.settings.get((scope, key))) for scope, key in keys]
    # A role that only one of them lays is none of the other; what one side does not tell cannot be compared.
    roles = {name for name in {*a.figures, *b.figures} if "." in name and name.partition(".")[0] in _told(a, b)}
    names = [name for name in {**a.figures, **b.figures} if name in roles or (name in a.figures and name in b.figures)]
    told = {name: (a.figures.get(name, 0.0), b.figures.get(name, 0.0)) for name in names}
    return {
        "settings": [{"scope": scope, "key": key, "a": was, "b": now} for scope, key, was, now in pairs if was != now],
        "figures": {
            name: {"a": was, "b": now, "difference": now - was} for name, (was, now) in told.items() if was != now
        },
        "same": {name: was for name, (was, now) in told.items() if was == now},
        "findings": {"gained": _beyond(b.findings, a.findings), "lost": _beyond(a.findings, b.findings)},
    }


def _told(a: Compared, b: Compared) -> set[str]:
    """Return which figures both sides tell by role."""
    by_role = [{name.partition(".")[0] for name in side.figures if "." in name} for side in (a, b)]
    return by_role[0] & by_role[1]


def _beyond(findings: Sequence[Mapping[str, Any]], others: Sequence[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """Return the findings that others do not have, by what they say of what."""
    left = Counter(map(_same, others))
    beyond = []
    for finding in findings:
        if left[_same(finding)] > 0:
            left[_same(finding)] -= 1
        else:
            beyond.append(finding)
    return beyond


def _same(finding: Mapping[str, Any]) -> Same:
    return finding["code"], finding["part"], finding.get("zone", "")
