from even_step.core.catalogue.setting import Setting

KIND = Setting(
    "purge.kind",
    "Purge into",
    "choice",
    "tower",
    "Where the plastic of the last extruder goes when another takes over: into a small tower beside the parts, or "
    "nowhere, where what comes first may be mixed.",
    choices=("tower", "none"),
    level="wider",
    synonyms=("second nozzle", "colour", "waste", "change", "wipe"),
    cost="A tower costs plastic and room, and holds up each change.",
)
VOLUME = Setting(
    "purge.volume",
    "Purged a change",
    "volume",
    60.0,
    "How much is laid into the tower after each change of extruder. A material may say its own amount for each one "
    "that comes before it.",
    range=(0.0, 2000.0),
    step=5.0,
    level="wider",
    synonyms=("waste", "flush"),
    cost="Less saves plastic and may leave a trace of the other.",
)
RETRACT = Setting(
    "purge.retract_length",
    "Drawn back at a change",
    "length",
    8.0,
    "How far filament is drawn back before another extruder takes over, so that the waiting one does not ooze.",
    range=(0.0, 100.0),
    step=0.5,
    synonyms=("retraction", "ooze"),
    cost="Longer takes longer at each change.",
)
ALL = (KIND, VOLUME, RETRACT)
