"""Parts whose last layers hold no line, so that they come out lower than they are."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding, to_bed
from even_step.core.plane import region


def check(evidence: Evidence) -> list[Finding]:
    """Find parts whose tip is too thin for any line."""
    found = []
    for part, solid in evidence.first_of_each():
        span = evidence.laid_span(part)
        count = len(solid.outlines.which)
        if span is None or span[1] >= count - 1:
            continue  # of what holds no line at all the widest place is told
        last = span[1]
        lost = float(solid.heights.top[-1] - solid.heights.top[last])
        middle = region.centres(solid.outlines.outline[solid.outlines.which[last + 1 : last + 2]])[0]
        at = to_bed(part, middle) if middle[0] == middle[0] else part.at
        found.append(
            Finding(
                "too-thin",
                "warn",
                part.title,
                *evidence.layer_of(part, last + 1),
                at,
                round(lost, 3),
                "mm",
                f"the top {lost:.2f} mm of {part.title} are too thin for any line and are left out",
                "one line where too thin, a finer nozzle, or a blunter tip",
                *part.ids,
            )
        )
    return found
