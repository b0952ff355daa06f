"""The machine's own code, with the values of settings filled in."""

from __future__ import annotations

import re

from even_step.core.errors import JobError
from even_step.core.job.cascade import Resolved

PLACE = re.compile(r"\{([a-z_.]+)\}")


def plain(value: object) -> str:
    """Write a value as short as it is exact."""
    return f"{value:g}" if isinstance(value, float) else str(value)


def own_code(template: str, resolved: Resolved) -> str:
    """Fill the machine's own code: ``{heat.bed}`` becomes the setting's value.

    Raises
    ------
    JobError
        When it names a setting that does not exist.
    """

    def fill(found: re.Match[str]) -> str:
        if found[1] not in resolved.values:
            raise JobError(
                f"the machine's own code names {found[1]}, which is no setting",
                subject="machine",
                remedy="mend its start, change or end code",
            )
        return plain(resolved.values[found[1]])

    text = PLACE.sub(fill, template).strip()
    return text + "\n" if text else ""
