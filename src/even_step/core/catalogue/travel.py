from even_step.core.catalogue.setting import Setting

RETRACT_LENGTH = Setting(
    "travel.retract_length",
    "Retraction length",
    "length",
    1.0,
    "How much filament is drawn back before a travel move, so that nothing oozes. 0 draws none back.",
    range=(0.0, 20.0),
    advised=(0.0, 8.0),
    step=0.1,
    level="wider",
    synonyms=("stringing", "ooze", "pull"),
    cost="More costs time and wears the filament.",
)
RETRACT_SPEED = Setting(
    "travel.retract_speed",
    "Retraction speed",
    "speed",
    35.0,
    "How fast filament is drawn back and returned.",
    range=(1.0, 200.0),
    step=5.0,
    synonyms=("stringing", "ooze"),
    cost="Faster can grind the filament.",
)
RETRACT_FROM = Setting(
    "travel.retract_from",
    "Retract from",
    "length",
    2.0,
    "Shorter travel moves are made without drawing filament back.",
    range=(0.0, 100.0),
    step=0.5,
    synonyms=("minimum", "stringing", "distance"),
    cost="Longer costs strings, shorter costs time.",
)
INSIDE = Setting(
    "travel.inside",
    "Travel inside the part",
    "switch",
    True,
    "Ways between two lines stay inside the part where that costs little, and need no retraction there: fewer strings "
    "and scars outside.",
    level="wider",
    synonyms=("avoid", "crossing", "stringing", "outline"),
    cost="It costs a little travel.",
)
WAY_ROUND = Setting(
    "travel.way_round",
    "Way round up to",
    "ratio",
    3.0,
    "How many times as long as the straight way a way inside may be; else the nozzle goes straight, with filament "
    "drawn back.",
    range=(1.0, 20.0),
    advised=(1.0, 6.0),
    step=0.5,
    synonyms=("avoid", "crossing"),
    renamed_from=("travel.detour",),
    cost="More costs travel.",
)
INSIDE_UP_TO = Setting(
    "travel.inside_up_to",
    "No retraction up to",
    "length",
    60.0,
    "Longer ways draw filament back even where they stay inside, for on them it oozes.",
    range=(0.0, 1000.0),
    advised=(5.0, 200.0),
    step=5.0,
    synonyms=("ooze", "distance"),
    cost="Longer costs blobs, shorter costs retractions.",
)
WIPE = Setting(
    "travel.wipe",
    "Wipe before a travel",
    "length",
    0.0,
    "How far the nozzle runs on over the line just laid after filament is drawn back, so that it leaves no blob.",
    range=(0.0, 50.0),
    advised=(0.0, 5.0),
    step=0.5,
    level="wider",
    synonyms=("blob", "stringing", "clean"),
    cost="It costs a little time.",
)
LIFT = Setting(
    "travel.lift",
    "Nozzle lift",
    "length",
    0.0,
    "How far the nozzle is raised for travel moves with retraction, to clear what is printed already.",
    range=(0.0, 10.0),
    advised=(0.0, 2.0),
    step=0.1,
    level="wider",
    synonyms=("hop", "raise", "z"),
    cost="More costs time and strings.",
)
FLOW = Setting(
    "flow.amount",
    "Flow",
    "percent",
    100.0,
    "More or less plastic than computed. Measure before you change it; it makes up for filament and wear.",
    range=(50.0, 150.0),
    advised=(90.0, 110.0),
    step=1.0,
    level="wider",
    synonyms=("extrusion", "multiplier", "rate"),
    cost="Too much costs truth to size, too little costs strength.",
)
FIRST_FLOW = Setting(
    "flow.first_layer",
    "First layer flow",
    "percent",
    100.0,
    "The same for the first layer alone.",
    range=(50.0, 200.0),
    advised=(90.0, 120.0),
    step=1.0,
    synonyms=("extrusion", "initial"),
    cost="Too much costs a bulging edge, too little costs hold.",
)
ALL = (RETRACT_LENGTH, RETRACT_SPEED, RETRACT_FROM, INSIDE, WAY_ROUND, INSIDE_UP_TO, WIPE, LIFT, FLOW, FIRST_FLOW)
