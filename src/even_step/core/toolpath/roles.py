"""What a line is for: one table of which everything else that goes by role is made.

The numbers stand in the toolpath's arrays, the words in G-code and report.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

#: Which setting says with which extruder a line is laid.
Tool = Literal["walls", "infill", "covers", "supports", "contact"]
Owner = Literal["part", "supports", "foot", "bed"]


@dataclass(frozen=True)
class Role:
    """What a line is for.

    Attributes
    ----------
    word
        Its name.
    colour
        On screen and in pictures.
    speed, acceleration
        The fields of the lines' settings that say how fast it is laid.
    flow
        The field that says how much plastic it gets, besides the flow of all lines.
    fan
        The field of the fan's settings that says how it is cooled.
    tool
        With which extruder it is laid.
    owner
        Whether it is of a part, of its supports, of its foot, or of the bed.
    hidden
        Whether it lies within a part, where the layers above hide it.
    """

    word: str
    colour: str
    speed: str = "print_speed"
    acceleration: str = "print_acceleration"
    flow: str = "full"
    fan: str = "fan"
    tool: Tool = "walls"
    owner: Owner = "part"
    hidden: bool = False


STONE = "#8D8B86"
TABLE = (
    Role("outer-wall", "#4E6880", speed="outer_speed", acceleration="outer_acceleration"),
    Role("inner-wall", "#7C8F6B", hidden=True),
    Role("gap-fill", "#A9B89B", hidden=True),
    Role("top", "#8C5A78", speed="cover_speed", tool="covers"),
    Role("bottom", "#B794A8", speed="cover_speed", tool="covers"),
    Role("solid", "#CDB9C4", tool="covers", hidden=True),
    Role("infill", "#D3BE82", tool="infill", hidden=True),
    Role("bridge", "#2F8C8C", speed="bridge_speed", fan="bridge_fan", tool="covers"),
    Role("support", "#B97F68", speed="support_speed", flow="support_flow", tool="supports", owner="supports"),
    Role(
        "support-contact",
        "#8A4B36",
        speed="contact_speed",
        flow="support_flow",
        fan="contact_fan",
        tool="contact",
        owner="supports",
    ),
    Role("skirt", STONE, speed="first_speed", owner="bed"),
    Role("brim", STONE, owner="foot"),
    Role("raft", STONE, owner="foot"),
    Role("purge", STONE, owner="bed"),
    Role("travel", "#9AA0A6", owner="bed"),
)
ROLES = tuple(role.word for role in TABLE)
ROLE_NUMBER = {word: number for number, word in enumerate(ROLES)}

OUTER_WALL = ROLE_NUMBER["outer-wall"]
INNER_WALL = ROLE_NUMBER["inner-wall"]
GAP_FILL = ROLE_NUMBER["gap-fill"]
TOP = ROLE_NUMBER["top"]
BOTTOM = ROLE_NUMBER["bottom"]
SOLID = ROLE_NUMBER["solid"]
INFILL = ROLE_NUMBER["infill"]
BRIDGE = ROLE_NUMBER["bridge"]
SUPPORT = ROLE_NUMBER["support"]
SUPPORT_CONTACT = ROLE_NUMBER["support-contact"]
SKIRT = ROLE_NUMBER["skirt"]
BRIM = ROLE_NUMBER["brim"]
RAFT = ROLE_NUMBER["raft"]
PURGE = ROLE_NUMBER["purge"]
TRAVEL = ROLE_NUMBER["travel"]
HIDDEN = tuple(number for number, role in enumerate(TABLE) if role.hidden)
#: Of which those of a layer mostly lie over those of the one below.
UPRIGHT = OUTER_WALL, SUPPORT
#: What lies under something, so that it is hardly seen from above.
UNDERNEATH = BOTTOM, BRIDGE, SUPPORT_CONTACT
OF_PARTS = tuple(number for number, role in enumerate(TABLE) if role.owner == "part")
TOOLS: tuple[Tool, ...] = ("walls", "infill", "covers", "supports", "contact")
