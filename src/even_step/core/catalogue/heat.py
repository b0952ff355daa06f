from even_step.core.catalogue.setting import FOR_ALL, IN_ZONES, SCOPES, Setting

NOZZLE = Setting(
    "heat.nozzle",
    "Nozzle temperature",
    "temperature",
    210.0,
    "How hot the nozzle is after the first layer. Hotter bonds layers better, and strings more. A zone is heard in "
    "layers that lie wholly in it.",
    range=(120.0, 500.0),
    step=5.0,
    level="short",
    scopes=(*FOR_ALL, "zone"),
    limit="nozzle_temperature",
    synonyms=("hotend", "heat"),
    cost="Hotter costs strings, cooler costs strength.",
)
FIRST_NOZZLE = Setting(
    "heat.first_nozzle",
    "First layer nozzle",
    "temperature",
    215.0,
    "How hot the nozzle is for the first layer.",
    range=(120.0, 500.0),
    step=5.0,
    limit="nozzle_temperature",
    synonyms=("initial", "heat"),
    cost="Hotter costs sharpness at the bed.",
)
IDLE = Setting(
    "heat.idle_nozzle",
    "Waiting nozzle",
    "temperature",
    160.0,
    "How hot a nozzle is kept while another lays. It is warmed again in time for its turn.",
    range=(0.0, 500.0),
    step=5.0,
    limit="nozzle_temperature",
    synonyms=("standby", "second nozzle", "ooze"),
    cost="Cooler oozes less and takes longer to warm.",
)
BED = Setting(
    "heat.bed",
    "Bed temperature",
    "temperature",
    60.0,
    "How warm the bed is kept; 0 leaves it cold. With several materials it is as the one that wants it warmest.",
    range=(0.0, 200.0),
    step=5.0,
    level="wider",
    limit="bed_temperature",
    synonyms=("plate", "heat"),
    cost="Warmer costs power and time to heat up.",
)
FAN = Setting(
    "cooling.fan",
    "Cooling fan",
    "percent",
    100.0,
    "How strongly fresh plastic is cooled. More gives sharper overhangs and weaker bonds between layers.",
    range=(0.0, 100.0),
    step=5.0,
    level="wider",
    synonyms=("blower", "air"),
    cost="More costs strength, less costs sharpness.",
    scopes=IN_ZONES,
)
FAN_FROM_LAYER = Setting(
    "cooling.fan_from_layer",
    "Fan from layer",
    "count",
    1,
    "The first layer that is cooled, counted from 0. The ones below stay warm to stick to the bed.",
    range=(0, 1000),
    step=1,
    synonyms=("blower", "first"),
    cost="Later costs sharp overhangs near the bed.",
    scopes=SCOPES,
)
LEAST_LAYER_TIME = Setting(
    "cooling.least_layer_time",
    "Layer time at least",
    "time",
    6.0,
    "A layer that would be done sooner is laid more slowly, so that it can set before the part's next. A layer thinner "
    "than the usual height brings less heat and is given less time in proportion.",
    range=(0.0, 300.0),
    step=1.0,
    level="wider",
    synonyms=("cool", "slow", "small", "minimum"),
    cost="Longer costs time on small layers.",
    scopes=SCOPES,
)
LEAST_SPEED = Setting(
    "cooling.least_speed",
    "But no slower than",
    "speed",
    10.0,
    "The slowest a layer may become for the sake of its time.",
    range=(1.0, 200.0),
    step=1.0,
    limit="speed",
    synonyms=("floor", "minimum"),
    cost="Lower takes longer, higher leaves small layers soft.",
)
ALL = (NOZZLE, FIRST_NOZZLE, IDLE, BED, FAN, FAN_FROM_LAYER, LEAST_LAYER_TIME, LEAST_SPEED)
