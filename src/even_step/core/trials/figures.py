"""The figures by which trials are compared, from their reports."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from even_step.core.catalogue.setting import Value

Row = dict[str, Any]
OF_LEDGER = ("void_mm2", "overlap_mm2", "outside_mm2")
PLAIN = (
    "unsupported_area_mm2",
    "contact_area_mm2",
    "support_contact_mm2",
    "retractions",
    "gap_fill_strokes",
    "changes_of_extruder",
)


def figures_of(report: Mapping[str, Any]) -> dict[str, float]:
    """Return every figure of a report that is one number, by name; units are in the names, roles behind a point.

    ``stair_largest_mm`` is that of the roughest part, ``rough_area_mm2`` how much slope shows larger ones than 0.1 mm.
    What a report does not tell is left out: the summary that is kept with a job tells less.
    """
    used, ledger = report["material"], report.get("ledger", {})
    figures = {
        "time_s": report["time_s"],
        "mass_g": sum(one["mass_g"] for one in used),
        "cost": sum(one["cost"] for one in used),
        "layers": report["layers"]["count"],
        **{name: ledger[name] for name in OF_LEDGER if name in ledger},
        **{name: report[name] for name in PLAIN if name in report},
    }
    parts = report.get("parts", ())
    stairs = [part["stair_largest_mm"] for part in parts if "stair_largest_mm" in part]
    figures |= {"stair_largest_mm": max(stairs)} if stairs else {}
    rough = [len(part["placements"]) * part["rough_area_mm2"] for part in parts if "rough_area_mm2" in part]
    figures |= {"rough_area_mm2": sum(rough)} if rough else {}
    for name, by_role in (("time_s", "time_by_role_s"), ("mass_g", "mass_by_role_g")):
        figures |= {f"{name}.{role}": amount for role, amount in report[by_role].items()}
    return figures


def findings_by_code(report: Mapping[str, Any]) -> dict[str, int]:
    """Return how many findings of each code there are."""
    return dict(sorted(Counter(finding["code"] for finding in report["findings"]).items()))


def row_of(report: Mapping[str, Any], swept: Mapping[str, Value]) -> Row:
    """Return a trial's row in a table: the values that were swept, its figures, and its findings by code."""
    return {**swept, **figures_of(report), "findings": findings_by_code(report)}
