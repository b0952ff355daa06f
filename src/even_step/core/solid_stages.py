"""All stages of solids and of their copies: what is made once for all that is laid alike, then for each turn of it."""

from even_step.core.line_stages import BLOCKS, COVERS, INFILL, LEDGER, TURNS_FROM, WALLS, WALLS_BY_RECORD
from even_step.core.outline_stages import CONTOURS, FOOTPRINTS, HANGING, HEIGHTS, ISLANDS, REGIONS, ROUNDED
from even_step.core.support_stages import (
    BODY,
    COLUMNS,
    FOOT,
    HELD,
    REMOVAL,
    RESTING,
    SLIMNESS,
    SPARED,
    SUPPORTS,
    SWAY,
    UNDERSIDES,
)

STAGES_OF_PARTS = (
    *(HEIGHTS, HANGING, CONTOURS, ROUNDED, REGIONS, FOOTPRINTS, TURNS_FROM, WALLS_BY_RECORD, WALLS, COVERS),
    *(
        ISLANDS,
        UNDERSIDES,
        SPARED,
        COLUMNS,
        BODY,
        SUPPORTS,
        HELD,
        SLIMNESS,
        RESTING,
        REMOVAL,
        SWAY,
        FOOT,
        INFILL,
        BLOCKS,
        LEDGER,
    ),
)
