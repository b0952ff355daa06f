"""Bridges: lines over air, held at both ends."""

from even_step.core.catalogue.setting import IN_ZONES, SCOPES, Setting

LONGEST = Setting(
    "bridges.longest",
    "Bridges hold up to",
    "length",
    10.0,
    "How far a line may span over air between two holds. Longer ones are told, and branching infill leaves no wider "
    "gap.",
    range=(0.5, 200.0),
    advised=(2.0, 60.0),
    step=1.0,
    level="wider",
    synonyms=("span", "air", "gap"),
    cost="Too long costs sagging strands.",
    scopes=SCOPES,
)
ANCHOR = Setting(
    "bridges.anchor",
    "Anchor of bridges",
    "length",
    1.2,
    "How far the lines of a bridge lie on what holds them, at both ends.",
    range=(0.0, 20.0),
    advised=(0.4, 4.0),
    step=0.2,
    synonyms=("overlap", "hold", "support"),
    cost="Longer costs a little time.",
    scopes=SCOPES,
)
SPEED = Setting(
    "bridges.speed",
    "Bridge speed",
    "speed",
    30.0,
    "How fast lines are laid over air.",
    range=(1.0, 1000.0),
    step=5.0,
    level="wider",
    limit="speed",
    synonyms=("slow", "air"),
    cost="Faster costs sagging, slower takes longer.",
    scopes=IN_ZONES,
)
FLOW = Setting(
    "bridges.flow",
    "Bridge flow",
    "percent",
    100.0,
    "How much of a full round strand is laid over air. Less pulls the strand taut.",
    range=(50.0, 150.0),
    advised=(80.0, 110.0),
    step=5.0,
    synonyms=("extrusion", "sag", "taut"),
    cost="Less costs strength, more sags.",
    scopes=IN_ZONES,
)
FAN = Setting(
    "bridges.fan",
    "Fan on bridges",
    "percent",
    100.0,
    "How strongly lines over air are cooled.",
    range=(0.0, 100.0),
    step=5.0,
    synonyms=("blower", "air", "cool"),
    cost="More costs bond between layers.",
    scopes=IN_ZONES,
)
ALL = (LONGEST, ANCHOR, SPEED, FLOW, FAN)
