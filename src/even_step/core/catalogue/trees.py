"""Supports that branch: trees."""

from even_step.core.catalogue.setting import SCOPES, Setting

ANGLE = Setting(
    "supports.branch_angle",
    "Branch angle",
    "angle",
    40.0,
    "How far branches may lean from the vertical.",
    range=(5.0, 70.0),
    advised=(20.0, 50.0),
    step=5.0,
    level="wider",
    scopes=SCOPES,
    synonyms=("tree", "lean"),
    cost="More lets branches join sooner, and sag.",
)
SPACING = Setting(
    "supports.branch_spacing",
    "Contacts apart",
    "length",
    3.0,
    "How far apart trees touch what they hold.",
    range=(0.5, 30.0),
    advised=(1.0, 8.0),
    step=0.5,
    level="wider",
    scopes=SCOPES,
    synonyms=("tree", "tips", "density"),
    cost="More saves plastic and holds less.",
)
TIP = Setting(
    "supports.tip_size",
    "Tip diameter",
    "length",
    0.8,
    "How wide branches are where they touch.",
    range=(0.2, 5.0),
    step=0.1,
    scopes=SCOPES,
    synonyms=("tree", "contact", "scar"),
    cost="Less leaves smaller marks and breaks off sooner.",
)
THIN = Setting(
    "supports.branch_size",
    "Branch diameter",
    "length",
    1.6,
    "How thick a branch with one contact is; one that carries more is thicker.",
    range=(0.4, 20.0),
    step=0.2,
    scopes=SCOPES,
    synonyms=("tree", "thin"),
    cost="Less saves plastic and is knocked over sooner.",
)
THICK = Setting(
    "supports.trunk_size",
    "Trunk diameter at most",
    "length",
    8.0,
    "How thick trunks grow however much they carry.",
    range=(0.4, 50.0),
    step=0.5,
    scopes=SCOPES,
    synonyms=("tree", "thick"),
    cost="More stands firmer and costs plastic.",
)
WALLS = Setting(
    "supports.branch_walls",
    "Walls of branches",
    "count",
    1,
    "How many lines go round a branch.",
    range=(1, 4),
    step=1,
    scopes=SCOPES,
    synonyms=("tree", "loops"),
    cost="More stands firmer and costs plastic.",
)
FILLED = Setting(
    "supports.branch_filled",
    "Fill branches",
    "switch",
    False,
    "Fill the inside of branches with lines as of a sheet instead of leaving it hollow.",
    scopes=SCOPES,
    synonyms=("tree", "hollow", "solid"),
    cost="Filled ones stand firmer and take longer.",
)
ALL = (ANGLE, SPACING, TIP, THIN, THICK, WALLS, FILLED)
