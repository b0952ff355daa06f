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
    "How wide the lines of bottom layers and of the solid inside are.",
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
ALL = (TOP_LAYERS, BOTTOM_LAYERS, TOP_WIDTH, BOTTOM_WIDTH, ANGLE, LEAST_AREA)
