"""Parts of which nothing is printed: too small, too flat or too thin for a single line."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding, about_whole


def check(evidence: Evidence) -> list[Finding]:
    """Stop a job that would leave out a whole part."""
    return [
        about_whole(
            part,
            "not-printed",
            "stop",
            f"nothing of {part.title} is printed: it is smaller than a line or a layer",
            "check its unit and size, or remove it",
        )
        for part, _ in evidence.first_of_each()
        if evidence.laid_span(part) is None
    ]
