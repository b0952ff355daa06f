from even_step.core.catalogue.setting import SCOPES, Setting

HEIGHT = Setting(
    "layers.height",
    "Layer height",
    "length",
    0.2,
    "How thick a layer is. Thinner shows finer steps on slopes; time grows as the height shrinks.",
    range=(0.02, 1.2),
    step=0.02,
    level="short",
    limit="layer_height",
    synonyms=("resolution", "quality", "thickness"),
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
    cost="Thicker costs sharpness at the bed.",
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
ALL = (HEIGHT, FIRST_HEIGHT, CLOSING_GAP, RESOLUTION)
