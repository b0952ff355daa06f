from even_step.core.catalogue.setting import Setting

KIND = Setting(
    "foot.kind",
    "Foot",
    "choice",
    "bare",
    "What holds the part to the bed. Bare is nothing but its first layer.",
    choices=("bare",),
    synonyms=("adhesion", "stick", "bed", "warp", "comes loose"),
    cost="A wider foot costs plastic, and has to be cut off.",
)
ALL = (KIND,)
