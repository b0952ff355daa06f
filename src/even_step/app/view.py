"""What the window shows of the job: station, bed, tool in hand, layers, roles. Not part of the job."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from even_step.app.cut_plane import CutPlane
from even_step.core.catalogue.setting import Level
from even_step.core.channels import Channel

STATIONS = ("Machine", "Parts", "Recipe", "Supports", "Layers", "Output")
TOOLS = ("move", "turn", "size", "face", "pose", "measure", "zone", "zone-face", "zone-backing")
#: What belongs to the job that was looked at, and not to the one that comes.
RESET_WITH_JOB = (
    "cut",
    "colour_by",
    "hidden_roles",
    "hidden_heights",
    "section",
    "plane",
    "lens",
    "playing",
    "finding",
)


class View(QObject):
    """The state of the view; each change says which piece it was."""

    changed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.station = "Parts"
        self.tool = "move"
        self.bed = 0
        self.layers = (0, 0)
        self.hidden_roles: frozenset[str] = frozenset({"travel"})
        self.hidden_heights: frozenset[tuple[float, float]] = frozenset()  # of lines, mm
        self.colour_by: Channel = "role"
        self.section = False
        self.lens = False
        self.plane: CutPlane | None = None  # at which the layers are cut, upright
        self.code = False  # the G-code of the layer in hand, beside the canvas
        self.ghosts = False  # of parts, over their layers
        self.marks = False  # of seams, retractions and lifts in the layer in hand
        self.level: Level = "short"
        self.along = 1.0
        self.cut = 0.0  # mm over the bed at which parts are cut open; 0 leaves them whole
        self.finding = -1
        self.pin = -1  # that is looked at, of the job's
        self.pointed_z = -1.0  # mm, the height the pointer is at; less than 0 for none
        self.pointed_path = -1  # of the trial shown, that the pointer rests on
        self.playing = False
        self.pace = 0.0  # times as fast as it prints; 0 plays the whole in half a minute

    def set(self, piece: str, value: object) -> None:
        """Set one piece of the state."""
        if getattr(self, piece) != value:
            setattr(self, piece, value)
            self.changed.emit(piece)

    def toggle(self, piece: str) -> None:
        """Turn a piece that is on or off the other way."""
        self.set(piece, not getattr(self, piece))

    def reset_for_new_job(self) -> None:
        """Look at a new job as at a first start; station, tool and what is asked of the sheets stay."""
        first = View()
        for piece in RESET_WITH_JOB:
            self.set(piece, getattr(first, piece))

    def show_layers(self, first: int, last: int, count: int) -> None:
        """Show the layers from one to another, both within what there is."""
        last = max(0, min(last, count - 1))
        self.along = 1.0
        self.set("layers", (max(0, min(first, last)), last))
