"""Type: B612, shipped with the program; one size for reading, one for marks, one for titles."""

from __future__ import annotations

from PySide6.QtGui import QFont, QFontDatabase

from even_step.core.job.shipped import DATA

FAMILY = "B612"
BODY, MARK, TITLE = 13, 11, 17  # px


def load_fonts() -> None:
    """Make the shipped fonts known to Qt."""
    for path in sorted((DATA / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


def font(size: int = BODY, *, bold: bool = False) -> QFont:
    """Return the program's font in a size in pixels."""
    made = QFont(FAMILY)
    made.setPixelSize(size)
    made.setBold(bold)
    return made
