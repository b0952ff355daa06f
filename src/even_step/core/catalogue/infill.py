from even_step.core.catalogue.setting import Setting

DENSITY = Setting(
    "infill.density",
    "Infill density",
    "percent",
    15.0,
    "How much of the inside is plastic. More carries more and holds tops better; costs time and grams.",
    range=(0.0, 100.0),
    step=5.0,
    level="short",
    synonyms=("fill", "strength", "weight"),
)
PATTERN = Setting(
    "infill.pattern",
    "Infill pattern",
    "choice",
    "lines",
    "Lines lie across each other from layer to layer and are quickest. A grid crosses in every layer.",
    choices=("lines", "grid"),
    level="short",
    synonyms=("fill", "structure"),
)
ANGLE = Setting(
    "infill.angle",
    "Infill angle",
    "angle",
    45.0,
    "The direction of the infill lines, from the bed's x axis.",
    range=(-180.0, 180.0),
    step=5.0,
    level="wider",
    synonyms=("direction", "rotation"),
)
LINE_WIDTH = Setting(
    "infill.line_width",
    "Infill line width",
    "length",
    0.45,
    "How wide an infill line is. Wider lines are stronger and lie further apart at the same density.",
    range=(0.1, 4.0),
    step=0.01,
    level="wider",
    limit="line_width",
    synonyms=("extrusion",),
)
OVERLAP = Setting(
    "infill.overlap",
    "Infill reaches into the wall",
    "percent",
    10.0,
    "How far infill lines reach into the innermost wall, in percent of a line: the bond between the two.",
    range=(0.0, 60.0),
    advised=(0.0, 35.0),
    step=5.0,
    synonyms=("bond", "encroach"),
)
ALL = (DENSITY, PATTERN, ANGLE, LINE_WIDTH, OVERLAP)
