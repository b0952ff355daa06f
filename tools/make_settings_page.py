"""Write ``docs/settings.md`` from the catalogue: ``PYTHONPATH=src python tools/make_settings_page.py``."""

from __future__ import annotations

from pathlib import Path

from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting
from even_step.core.pipeline import stage_of

PAGE = Path(__file__).parents[1] / "docs" / "settings.md"


def row(setting: Setting) -> str:
    """Return a setting's row of the table."""
    reach = ", ".join(setting.choices) if setting.choices else setting.range_text()
    default = f"{setting.default} {setting.unit}".strip()
    return (
        f"| `{setting.key}` | {setting.label} | {default} | {reach} | {setting.level} | {stage_of(setting.key)} "
        f"| {setting.explanation} |"
    )


def page() -> str:
    """Return the whole page."""
    head = (
        "# Settings\n\nMade from the catalogue by `tools/make_settings_page.py`; do not edit. Defaults are the "
        "catalogue's own; machine, material and recipe override them in this order, the job overrides all.\n\n"
        "| key | label | default | range | level | first stage | what it does |\n|---|---|---|---|---|---|---|\n"
    )
    return head + "\n".join(row(setting) for setting in CATALOGUE.values()) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page())
