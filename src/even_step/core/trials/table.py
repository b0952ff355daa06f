"""Rows of trials as a table that other programs read."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from even_step.core.trials.figures import Row

#: Columns behind the values that were swept; what else a row has comes after them.
COLUMNS = (
    "time_s",
    "mass_g",
    "cost",
    "void_mm2",
    "overlap_mm2",
    "unsupported_area_mm2",
    "contact_area_mm2",
    "support_contact_mm2",
    "retractions",
    "gap_fill_strokes",
    "findings",
)


def as_csv(rows: Sequence[Row], swept: Sequence[str]) -> str:
    """Return a table with the same columns in each row; findings as ``code=count`` words, none as 0."""
    more = dict.fromkeys(name for row in rows for name in row if name not in {*swept, *COLUMNS})
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*swept, *COLUMNS, *more])
    for row in rows:
        told = {**row, "findings": " ".join(f"{code}={count}" for code, count in row["findings"].items())}
        writer.writerow([told.get(name, 0) for name in (*swept, *COLUMNS, *more)])
    return out.getvalue()
