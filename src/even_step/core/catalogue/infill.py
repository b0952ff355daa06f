from even_step.core.catalogue.setting import IN_ZONES, Setting

DENSITY = Setting(
    "infill.density",
    "Infill density",
    "percent",
    15.0,
    "How much of the inside is plastic. More carries more and holds tops better.",
    range=(0.0, 100.0),
    step=5.0,
    level="short",
    synonyms=("fill", "strength", "weight"),
    cost="More costs time and plastic.",
    scopes=IN_ZONES,
)
PATTERN = Setting(
    "infill.pattern",
    "Infill pattern",
    "choice",
    "lines",
    "All weigh the same at one density. Lines are quickest; grid, triangles and kagome cross in every layer; honeycomb "
    "and gyroid hold alike in all directions; cubic and gyroid wander with height; concentric and the Hilbert curve "
    "bend easily; branching grows only what the tops need.",
    choices=(
        "lines",
        "grid",
        "triangles",
        "kagome",
        "cubic",
        "honeycomb",
        "gyroid",
        "concentric",
        "hilbert",
        "branching",
    ),
    level="short",
    synonyms=("fill", "structure", "tree", "vault", "lightweight", "flexible"),
    renamed_choices=(("star", "kagome"),),
    cost="All but lines cost a little time.",
    scopes=IN_ZONES,
)
ANGLE = Setting(
    "infill.angle",
    "Infill angle",
    "angles",
    45.0,
    "The direction of the infill lines, from the x axis of the part or the bed. Several, such as 0 60 120, are taken "
    "layer by layer; one is laid across itself in the next layer where lines all go one way.",
    range=(-180.0, 180.0),
    step=5.0,
    level="wider",
    synonyms=("direction", "rotation"),
    cost="It costs nothing.",
    scopes=IN_ZONES,
)
FRAME = Setting(
    "infill.frame",
    "Infill frame",
    "choice",
    "part",
    "Whose frame the pattern lies in. In the part's, copies look alike, and a part keeps its infill wherever it is put "
    "and however it is turned on the bed. In the bed's, it runs on from part to part. Fitted, it lies in the middle of "
    "the part with whole cells from wall to wall; the density comes as near as whole cells allow.",
    choices=("part", "bed", "fitted"),
    synonyms=("align", "origin", "pattern", "position", "centred", "centered", "whole cells", "ornament"),
    cost="The bed's frame costs time to slice: each copy is filled anew.",
    scopes=IN_ZONES,
)
LINE_WIDTH = Setting(
    "infill.line_width",
    "Infill line width",
    "length",
    0.45,
    "How wide an infill line is. Wider lines are stronger and lie further apart at the same density.",
    range=(0.1, 4.0),
    step=0.01,
    level="wider",
    limit="line_width",
    synonyms=("extrusion",),
    cost="Wider costs fine support of the tops.",
    scopes=IN_ZONES,
)
OVERLAP = Setting(
    "infill.overlap",
    "Infill into the wall",
    "percent",
    10.0,
    "How far infill lines reach into the innermost wall, in percent of a line: the bond between the two.",
    range=(0.0, 60.0),
    advised=(0.0, 35.0),
    step=5.0,
    synonyms=("bond",),
    cost="More costs a mark on the outside.",
    scopes=IN_ZONES,
)
END_RUN = Setting(
    "infill.end_run",
    "End runs up to",
    "length",
    4.0,
    "How far the end of an infill line follows the wall to join the next: fewer travel moves and a better hold. 0 "
    "leaves the ends bare.",
    range=(0.0, 100.0),
    advised=(0.0, 20.0),
    step=1.0,
    level="wider",
    synonyms=("connect", "join"),
    cost="Longer costs a little plastic.",
    scopes=IN_ZONES,
)
LAYERS_AT_ONCE = Setting(
    "infill.layers_at_once",
    "Layers of infill at once",
    "count",
    1,
    "Infill is laid once for so many layers and as much higher, where all of them have room for it: quicker, while the "
    "walls stay fine. Together they stay below 0.8 of the nozzle.",
    range=(1, 20),
    advised=(1, 4),
    step=1,
    level="wider",
    synonyms=("combine", "thick", "every", "fast"),
    cost="It costs a little strength.",
    scopes=IN_ZONES,
)
GRADING = Setting(
    "infill.grading",
    "Infill grows denser",
    "choice",
    "none",
    "The density holds near the walls, or near the tops; farther in it halves again and again, as often as there is "
    "room: less weight at the same skin, and a softer middle. For patterns of straight lines.",
    choices=("none", "walls", "tops"),
    level="wider",
    synonyms=("gradual", "adaptive", "variable"),
    cost="It costs stiffness in the middle.",
    scopes=IN_ZONES,
)
GRADING_DEPTH = Setting(
    "infill.grading_depth",
    "Near is within",
    "length",
    5.0,
    "How far from the walls or below the tops the infill has its full density when it grows denser.",
    range=(0.5, 200.0),
    advised=(1.0, 30.0),
    step=1.0,
    synonyms=("gradual", "adaptive"),
    cost="Deeper costs plastic.",
    scopes=IN_ZONES,
)
ALL = (DENSITY, PATTERN, ANGLE, FRAME, LINE_WIDTH, OVERLAP, END_RUN, LAYERS_AT_ONCE, GRADING, GRADING_DEPTH)

#: Patterns made of parallel lines, of which every other one can be left out.
OF_LINES = ("lines", "grid", "triangles", "kagome", "cubic")


def ignored_by(pattern: str) -> frozenset[str]:
    """Return which settings of the infill, by the second word of their keys, a pattern has no use for."""
    graded = set() if pattern in OF_LINES else {"grading", "grading_depth"}
    own = {"concentric": {"angle", "frame", "end_run"}, "branching": {"overlap", "end_run", "layers_at_once"}}
    return frozenset(graded | own.get(pattern, set()))
