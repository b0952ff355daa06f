"""Supports: what hangs is held by columns that come off again."""

from even_step.core.catalogue.setting import SCOPES, Setting

KIND = Setting(
    "supports.kind",
    "Supports",
    "choice",
    "none",
    "What holds parts that hang while they are printed: sheets in one direction, each column one strip that can be "
    "pulled out; a grid of crossing walls, which stands firmer; or trees, whose branches touch in points.",
    choices=("none", "sheet", "grid", "tree"),
    level="short",
    scopes=SCOPES,
    synonyms=("overhang", "hanging", "hold", "scaffold", "island"),
    cost="Supports cost plastic and time, and leave marks where they touch.",
)
FROM = Setting(
    "supports.from",
    "Supports stand on",
    "choice",
    "everywhere",
    "Where columns may stand: everywhere, or on the bed only.",
    choices=("everywhere", "bed"),
    level="short",
    scopes=SCOPES,
    synonyms=("bed only", "touch"),
    cost="From the bed only, what lies over the part itself stays unheld.",
)
ANGLE = Setting(
    "supports.angle",
    "Overhang limit",
    "angle",
    0.0,
    "What leans further from the vertical hangs. 0 takes the machine's own limit, which differs with the side the "
    "cooling air comes from.",
    range=(0.0, 89.0),
    step=5.0,
    level="wider",
    scopes=SCOPES,
    synonyms=("overhang", "threshold", "steep"),
    cost="A smaller angle holds more, and costs plastic.",
)
SPARE_BRIDGES = Setting(
    "supports.spare_bridges",
    "Leave bridges alone",
    "switch",
    False,
    "What is held at both ends, no further apart than bridges hold, gets no supports.",
    level="wider",
    scopes=SCOPES,
    synonyms=("bridge", "span"),
    cost="Bridges sag a little.",
)
LEAST_LENGTH = Setting(
    "supports.least_length",
    "Hold from a length of",
    "length",
    0.0,
    "What hangs and is smaller than this each way is left alone, such as engraved letters.",
    range=(0.0, 50.0),
    step=0.5,
    scopes=SCOPES,
    synonyms=("small", "detail", "letters"),
    cost="More leaves small overhangs in the air.",
)
LEAST_LAYERS = Setting(
    "supports.least_layers",
    "Hold over gaps of",
    "count",
    0,
    "Columns of fewer layers than this are left out, such as in shallow grooves.",
    range=(0, 1000),
    step=1,
    scopes=SCOPES,
    synonyms=("groove", "shallow"),
    cost="More leaves shallow overhangs in the air.",
)
GAP_ABOVE = Setting(
    "supports.gap_above",
    "Gap above",
    "length",
    0.2,
    "Free height between a support and what it holds. It is met also where it is no whole number of layers: the "
    "topmost layer of the support is laid thinner.",
    range=(0.0, 2.0),
    advised=(0.0, 0.6),
    step=0.05,
    level="wider",
    scopes=SCOPES,
    synonyms=("distance", "remove", "sticks"),
    cost="Less holds better and is harder to take off; more lets undersides sag.",
)
GAP_BELOW = Setting(
    "supports.gap_below",
    "Gap below",
    "length",
    0.2,
    "Free height between the part and a support that stands on it.",
    range=(0.0, 2.0),
    advised=(0.0, 0.6),
    step=0.05,
    scopes=SCOPES,
    synonyms=("distance", "remove", "scar"),
    cost="Less stands firmer and leaves scars.",
)
GAP_BESIDE = Setting(
    "supports.gap_beside",
    "Gap beside",
    "length",
    0.7,
    "How far supports stay off the part's walls.",
    range=(0.0, 10.0),
    advised=(0.2, 3.0),
    step=0.1,
    level="wider",
    scopes=SCOPES,
    synonyms=("distance", "side"),
    cost="Less holds further in and may stick to walls.",
)
GAP_RAFT = Setting(
    "supports.gap_raft",
    "Gap over a raft",
    "length",
    0.0,
    "Free height between a raft and the supports that stand on it. 0 lets them stand fast.",
    range=(0.0, 2.0),
    step=0.05,
    scopes=SCOPES,
    synonyms=("raft",),
    cost="More lets them come off the raft, and come loose.",
)
GAP_WINS = Setting(
    "supports.gap_wins",
    "Under slopes keep the",
    "choice",
    "above",
    "Under a slope both gaps cannot hold: the one above, so that the slope lies on its supports; or the one beside, so "
    "that they stay well off it.",
    choices=("above", "beside"),
    scopes=SCOPES,
    synonyms=("priority", "slope"),
    cost="Beside leaves shallow slopes held at their edge only.",
)
LEAST_BESIDE = Setting(
    "supports.least_beside",
    "Gap beside at least",
    "length",
    0.2,
    "How near the part supports may come under slopes where the gap above is kept.",
    range=(0.0, 5.0),
    step=0.05,
    scopes=SCOPES,
    synonyms=("distance", "slope"),
    cost="Less holds slopes further down, and may stick.",
)
STEP = Setting(
    "supports.step",
    "Steps of the foot",
    "length",
    0.0,
    "On a slope of the part the foot of a column follows in steps of this height, so that it touches the slope along "
    "lines only. 0 follows it layer by layer.",
    range=(0.0, 10.0),
    step=0.5,
    scopes=SCOPES,
    synonyms=("stairs", "foot"),
    cost="Larger steps come off more easily and stand less firm.",
)
MARGIN = Setting(
    "supports.margin",
    "Margin",
    "length",
    0.8,
    "How far supports reach past what hangs.",
    range=(0.0, 10.0),
    advised=(0.0, 3.0),
    step=0.2,
    level="wider",
    scopes=SCOPES,
    synonyms=("expand", "wider", "border"),
    cost="More holds edges better and costs plastic.",
)
MARGIN_GOES = Setting(
    "supports.margin_goes",
    "Margin goes",
    "choice",
    "level",
    "Whether supports reach past what hangs at its own height, or rise beside it as much as they reach out, so that a "
    "slope cannot slip off them.",
    choices=("level", "rising"),
    scopes=SCOPES,
    synonyms=("margin", "rise", "slope", "beside"),
    cost="Rising holds slopes from beside and is harder to take off.",
)
MERGE_WITHIN = Setting(
    "supports.merge_within",
    "Merge columns within",
    "length",
    1.0,
    "Columns that stand no further apart than this become one.",
    range=(0.0, 20.0),
    step=0.5,
    scopes=SCOPES,
    synonyms=("join", "close"),
    cost="More stands firmer and costs plastic.",
)
SLIM_WIDTH = Setting(
    "supports.slim_width",
    "Widen columns under",
    "length",
    2.0,
    "Columns that are slimmer than this are widened to it, so that they are not knocked over.",
    range=(0.0, 20.0),
    step=0.5,
    scopes=SCOPES,
    synonyms=("slim", "thin", "knocked over", "small"),
    cost="More stands firmer and costs plastic.",
)
GROWTH = Setting(
    "supports.first_growth",
    "First layer reaches out",
    "length",
    0.8,
    "How much wider the first layer of supports is on the bed.",
    range=(0.0, 10.0),
    step=0.2,
    scopes=SCOPES,
    synonyms=("foot", "stick", "bed"),
    cost="More sticks better and needs more room.",
)
LAYERS_AT_ONCE = Setting(
    "supports.layers_at_once",
    "Layers at once",
    "count",
    1,
    "Supports are laid for this many of the part's layers at once, as thick as the nozzle allows.",
    range=(1, 10),
    step=1,
    scopes=SCOPES,
    synonyms=("every", "thick", "faster"),
    cost="More is quicker and rougher.",
)
LIFT = Setting(
    "supports.lift",
    "Nozzle lift at supports",
    "length",
    0.0,
    "How far the nozzle is raised on its ways to and from the lines of supports, so that it does not knock against "
    "slim columns.",
    range=(0.0, 10.0),
    advised=(0.0, 2.0),
    step=0.1,
    synonyms=("hop", "raise", "knocked over", "z"),
    cost="More costs time.",
)
SHOW_CONTACT = Setting(
    "supports.show_contact",
    "Touch show faces",
    "area",
    0.0,
    "How much of the faces that are marked to be seen supports may touch. What would take more is left unheld, and "
    "told.",
    range=(0.0, 100_000.0),
    step=5.0,
    scopes=SCOPES,
    synonyms=("seen", "visible", "scar", "front"),
    cost="More holds more, and leaves marks that are seen.",
)
HERE = Setting(
    "supports.here",
    "Supports within the zone",
    "choice",
    "by-limit",
    "What hangs within a zone is held by the limit like all else; or held in any case, also where it does not hang "
    "past the limit; or kept clear, and nothing stands there either. A mark by hand goes before.",
    choices=("by-limit", "hold", "keep-clear"),
    level="wider",
    scopes=("zone",),
    synonyms=("block", "enforce", "avoid", "region", "spare"),
    cost="What is held leaves marks, what is kept clear may droop.",
)
ALL = (
    *(KIND, FROM, ANGLE, SPARE_BRIDGES, LEAST_LENGTH, LEAST_LAYERS),
    *(GAP_ABOVE, GAP_BELOW, GAP_BESIDE, GAP_RAFT, GAP_WINS, LEAST_BESIDE, STEP),
    *(MARGIN, MARGIN_GOES, MERGE_WITHIN, SLIM_WIDTH, GROWTH, LAYERS_AT_ONCE, LIFT, SHOW_CONTACT, HERE),
)
