"""The figures by which trials are compared, from their reports."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from even_step.core.catalogue.setting import Value

Row = dict[str, Any]


def figures_of(report: Mapping[str, Any]) -> dict[str, float]:
    """Return every figure of a report that is one number, by name; units are in the names, roles behind a point.

    ``stair_largest_mm`` is that of the roughest part.
    """
    ledger = report["ledger"]
    figures = {
        "time_s": report["time_s"],
        "mass_g": sum(used["mass_g"] for used in report["material"]),
        "cost": sum(used["cost"] for used in report["material"]),
        "void_mm2": ledger["void_mm2"],
        "overlap_mm2": ledger["overlap_mm2"],
        "outside_mm2": ledger["outside_mm2"],
        "unsupported_area_mm2": report["unsupported_area_mm2"],
        "contact_area_mm2": report["contact_area_mm2"],
        "support_contact_mm2": report["support_contact_mm2"],
        "retractions": report["retractions"],
        "gap_fill_strokes": report["gap_fill_strokes"],
        "changes_of_extruder": report["changes_of_extruder"],
        "layers": report["layers"]["count"],
        "stair_largest_mm": max((part["stair_largest_mm"] for part in report["parts"]), default=0.0),
    }
    for name, by_role in (("time_s", "time_by_role_s"), ("mass_g", "mass_by_role_g")):
        figures |= {f"{name}.{role}": amount for role, amount in report[by_role].items()}
    return figures


def findings_by_code(report: Mapping[str, Any]) -> dict[str, int]:
    """Return how many findings of each code there are."""
    return dict(sorted(Counter(finding["code"] for finding in report["findings"]).items()))


def row_of(report: Mapping[str, Any], swept: Mapping[str, Value]) -> Row:
    """Return a trial's row in a table: the values that were swept, its figures, and its findings by code."""
    return {**swept, **figures_of(report), "findings": findings_by_code(report)}
