"""Parts of which nothing is printed: too small or too thin for a single line, or set to have none."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding, about_whole


def check(evidence: Evidence) -> list[Finding]:
    """Stop a job that would leave out a whole part."""
    return [
        about_whole(
            part,
            "not-printed",
            "stop",
            f"nothing of {part.title} would be printed",
            "check its unit, its size and whether it has walls or infill, or remove it",
        )
        for part, _ in evidence.first_of_each()
        if evidence.laid_span(part) is None
    ]
