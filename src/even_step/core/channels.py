"""What lines can be coloured by: names and units, without what works them out, for a window shows them at its start."""

from __future__ import annotations

from typing import Literal

Channel = Literal[
    "role", "material", "part", "zone", "height", "width", "speed", "flow", "fan", "time", "overhang", "only"
]
#: Those that are a scale, with the unit of their numbers.
SCALES: dict[Channel, str] = {
    "height": "mm",
    "width": "mm",
    "speed": "mm/s",
    "flow": "mm³/s",
    "fan": "%",
    "time": "s a layer",
    "overhang": "% over air",
}
#: The last is what only the trial shown has, against another.
CHANNELS: tuple[Channel, ...] = ("role", "material", "part", "zone", *SCALES, "only")
