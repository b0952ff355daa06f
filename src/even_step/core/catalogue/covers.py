from even_step.core.catalogue.setting import Setting

TOP_LAYERS = Setting(
    "top.layers",
    "Top layers",
    "count",
    4,
    "How many full layers close a part upward. Too few show the infill through; 0 leaves it open.",
    range=(0, 200),
    advised=(0, 12),
    step=1,
    level="short",
    synonyms=("roof", "ceiling", "solid", "skin"),
)
BOTTOM_LAYERS = Setting(
    "bottom.layers",
    "Bottom layers",
    "count",
    3,
    "How many full layers close a part downward. 0 leaves it open.",
    range=(0, 200),
    advised=(0, 12),
    step=1,
    level="short",
    synonyms=("floor", "solid", "skin"),
)
TOP_WIDTH = Setting(
    "top.line_width",
    "Top line width",
    "length",
    0.45,
    "How wide the lines of the topmost layer are.",
    range=(0.1, 4.0),
    step=0.01,
    limit="line_width",
    synonyms=("extrusion",),
)
BOTTOM_WIDTH = Setting(
    "bottom.line_width",
    "Bottom line width",
    "length",
    0.45,
    "How wide the lines of the lowest layer are.",
    range=(0.1, 4.0),
    step=0.01,
    limit="line_width",
    synonyms=("extrusion",),
)
ANGLE = Setting(
    "top.angle",
    "Angle of full layers",
    "angle",
    45.0,
    "The direction of the lines in full layers. Each layer is laid across the one below.",
    range=(-180.0, 180.0),
    step=5.0,
    synonyms=("direction", "rotation"),
)
LEAST_AREA = Setting(
    "top.least_area",
    "Fill slivers under",
    "area",
    1.0,
    "Pieces of infill smaller than this are laid solid, for a few stray lines hold nothing.",
    range=(0.0, 400.0),
    step=0.5,
    synonyms=("sliver", "threshold", "minimum"),
)
PATTERNS = (
    "lines",
    "concentric",
    "hilbert",
    "star-spiral",
    "grid",
    "triangles",
    "star",
    "cubic",
    "honeycomb",
    "gyroid",
)
TOP_THICKNESS = Setting(
    "top.thickness",
    "Top at least",
    "length",
    0.0,
    "So thick is a closed top at least, whatever the layer height; the count above holds when it gives more.",
    range=(0.0, 50.0),
    advised=(0.0, 3.0),
    step=0.2,
    level="wider",
    synonyms=("roof", "solid", "skin"),
)
BOTTOM_THICKNESS = Setting(
    "bottom.thickness",
    "Bottom at least",
    "length",
    0.0,
    "So thick is a closed bottom at least, whatever the layer height.",
    range=(0.0, 50.0),
    advised=(0.0, 3.0),
    step=0.2,
    level="wider",
    synonyms=("floor", "solid", "skin"),
)
TOP_PATTERN = Setting(
    "top.pattern",
    "Top pattern",
    "choice",
    "lines",
    "How the lines of the topmost layer lie. Lines are laid one beside the other for an even sheen; concentric follows "
    "the outline; the Hilbert curve and the star spiral are ornaments; crossing patterns lie uneven on purpose.",
    choices=PATTERNS,
    level="wider",
    synonyms=("monotonic", "surface", "finish", "ornament"),
)
BOTTOM_PATTERN = Setting(
    "bottom.pattern",
    "Bottom pattern",
    "choice",
    "lines",
    "How the lines of the lowest layer lie.",
    choices=PATTERNS,
    level="wider",
    synonyms=("surface", "finish", "ornament"),
)
SOLID_WIDTH = Setting(
    "top.solid_line_width",
    "Inside full line width",
    "length",
    0.45,
    "How wide the lines of full layers are that no one sees.",
    range=(0.1, 4.0),
    step=0.01,
    limit="line_width",
    synonyms=("extrusion", "solid"),
)
ALL = (
    TOP_LAYERS,
    TOP_THICKNESS,
    BOTTOM_LAYERS,
    BOTTOM_THICKNESS,
    TOP_PATTERN,
    BOTTOM_PATTERN,
    TOP_WIDTH,
    BOTTOM_WIDTH,
    SOLID_WIDTH,
    ANGLE,
    LEAST_AREA,
)
