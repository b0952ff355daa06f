"""Lines that hang over the edge of the layer below."""

from even_step.core.catalogue.setting import SCOPES, Setting

FROM = Setting(
    "hanging.from",
    "Walls hang from",
    "percent",
    60.0,
    "Of how much of their width walls must lie on the layer below. What is held less is laid slower and cooled more, "
    "evenly down to the speed and fan of bridges where nothing is beneath. 0 lays all walls alike.",
    range=(0.0, 100.0),
    step=5.0,
    level="wider",
    scopes=SCOPES,
    synonyms=("overhang", "slow", "air", "curl", "droop"),
    cost="More slows gentle slopes too, and takes longer.",
)
ALL = (FROM,)
