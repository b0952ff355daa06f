"""What people say, and what helps: settings by key and actions by id."""

from __future__ import annotations

LAY_WORDS: dict[str, tuple[str, ...]] = {
    "sticks badly": ("heat.bed", "motion.first_layer_speed", "layers.first_height", "flow.first_layer", "foot.kind"),
    "comes loose": ("heat.bed", "foot.kind", "motion.first_layer_speed", "parts.flat"),
    "warps": ("heat.bed", "foot.kind", "cooling.fan"),
    "strings": ("travel.retract_length", "heat.nozzle", "travel.inside", "travel.wipe"),
    "hairs": ("travel.retract_length", "heat.nozzle", "travel.inside", "travel.wipe"),
    "rings on top": (
        "layers.follow_surface",
        "layers.stair_step",
        "curve.open",
        "layers.height",
        "walls.more_on_slopes",
    ),
    "rough top": ("top.layers", "motion.cover_speed", "top.line_width", "top.pattern"),
    "hole in top": ("top.layers", "infill.density", "top.least_area"),
    "weak": ("walls.count", "infill.density", "heat.nozzle", "cooling.fan"),
    "strong": ("walls.count", "infill.density", "top.layers"),
    "hollow": ("infill.density", "walls.count", "top.layers"),
    "faster": (
        "layers.follow_surface",
        "layers.height",
        "motion.print_speed",
        "infill.layers_at_once",
        "infill.density",
    ),
    "cheaper": ("infill.density", "walls.count", "infill.grading"),
    "quieter": ("motion.print_acceleration", "motion.travel_acceleration", "motion.travel_speed"),
    "vase": ("vase.on", "vase.outer_loop"),
    "bigger": ("parts.size",),
    "smaller": ("parts.size",),
    "upside down": ("parts.quarter_x+", "parts.face", "view.below"),
    "save": ("file.save", "file.save_as", "slice.export"),
    "print": ("slice.export", "slice.run"),
    "send": ("slice.export",),
    "card": ("slice.export",),
    "compare": ("slice.heights_compared", "go.layers", "slice.run"),
    "brim": ("foot.kind", "foot.brim_width", "foot.brim_side", "skirt.loops"),
    "support": ("go.supports", "parts.pose"),
    "colour": ("extruder.walls", "extruder.infill", "go.machine"),
    "second nozzle": ("extruder.walls", "extruder.infill", "purge.kind", "go.machine"),
}


def lay_words_of(name: str) -> str:
    """Return all that people say who look for a setting or an action."""
    return " ".join(words for words, found in LAY_WORDS.items() if name in found)
