"""Settings of reading models."""

from even_step.core.catalogue.setting import Setting

STEP_DEFLECTION = Setting(
    "mesh.step_deflection",
    "STEP surfaces within",
    "length",
    0.01,
    "How far facets may lie off the curved faces of a STEP file. Finer gives smoother curves and more facets.",
    range=(0.001, 1.0),
    advised=(0.002, 0.1),
    step=0.005,
    synonyms=("facet", "tessellation", "curve", "resolution"),
    cost="Finer costs time and memory.",
)
ALL = (STEP_DEFLECTION,)
