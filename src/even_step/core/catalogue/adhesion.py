from even_step.core.catalogue.setting import Setting

KIND = Setting(
    "adhesion.kind",
    "Adhesion",
    "choice",
    "skirt",
    "What is laid round the parts first. A skirt is a loop that touches nothing; it gets the plastic flowing.",
    choices=("none", "skirt"),
    level="short",
    synonyms=("prime", "stick", "bed"),
)
SKIRT_LOOPS = Setting(
    "adhesion.skirt_loops",
    "Skirt loops",
    "count",
    1,
    "How many loops the skirt has at least.",
    range=(1, 40),
    step=1,
    level="wider",
    synonyms=("prime",),
)
SKIRT_DISTANCE = Setting(
    "adhesion.skirt_distance",
    "Skirt distance",
    "length",
    4.0,
    "How far the skirt stays off the parts.",
    range=(0.0, 60.0),
    step=0.5,
    level="wider",
    synonyms=("prime", "gap"),
)
SKIRT_LENGTH = Setting(
    "adhesion.skirt_least_length",
    "Skirt length at least",
    "length",
    250.0,
    "Loops are added until the skirt is this long, so that the nozzle is full when the part begins.",
    range=(0.0, 5000.0),
    step=50.0,
    synonyms=("prime", "minimum"),
)
LINE_WIDTH = Setting(
    "adhesion.line_width",
    "Skirt line width",
    "length",
    0.45,
    "How wide the lines of the skirt are.",
    range=(0.1, 4.0),
    step=0.01,
    limit="line_width",
    synonyms=("extrusion",),
)
ALL = (KIND, SKIRT_LOOPS, SKIRT_DISTANCE, SKIRT_LENGTH, LINE_WIDTH)
