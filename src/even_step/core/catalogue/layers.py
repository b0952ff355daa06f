from even_step.core.catalogue.setting import IN_ZONES, SCOPES, Setting

HEIGHT = Setting(
    "layers.height",
    "Layer height",
    "length",
    0.2,
    "How thick a layer is. Thinner shows finer steps on slopes; time grows as the height shrinks. A zone is heard from "
    "where to where it holds all of its part.",
    range=(0.02, 1.2),
    step=0.02,
    level="short",
    limit="layer_height",
    synonyms=("resolution", "quality", "thickness"),
    scopes=IN_ZONES,
    cost="Half as high takes about twice as long.",
)
FIRST_HEIGHT = Setting(
    "layers.first_height",
    "First layer height",
    "length",
    0.2,
    "How thick the first layer is. A thicker one forgives an uneven bed and sticks better.",
    range=(0.02, 1.2),
    step=0.02,
    level="wider",
    limit="layer_height",
    synonyms=("initial", "bottom"),
    scopes=SCOPES,
    cost="Thicker costs sharpness at the bed.",
)
LEAST = Setting(
    "layers.least",
    "Thinnest layer",
    "length",
    0.0,
    "No layer is thinner than this; 0 leaves it at what the nozzle can do. What remains at the top of a part is spread "
    "over its last layers within this limit.",
    range=(0.0, 1.2),
    step=0.02,
    synonyms=("minimum", "fine"),
    cost="A larger one may leave a part a little lower or higher than drawn, which is told.",
    scopes=SCOPES,
)
MOST = Setting(
    "layers.most",
    "Thickest layer",
    "length",
    0.0,
    "No layer but the first is thicker than this; 0 leaves it at what the nozzle can do.",
    range=(0.0, 1.2),
    step=0.02,
    synonyms=("maximum", "coarse"),
    cost="A smaller one takes more layers.",
    scopes=SCOPES,
)
FOLLOW_SURFACE = Setting(
    "layers.follow_surface",
    "Follow the surface",
    "switch",
    False,
    "Layers are as thick as the slopes at their height allow: fine on shallow ones, thick on upright walls. The layer "
    "height itself is not used then, but for zones. Layers end on flats.",
    level="wider",
    synonyms=("adaptive", "variable", "dynamic", "stairs", "rings", "quality"),
    cost="Takes longer than thick layers and less than thin ones.",
    scopes=SCOPES,
)
STAIR_STEP = Setting(
    "layers.stair_step",
    "Largest stair step",
    "length",
    0.08,
    "How high the step may be that a layer leaves on a slope, measured square to the slope; where layers follow the "
    "surface. The thinnest layer may leave more on the shallowest slopes.",
    range=(0.005, 1.0),
    advised=(0.02, 0.2),
    step=0.01,
    level="wider",
    synonyms=("cusp", "roughness", "rings", "deviation"),
    cost="Smaller takes more layers.",
    scopes=SCOPES,
)
EASE = Setting(
    "layers.ease",
    "Ease between heights",
    "length",
    0.04,
    "How much the height of a layer may differ from its neighbour's where layers follow the surface; 0 for any. "
    "Heights are only ever lowered for it.",
    range=(0.0, 1.0),
    step=0.01,
    synonyms=("smooth", "transition", "jump", "variation"),
    cost="Smaller takes more layers beside fine ones.",
    scopes=SCOPES,
)
SET_HEIGHTS = Setting(
    "layers.set_heights",
    "Set heights only",
    "lengths",
    "",
    "The only heights that layers but the first have, with blanks between them; none allows all. The next lower one "
    "is taken. What no layer can meet is left.",
    range=(0.02, 1.2),
    synonyms=("discrete", "step motor", "whole steps", "full steps"),
    cost="The part may come out a little lower or higher than drawn, which is told.",
    scopes=SCOPES,
)
CLOSING_GAP = Setting(
    "layers.closing_gap",
    "Close gaps up to",
    "length",
    2.0,
    "An outline that does not close, from a torn mesh, is joined over gaps this wide. Wider gaps are "
    "joined too, but named in the findings.",
    range=(0.0, 20.0),
    step=0.1,
    synonyms=("repair", "hole", "torn", "watertight"),
    cost="Too wide joins what is meant to be open.",
    scopes=SCOPES,
)
RESOLUTION = Setting(
    "layers.resolution",
    "Outline resolution",
    "length",
    0.01,
    "Details smaller than this are left out of the outlines. Coarser slices faster and makes smaller files.",
    range=(0.001, 0.2),
    advised=(0.005, 0.05),
    step=0.0025,
    synonyms=("detail", "simplify", "tolerance"),
    cost="Finer costs time and larger files.",
    scopes=SCOPES,
)
ALL = (HEIGHT, FIRST_HEIGHT, LEAST, MOST, FOLLOW_SURFACE, STAIR_STEP, EASE, SET_HEIGHTS, CLOSING_GAP, RESOLUTION)
