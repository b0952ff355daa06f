from even_step.core.catalogue.setting import IN_ZONES, Setting

DEPTH = Setting(
    "texture.depth",
    "Texture depth",
    "length",
    0.0,
    "The outer wall is laid rough: so far is it from its deepest to its highest, half of it beyond the part as drawn. "
    "0 leaves it smooth.",
    range=(0.0, 2.0),
    advised=(0.0, 0.8),
    step=0.05,
    level="wider",
    synonyms=("rough", "skin", "grip", "noise", "matt", "hide", "seams"),
    cost="Takes longer, for the nozzle turns all the time.",
    scopes=IN_ZONES,
)
SPACING = Setting(
    "texture.spacing",
    "Texture spacing",
    "length",
    0.6,
    "How far a dent is from the next bump. Less is finer.",
    range=(0.1, 10.0),
    advised=(0.2, 4.0),
    step=0.1,
    level="wider",
    synonyms=("rough", "skin", "grain", "density"),
    cost="Finer takes longer.",
    scopes=IN_ZONES,
)
OPENING_WIDTH = Setting(
    "texture.opening_width",
    "Texture stays out of",
    "length",
    4.0,
    "Openings narrower than this let no texture in: only what a disc of this width can touch from outside is rough. "
    "0 makes every wall rough, those of holes too.",
    range=(0.0, 200.0),
    step=1.0,
    level="wider",
    synonyms=("inside", "holes", "smooth", "outside only", "opening width"),
    cost="Wider leaves more walls smooth.",
    scopes=IN_ZONES,
)
TOPS = Setting(
    "texture.tops",
    "Rough tops",
    "switch",
    False,
    "The lines of tops are laid rough, too: they rise and dip within the depth of the texture, but by no more than 0.3 "
    "of a layer either way.",
    synonyms=("top", "skin", "matt"),
    cost="Costs tightness of the last layer.",
    scopes=IN_ZONES,
)
ALL = (DEPTH, SPACING, OPENING_WIDTH, TOPS)
#: Depth and spacing that go by how they feel, mm.
FEELS = {"smooth": (0.0, 0.0), "fine": (0.12, 0.3), "sand": (0.3, 0.6), "bark": (0.6, 1.6)}
