"""Parts laid one by one so close, or so tall, that the head strikes one that stands."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part the first one that the head strikes while it is laid."""
    found: dict[int, Finding] = {}
    head = evidence.job.machine.head
    for standing, laid in evidence.toolpath.courses.strikes:
        one, other = evidence.placed[standing], evidence.placed[laid]
        tall = float(evidence.solids[one.solid].heights.top[-1])
        if tall > head.bar:
            because = f"is {tall:.1f} mm tall, and the bar that carries the head passes {head.bar:g} mm over the nozzle"
            remedy = "lay the parts together, or the tallest last"
        else:
            because = "stands within the reach of the head"
            remedy = "move them apart, change their order, or lay the parts together"
        finding = Finding(
            "head-strikes",
            "stop",
            one.title,
            *evidence.layer_of(other, 0),
            one.at,
            round(tall, 3),
            "mm",
            f"the head strikes {one.title} while {other.title} is laid: {one.title} {because}",
            remedy,
            *one.ids,
        )
        found.setdefault(laid, finding)
    return list(found.values())
