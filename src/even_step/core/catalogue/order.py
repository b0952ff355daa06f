from even_step.core.catalogue.setting import Setting

PARTS = Setting(
    "order.parts",
    "Parts are laid",
    "choice",
    "together",
    "Together, layer by layer, whatever has the lowest top first; or one by one, each finished before the next begins.",
    choices=("together", "one-by-one"),
    synonyms=("sequence", "sequential", "each", "complete"),
    cost="One by one saves ways between parts and the marks they leave, but needs room for the head between them.",
)
ALL = (PARTS,)
