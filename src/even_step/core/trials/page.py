"""A trial on a page: its figures, what was set for it, what was found, its layers; as tables, text and HTML."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape
from itertools import pairwise
from typing import Any

from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Value
from even_step.core.job.differences import value_text
from even_step.core.job.model import Job
from even_step.core.wording import clock, grams, size

BESIDE = 2  # narrow tables, and the pictures before them
BANDS = 10  # of layers, where their heights change more often
SAME = 0.005  # mm: layers that differ by less are as of one height
STYLE = """
body { font-family: B612, sans-serif; color: #23303B; max-width: 46em; margin: 2em auto; }
h1 { font-size: 17pt; } h2 { font-size: 12pt; margin: 1.2em 0 0.3em 0; }
table { border-collapse: collapse; width: 100%; }
td, th { text-align: left; padding: 2px 12px 2px 0; border-bottom: 1px solid #D9D2C3; vertical-align: top; }
th { color: #6E7780; font-weight: normal; } img { max-width: 100%; } .caption { color: #6E7780; }
td.beside { border: none; padding-right: 24px; } table.narrow td { white-space: nowrap; }
"""


@dataclass(frozen=True)
class Table:
    """Rows under a title; ``head`` names the columns where they need it, ``narrow`` ones stand side by side."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    narrow: bool = False


def tables_of(report: Mapping[str, Any], job: Job) -> tuple[Table, ...]:
    """Return what is told of a trial; what its report does not tell, as one kept with a job, is left out."""
    made = (
        Table("Figures", (), tuple(_figures(report)), narrow=True),
        Table("By role", ("role", "time", "mass"), tuple(_roles(report)), narrow=True),
        Table("Layers", ("from, mm", "to", "layers", "height, mm", "time"), tuple(_layers(report)), narrow=True),
        Table("Parts", ("part", "size, mm", "copies"), tuple(_parts(report))),
        Table("Set for this job", ("where", "what"), tuple(_set(job))),
        Table("Findings", ("", "what", "remedy"), tuple(_findings(report))),
    )
    return tuple(table for table in made if table.rows)


def _figures(report: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    used, ledger = report["material"], report.get("ledger", {})
    yield "printing time", clock(report["time_s"])
    if "heat_up_s" in report:
        yield "heating up first", clock(report["heat_up_s"])
    yield "mass", grams(sum(one["mass_g"] for one in used))
    yield "cost", f"{sum(one['cost'] for one in used):.2f}"
    for one in used:
        if "length_mm" in one:
            yield (
                f"{one['name']}, extruder {one.get('extruder', 1)}",
                (f"{one['length_mm'] / 1000:.2f} m, {grams(one['mass_g'])}"),
            )
    yield "machine", report["job"]["machine"]
    yield "recipe", report["job"]["recipe"]
    yield "layers", str(report["layers"]["count"])
    for name, words in (
        ("contact_area_mm2", "contact with the bed"),
        ("unsupported_area_mm2", "unheld"),
        ("support_contact_mm2", "contact with supports"),
    ):
        if name in report:
            yield words, f"{report[name]:.0f} mm²"
    if "void_mm2" in ledger:
        yield "void", f"{ledger['void_mm2']:.1f} mm²"
    for name in ("retractions", "gap_fill_strokes", "changes_of_extruder"):
        if name in report:
            yield name.replace("_", " "), str(report[name])


def _roles(report: Mapping[str, Any]) -> Iterator[tuple[str, str, str]]:
    masses = report["mass_by_role_g"]
    for role, seconds in report["time_by_role_s"].items():
        yield role.replace("-", " "), clock(seconds), grams(masses[role]) if role in masses else ""


def _parts(report: Mapping[str, Any]) -> Iterator[tuple[str, str, str]]:
    for part in report.get("parts", ()):
        yield part["name"], size(tuple(part["size_mm"])), str(len(part["placements"]))


def _set(job: Job) -> Iterator[tuple[str, str]]:
    def told(where: str, settings: Mapping[str, Value]) -> Iterator[tuple[str, str]]:
        each = (f"{CATALOGUE[key].label.lower()} {value_text(CATALOGUE[key], one)}" for key, one in settings.items())
        if settings:
            yield where, ", ".join(each)

    yield from told("whole job", job.settings)
    for part in job.parts:
        yield from told(part.name, part.settings)
        for zone in part.zones:
            yield from told(f"zone {zone.title} of {part.name}", zone.holds)


def _findings(report: Mapping[str, Any]) -> Iterator[tuple[str, str, str]]:
    for one in report["findings"]:
        where = f" ({one['part']}, z {one['z_mm']:.2f} mm)" if one.get("layer", -1) >= 0 else ""
        yield one["severity"], one["message"] + where, one.get("remedy", "")


def _layers(report: Mapping[str, Any]) -> Iterator[tuple[str, str, str, str, str]]:
    """Yield runs of layers of one height, from the bed up; where there are many, bands as high as each other."""
    told = report["layers"]
    if not all(name in told for name in ("z_mm", "height_mm", "time_s")) or not told["z_mm"]:
        return
    tops, heights, times = told["z_mm"], told["height_mm"], told["time_s"]
    ends = [k for k in range(1, len(tops)) if abs(heights[k] - heights[k - 1]) > SAME]
    if len(ends) >= BANDS:
        ends = sorted({bisect_right(tops, tops[-1] * k / BANDS) for k in range(1, BANDS)} - {0, len(tops)})
    for first, end in pairwise([0, *ends, len(tops)]):
        low, high = min(heights[first:end]), max(heights[first:end])
        high_told = f"{low:.2f}" if high - low <= SAME else f"{low:.2f} to {high:.2f}"
        begin = max(0.0, tops[first] - heights[first])
        yield (
            f"{begin:.2f}",
            f"{tops[end - 1]:.2f}",
            str(end - first),
            high_told,
            clock(sum(times[first:end])),
        )


def as_text(title: str, tables: Sequence[Table]) -> str:
    """Return tables as plain text, the columns in line."""
    out = [title]
    for table in tables:
        rows = [table.head, *table.rows] if table.head else list(table.rows)
        wide = [max(len(row[k]) for row in rows) for k in range(len(rows[0]))]
        out += ["", table.title]
        out += ["  " + "  ".join(cell.ljust(wide[k]) for k, cell in enumerate(row)).rstrip() for row in rows]
    return "\n".join(out) + "\n"


def as_html(title: str, tables: Sequence[Table], pictures: Sequence[tuple[str, str]]) -> str:
    """Return a page of its own; ``pictures`` are captions, and where each picture is found."""
    out = [f'<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title>']
    out += [f"<style>{STYLE}</style></head><body><h1>{escape(title)}</h1>"]
    seen = [
        f'<p><img src="{escape(source)}" alt="{escape(caption)}"></p><p class="caption">{escape(caption)}</p>'
        for caption, source in pictures
    ]
    narrow = [*(["".join(seen)] if seen else []), *(_html_of(table) for table in tables if table.narrow)]
    for beside in (narrow[k : k + BESIDE] for k in range(0, len(narrow), BESIDE)):
        cells = "".join(f'<td class="beside" width="{100 // BESIDE}%">{cell}</td>' for cell in beside)
        out.append(f'<table width="100%"><tr>{cells}</tr></table>')
    out += [_html_of(table) for table in tables if not table.narrow]
    out.append("</body></html>\n")
    return "".join(out)


def _html_of(table: Table) -> str:
    def row(cells: Sequence[str], tag: str) -> str:
        return "<tr>" + "".join(f"<{tag}>{escape(cell)}</{tag}>" for cell in cells) + "</tr>"

    head = row(table.head, "th") if table.head else ""
    narrow = ' class="narrow"' if table.narrow else ""
    rows = "".join(row(cells, "td") for cells in table.rows)
    return f'<h2>{escape(table.title)}</h2><table width="100%"{narrow}>{head}{rows}</table>'
