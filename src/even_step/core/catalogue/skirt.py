from even_step.core.catalogue.setting import Setting

LOOPS = Setting(
    "skirt.loops",
    "Skirt loops",
    "count",
    1,
    "How many loops are laid round all parts first, touching nothing; they get the plastic flowing. 0 lays none.",
    range=(0, 40),
    step=1,
    level="short",
    synonyms=("prime", "adhesion"),
    renamed_from=("adhesion.skirt_loops",),
    cost="Each costs a few seconds.",
)
DISTANCE = Setting(
    "skirt.distance",
    "Skirt distance",
    "length",
    4.0,
    "How far the skirt stays off the parts.",
    range=(0.0, 60.0),
    step=0.5,
    level="wider",
    synonyms=("prime", "gap"),
    renamed_from=("adhesion.skirt_distance",),
    cost="Farther off costs room on the bed and plastic.",
)
LEAST_LENGTH = Setting(
    "skirt.least_length",
    "Skirt length at least",
    "length",
    250.0,
    "Loops are added until the skirt is this long, so that the nozzle is full when the part begins.",
    range=(0.0, 5000.0),
    step=50.0,
    synonyms=("prime", "minimum"),
    renamed_from=("adhesion.skirt_least_length",),
    cost="Longer costs time and plastic.",
)
LINE_WIDTH = Setting(
    "skirt.line_width",
    "Skirt line width",
    "length",
    0.45,
    "How wide the lines of the skirt are.",
    range=(0.1, 4.0),
    step=0.01,
    limit="line_width",
    synonyms=("extrusion",),
    renamed_from=("adhesion.line_width",),
    cost="Wider costs plastic.",
)
ALL = (LOOPS, DISTANCE, LEAST_LENGTH, LINE_WIDTH)
