from even_step.core.catalogue.setting import IN_ZONES, Setting

TRUE_SIZE = Setting(
    "holes.true_size",
    "True-size holes",
    "switch",
    False,
    "Round upright holes from 0.8 mm on are laid with few straight sides, whose middles touch the circle as drawn, "
    "turned by half a side from layer to layer. Straight lines are not pulled inward as they cool, so a pin of the "
    "drawn size fits.",
    level="wider",
    synonyms=("fit", "bore", "pin", "screw", "tolerance", "polygon", "compensation"),
    cost="Holes show flats, and their corners slow walls a little.",
    scopes=IN_ZONES,
)
ROUND_BOSSES = Setting(
    "holes.round_bosses",
    "Bosses alike",
    "switch",
    False,
    "Round upright bosses and pegs are laid with few straight sides, too. Their corners touch the circle as drawn, so "
    "that they fit into a hole of their size.",
    synonyms=("peg", "pin", "stud", "fit"),
    cost="They show flats and hold by their corners.",
    scopes=IN_ZONES,
)
ALL = (TRUE_SIZE, ROUND_BOSSES)
