"""What the window asks of the worker, and what comes back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from even_step.app.work.shared import Layout
from even_step.core.job.kept_trials import KeptTrial
from even_step.core.job.model import Job
from even_step.core.mesh.mesh import Repair

#: mm, how far the fine lines of a slice stray from the true ones.
FINE_STRAY = 0.05


@dataclass(frozen=True)
class ReadFile:
    """Read a model file; a copy of it is kept in ``folder``, so that the job outlives the file."""

    path: str
    folder: str
    repair: Repair = "winding"


@dataclass(frozen=True)
class OpenJob:
    """Open a saved job or a job in text, with every file it needs kept in ``folder`` and every copy placed.

    The answer is an ``Opened``.
    """

    path: str
    folder: str


@dataclass(frozen=True)
class Opened:
    """A job that was opened, the trials kept with it, and what there is to tell."""

    job: Job
    trials: tuple[KeptTrial, ...]
    told: tuple[str, ...]


@dataclass(frozen=True)
class SliceJob:
    """Slice a job."""

    job: Job


@dataclass(frozen=True)
class MeasureJob:
    """Slice a job for its figures alone; the answer is its row in a table."""

    job: Job


@dataclass(frozen=True)
class ExportGcode:
    """Write a job's G-code; ``force`` writes although a finding stops it."""

    job: Job
    path: str
    force: bool = False


@dataclass(frozen=True)
class SaveJob:
    """Save a job as one file, with its trials."""

    job: Job
    path: str
    trials: tuple[KeptTrial, ...] = ()


@dataclass(frozen=True)
class FindVoids:
    """Find the voids of one layer of a sliced job."""

    job: Job
    layer: int


@dataclass(frozen=True)
class AskLine:
    """Ask why a path of a sliced job is as it is at a place on the bed, mm; the answer is a ``LineStory``."""

    job: Job
    path: int
    at: tuple[float, float]


@dataclass(frozen=True)
class AskCode:
    """Ask for the G-code of one layer of a sliced job, and which line of it comes to which point."""

    job: Job
    layer: int


@dataclass(frozen=True)
class ForeseeSupports:
    """Find the columns of supports of a job, before it is sliced."""

    job: Job


@dataclass(frozen=True)
class ForeseeHeights:
    """Find the layers of a job's parts, before it is sliced."""

    job: Job


@dataclass(frozen=True)
class ForeseeTexture:
    """Find what of a job's parts will be rough, before it is sliced."""

    job: Job


@dataclass(frozen=True)
class CutParts:
    """Cut the parts of a job open at a height, mm, before it is sliced."""

    job: Job
    height: float


#: What is asked of a job as it is, before it is sliced.
Wish = ForeseeSupports | ForeseeHeights | ForeseeTexture | CutParts
Request = ReadFile | OpenJob | SliceJob | MeasureJob | ExportGcode | SaveJob | FindVoids | AskLine | AskCode | Wish
#: Done in the worker's second thread: short, and wanted although a slice is running.
ASIDE = (ReadFile, OpenJob, SaveJob, ForeseeSupports, ForeseeHeights, ForeseeTexture, CutParts)


@dataclass(frozen=True)
class Begin:
    """A request on its way, under a number that its answers carry."""

    number: int
    request: Request


@dataclass(frozen=True)
class CallOff:
    """Call off the request of a number."""

    number: int


@dataclass(frozen=True)
class GoHome:
    """Leave: the window closes."""


@dataclass(frozen=True)
class StartOver:
    """Call everything off and forget it; the answer is ``Fresh``, and nothing comes after it."""


@dataclass(frozen=True)
class Fresh:
    """The worker is as it was when it was started."""


@dataclass(frozen=True)
class Heartbeat:
    """The worker is there, whatever it is doing; told every second."""


@dataclass(frozen=True)
class Progress:
    """A request is at a stage, so far along in all (0 to 1)."""

    number: int
    stage: str
    share: float


@dataclass(frozen=True)
class Answer:
    """A request has ended. When it is done, the block of memory follows in which arrays lie as ``layout`` says.

    ``place`` is the part and the height in mm at which it failed, where that is known.
    """

    number: int
    outcome: Literal["done", "cancelled", "failed"]
    facts: Any = None
    place: tuple[str, float] | None = None
    layout: Layout = ()
