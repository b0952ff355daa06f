from even_step.core.catalogue.setting import SCOPES, Setting

ALLOWANCE = Setting(
    "outline.allowance",
    "Outline allowance",
    "length",
    0.0,
    "Moves the outside of every layer out (more) or in (less), to make a part fit.",
    range=(-2.0, 2.0),
    step=0.01,
    level="wider",
    synonyms=("offset", "compensation", "tolerance", "fit"),
    cost="It costs truth to size.",
    scopes=SCOPES,
)
HOLE_ALLOWANCE = Setting(
    "outline.hole_allowance",
    "Hole allowance",
    "length",
    0.0,
    "Makes holes wider (more) or narrower (less). Printed holes tend to come out small.",
    range=(-2.0, 2.0),
    step=0.01,
    level="wider",
    synonyms=("offset", "compensation", "bore", "fit"),
    cost="It costs truth to size.",
    scopes=SCOPES,
)
FIRST_ALLOWANCE = Setting(
    "outline.first_allowance",
    "First layer allowance",
    "length",
    0.0,
    "Added to the outline of the first layer only. Less than zero makes up for plastic squeezed out on the bed.",
    range=(-1.0, 1.0),
    step=0.01,
    synonyms=("squash", "foot", "compensation"),
    cost="Too much less costs hold on the bed.",
    scopes=SCOPES,
)
ALL = (ALLOWANCE, HOLE_ALLOWANCE, FIRST_ALLOWANCE)
