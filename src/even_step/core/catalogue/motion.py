from even_step.core.catalogue.setting import FOR_ALL, IN_ZONES, Kind, Level, Setting


def _scopes(key: str) -> tuple[str, ...]:
    """Return where a speed holds: ways between parts are no part's own."""
    return FOR_ALL if key.startswith("travel") else IN_ZONES


def _speed(key: str, label: str, default: float, effect: str, cost: str, level: Level = "wider") -> Setting:
    return Setting(
        f"motion.{key}",
        label,
        "speed",
        default,
        effect,
        range=(1.0, 1000.0),
        step=5.0,
        level=level,
        limit="speed",
        cost=cost,
        synonyms=("fast", "slow", "velocity", "feed"),
        scopes=_scopes(key),
    )


PRINT_SPEED = _speed(
    "print_speed",
    "Print speed",
    100.0,
    "How fast inner walls, infill and inside solid layers are laid.",
    "Faster costs strength and evenness.",
    "short",
)
OUTER_SPEED = _speed(
    "outer_wall_speed",
    "Outer wall speed",
    50.0,
    "How fast the outermost line is laid. Slower shows fewer ripples.",
    "Slower takes longer.",
)
COVER_SPEED = _speed(
    "cover_speed",
    "Top and bottom speed",
    60.0,
    "How fast the visible top and bottom lines are laid.",
    "Faster costs looks.",
)
FIRST_SPEED = _speed(
    "first_layer_speed",
    "First layer speed",
    25.0,
    "How fast the first layer is laid. Slower sticks better.",
    "Slower takes longer.",
)
SMALL_SPEED = _speed(
    "small_loop_speed",
    "Small loop speed",
    30.0,
    "How fast closed walls of short length are laid.",
    "Slower takes longer.",
)
SMALL_LOOP = Setting(
    "motion.small_loop_up_to",
    "A loop is small up to",
    "length",
    15.0,
    "Closed walls no longer than this are laid with the speed of small loops: tight turns need time to set.",
    range=(0.0, 500.0),
    advised=(0.0, 60.0),
    step=1.0,
    synonyms=("hole", "perimeter", "slow", "cylinder"),
    cost="Longer takes more time.",
    scopes=IN_ZONES,
)
TRAVEL_SPEED = _speed(
    "travel_speed",
    "Travel speed",
    180.0,
    "How fast the nozzle moves without laying plastic.",
    "Faster costs noise and can knock slim parts.",
)


def _acceleration(key: str, label: str, default: float, effect: str, cost: str) -> Setting:
    kind: Kind = "acceleration"
    return Setting(
        f"motion.{key}",
        label,
        kind,
        default,
        effect,
        range=(50.0, 50000.0),
        step=100.0,
        limit="acceleration",
        cost=cost,
        synonyms=("jerk", "ringing", "ripple"),
        scopes=_scopes(key),
    )


PRINT_ACCELERATION = _acceleration(
    "print_acceleration",
    "Print acceleration",
    1500.0,
    "How quickly the nozzle gains speed while it lays plastic.",
    "More costs noise and ripples.",
)
OUTER_ACCELERATION = _acceleration(
    "outer_wall_acceleration",
    "Outer acceleration",
    1000.0,
    "The same for the outermost line. Less leaves fewer ripples at corners.",
    "Less takes longer.",
)
TRAVEL_ACCELERATION = _acceleration(
    "travel_acceleration", "Travel acceleration", 2000.0, "The same for moves that lay no plastic.", "More costs noise."
)
ALL = (
    PRINT_SPEED,
    OUTER_SPEED,
    COVER_SPEED,
    FIRST_SPEED,
    SMALL_SPEED,
    SMALL_LOOP,
    TRAVEL_SPEED,
    PRINT_ACCELERATION,
    OUTER_ACCELERATION,
    TRAVEL_ACCELERATION,
)
