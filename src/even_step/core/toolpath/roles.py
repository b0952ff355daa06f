"""What a line is for. The numbers stand in the toolpath's arrays, the words in G-code and report."""

ROLES = (
    "outer-wall",
    "inner-wall",
    "gap-fill",
    "top",
    "bottom",
    "solid",
    "infill",
    "bridge",
    "support",
    "support-contact",
    "skirt",
    "brim",
    "raft",
    "purge",
    "travel",
)
ROLE_NUMBER = {name: number for number, name in enumerate(ROLES)}

OUTER_WALL = ROLE_NUMBER["outer-wall"]
INNER_WALL = ROLE_NUMBER["inner-wall"]
GAP_FILL = ROLE_NUMBER["gap-fill"]
TOP = ROLE_NUMBER["top"]
BOTTOM = ROLE_NUMBER["bottom"]
SOLID = ROLE_NUMBER["solid"]
INFILL = ROLE_NUMBER["infill"]
BRIDGE = ROLE_NUMBER["bridge"]
SKIRT = ROLE_NUMBER["skirt"]
BRIM = ROLE_NUMBER["brim"]
RAFT = ROLE_NUMBER["raft"]
TRAVEL = ROLE_NUMBER["travel"]
#: What lies within a part and is hidden by the layers above it.
INSIDE = tuple(ROLE_NUMBER[name] for name in ("inner-wall", "gap-fill", "solid", "infill"))
