from even_step.core.catalogue.setting import IN_ZONES, SCOPES, Setting

COUNT = Setting(
    "walls.count",
    "Walls",
    "count",
    3,
    "How many lines follow the outline. More walls are the first means to a stronger part.",
    range=(0, 40),
    step=1,
    level="short",
    synonyms=("shell", "perimeter", "strength"),
    cost="Each costs time and plastic.",
    scopes=IN_ZONES,
)
OUTER_WIDTH = Setting(
    "walls.outer_line_width",
    "Outer wall line width",
    "length",
    0.45,
    "How wide the outermost line is. A narrow one shows finer detail, a wide one is stronger.",
    range=(0.1, 4.0),
    step=0.01,
    level="wider",
    limit="line_width",
    synonyms=("extrusion", "skin"),
    cost="Narrower costs strength, wider costs detail.",
    scopes=IN_ZONES,
)
LINE_WIDTH = Setting(
    "walls.line_width",
    "Inner wall line width",
    "length",
    0.45,
    "How wide the walls behind the outermost are.",
    range=(0.1, 4.0),
    step=0.01,
    level="wider",
    limit="line_width",
    synonyms=("extrusion",),
    cost="Wider costs fine detail, narrower takes longer.",
    scopes=IN_ZONES,
)
ORDER = Setting(
    "walls.order",
    "Wall order",
    "choice",
    "inner-first",
    "Inner first holds overhangs better; outer first keeps the outside truer to size.",
    choices=("inner-first", "outer-first"),
    level="wider",
    synonyms=("sequence", "accuracy"),
    cost="Inner first costs a little truth to size, outer first costs overhangs.",
    scopes=SCOPES,
)
SEAM = Setting(
    "walls.seam",
    "Seam",
    "choice",
    "back",
    "Where each wall begins and ends: at the back of the part, in a sharp corner, at the nearest point "
    "(least travel), or scattered so that no line of seams shows.",
    choices=("nearest", "back", "corner", "scattered"),
    level="wider",
    synonyms=("start", "scar", "zip"),
    cost="Nearest costs looks, scattered costs a rough skin, back and corner cost travel.",
    scopes=SCOPES,
)
LONE_LINE = Setting(
    "walls.lone_line",
    "One line where too thin",
    "switch",
    False,
    "What is thinner than the narrowest line (0.6 of the nozzle) gets one such line all the same, and comes out "
    "thicker than drawn. Off, it is left out and told.",
    level="wider",
    synonyms=("feature", "detail", "narrow", "thicken"),
    renamed_from=("walls.thicken_thin",),
    cost="It costs truth to size there.",
    scopes=IN_ZONES,
)
VARY_WIDTH = Setting(
    "walls.vary_width",
    "Lines fit their room",
    "switch",
    True,
    "Where whole lines do not fit, walls grow wider or narrower, so that nothing is left open. Off, only whole lines "
    "are laid, and the gaps between them are told.",
    level="wider",
    synonyms=("variable", "adaptive", "narrow", "gap", "constant"),
    cost="It costs a little time; off costs tightness and strength.",
    scopes=IN_ZONES,
)
LAYERS_AT_ONCE = Setting(
    "walls.layers_at_once",
    "Inner walls at once",
    "count",
    1,
    "Inner walls are laid once for so many layers and as much higher, where these layers have the same outline: only "
    "the outer wall pays for fine layers. They are a little wider then, to hold as much. Together the layers stay "
    "below 0.8 of the nozzle.",
    range=(1, 20),
    advised=(1, 4),
    step=1,
    level="wider",
    synonyms=("combine", "thick", "every", "fast"),
    cost="It costs a little strength between layers.",
    scopes=SCOPES,
)
MORE_ON_SLOPES = Setting(
    "walls.more_on_slopes",
    "More walls on slopes",
    "count",
    0,
    "Where the outline moves by more than half a line from one layer to the next, both layers get so many more walls, "
    "so that walls lie on walls and the slope is tight.",
    range=(0, 10),
    step=1,
    level="wider",
    synonyms=("extra", "overhang", "gaps", "tight"),
    cost="Each costs time and plastic there.",
    scopes=IN_ZONES,
)
ALL = (COUNT, OUTER_WIDTH, LINE_WIDTH, LAYERS_AT_ONCE, MORE_ON_SLOPES, LONE_LINE, VARY_WIDTH, ORDER, SEAM)
