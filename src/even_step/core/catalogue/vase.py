from even_step.core.catalogue.setting import SCOPES, Setting

ON = Setting(
    "vase.on",
    "Vase mode",
    "switch",
    False,
    "Over its full bottom layers the part is one line that rises steadily along its outline: no seam, no travel, no "
    "infill, no top. The model is drawn as a solid.",
    level="wider",
    synonyms=("spiral", "single wall", "continuous", "shell", "lamp"),
    cost="Quick and light; all strength is that of one line.",
    scopes=SCOPES,
)
OUTER_LOOP = Setting(
    "vase.outer_loop",
    "Outer loop alone",
    "switch",
    False,
    "Takes the outline of each layer and leaves out all within, so that a model that is drawn hollow can be a vase.",
    synonyms=("hollow", "inner", "spiral"),
    cost="What the model has inside is not laid.",
    scopes=SCOPES,
)
ALL = (ON, OUTER_LOOP)
