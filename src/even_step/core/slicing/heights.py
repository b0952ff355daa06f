"""Stage 1: where layers begin and end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import layers
from even_step.core.catalogue.setting import numbers_of
from even_step.core.errors import JobError
from even_step.core.slicing.following_heights import following
from even_step.core.slicing.surface import Surface

SPREAD_OVER = 5  # what remains at the top is shared by this many layers
TINY = 1e-6  # mm
MOST_LAYERS = 100_000


@dataclass(frozen=True)
class HeightSettings:
    """What the heights depend on, mm; own limits lie within the nozzle's, 0 leaves it at those."""

    height: Annotated[float, layers.HEIGHT]
    first_height: Annotated[float, layers.FIRST_HEIGHT]
    own_least: Annotated[float, layers.LEAST]
    own_most: Annotated[float, layers.MOST]
    nozzle_least: float
    nozzle_most: float
    follow: Annotated[bool, layers.FOLLOW_SURFACE] = False
    stair_step: Annotated[float, layers.STAIR_STEP] = 0.0
    ease: Annotated[float, layers.EASE] = 0.0
    set_heights: Annotated[str, layers.SET_HEIGHTS] = ""

    @property
    def least(self) -> float:
        """The thinnest layer, mm."""
        return max(self.own_least, self.nozzle_least)

    @property
    def most(self) -> float:
        """The thickest layer, mm."""
        return min(self.own_most, self.nozzle_most) if self.own_most > 0 else self.nozzle_most

    @property
    def allowed(self) -> NDArray[np.float64]:
        """The only heights that layers but the first may have, rising, mm; none where all may.

        Raises
        ------
        JobError
            When none of those that are set lies within the limits.
        """
        asked = np.unique(np.array(numbers_of(self.set_heights), np.float64))
        found = asked[(asked >= self.least - TINY) & (asked <= self.most + TINY)]
        if len(asked) and not len(found):
            raise JobError(
                f"none of {self.set_heights} mm is a height that can be laid",
                subject="layers.set_heights",
                remedy=f"{self.least:g} to {self.most:g} mm",
            )
        return found

    def one_of(self, height: float) -> float:
        """Return a height within the limits; of set heights only, the next lower one, or else the lowest."""
        height = min(max(height, self.least), self.most)
        if not len(self.allowed):
            return height
        return float(self.allowed[max(0, int(np.searchsorted(self.allowed, height + TINY, "right")) - 1)])


class HeightSpan(NamedTuple):
    """From where to where over a part's bottom layers are of a height of their own, mm."""

    low: float
    high: float
    height: float


@dataclass(frozen=True, eq=False)
class Heights:
    """The layers of a solid.

    Attributes
    ----------
    top : (L,) float64
        Height of each layer's top above the bed, mm.
    thick : (L,) float64
        Thickness of each layer, mm.
    base : float
        How high the solid stands over the bed, on what is laid beneath it, mm.
    """

    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    base: float = 0.0

    @property
    def cuts(self) -> NDArray[np.float64]:
        """The middle of each layer, where the solid is cut: counted from its own bottom, mm."""
        return self.top - self.thick / 2 - self.base

    @property
    def tops(self) -> NDArray[np.float64]:
        """Height of each layer's top over the solid's own bottom, mm."""
        return self.top - self.base

    def over(self, base: float) -> Heights:
        """Return the same layers, higher up."""
        return Heights(np.round(self.top + base, 3), self.thick, base)


def first_top(tall: float, first: float, least: float) -> float:
    """Return how high the first layer of a part is: no higher than the part, but as high as can be laid; mm."""
    return min(first, max(tall, least))


def fixed_heights(tall: float, settings: HeightSettings, spans: Sequence[HeightSpan] = ()) -> Heights:
    """Lay out equal layers up to a height, and others within some spans.

    Parameters
    ----------
    tall : float
        Height of the part, mm.
    settings
        The heights wanted and the machine's limits.
    spans
        Where other heights are wanted; where they lie over one another, the later wins. A layer ends at both ends of
        each that are at least the least height apart from the next.

    Returns
    -------
    Heights
        First the first height, then equal steps. What remains at the top, and at the end of each span, is spread over
        the last few layers by one layer more, or, where they would be thinner than the machine's least, by making
        them thicker. What no layer can meet is left: the sum then differs from ``tall`` by less than half of the
        least height.

    Raises
    ------
    JobError
        When there would be more than ``MOST_LAYERS`` layers.

    Notes
    -----
    The sum of ``thick`` up to a layer is its ``top``; all are rounded to 1 µm.
    """
    first = settings.first_height
    if tall <= first + TINY:
        return _stack(np.array([first_top(tall, first, settings.least)]))
    made, at = [np.array([first])], first
    for end, height in _steps(first, tall, settings, spans):
        thick = _equal(end - at, settings.one_of(height), settings)
        made.append(thick)
        at += float(thick.sum())
    return _stack(np.concatenate(made))


def _steps(low: float, high: float, settings: HeightSettings, spans: Sequence[HeightSpan]) -> list[tuple[float, float]]:
    """Return, from the bottom up, where each stretch of one height ends, and that height, mm."""
    ends = sorted({end for span in spans for end in (span.low, span.high) if low < end < high})
    kept: list[float] = []
    for end in ends:
        if end - (kept[-1] if kept else low) >= settings.least - TINY and high - end >= settings.least - TINY:
            kept.append(end)
    out: list[tuple[float, float]] = []
    for bottom, top in pairwise((low, *kept, high)):
        middle = (bottom + top) / 2
        height = next((one.height for one in reversed(spans) if one.low < middle < one.high), settings.height)
        if out and out[-1][1] == height:
            out.pop()
        out.append((top, height))
    return out


def _equal(tall: float, step: float, settings: HeightSettings) -> NDArray[np.float64]:
    """Return layers of one height that come to another in all, the last few as high as it takes."""
    whole = int(np.floor(tall / step + (0.499 if len(settings.allowed) else TINY)))
    _refuse_too_many(tall, step)
    rest = tall - whole * step
    thick = np.full(whole, step)
    return _spread(thick, rest, step, settings) if rest > TINY and not len(settings.allowed) else thick


def following_heights(
    tall: float, surface: Surface, settings: HeightSettings, spans: Sequence[HeightSpan] = ()
) -> Heights:
    """Lay out layers that follow a surface up to a height; see ``following``.

    Raises
    ------
    JobError
        When there would be more than ``MOST_LAYERS`` layers.
    """
    first = settings.first_height
    if tall <= first + TINY:
        return _stack(np.array([first_top(tall, first, settings.least)]))
    limits = settings.least, settings.most, settings.stair_step, settings.ease
    _refuse_too_many(tall, settings.least)
    held = np.array([tuple(span) for span in spans], np.float64).reshape(-1, 3)
    thick = following(first, tall, surface, limits, held, settings.allowed)
    return _stack(np.concatenate(([first], thick)))


def _refuse_too_many(tall: float, step: float) -> None:
    if tall / step > MOST_LAYERS:
        raise JobError(
            f"{tall:g} mm in layers of {step:g} mm are more than {MOST_LAYERS} layers",
            subject="layers.height",
            remedy="thicker layers, or a lower part",
        )


def _spread(thick: NDArray[np.float64], rest: float, step: float, settings: HeightSettings) -> NDArray[np.float64]:
    """Share what remains among the last layers."""
    shared = min(SPREAD_OVER - 1, len(thick))
    thinner = (shared * step + rest) / (shared + 1)
    if thinner >= settings.least - TINY:
        return np.concatenate((thick[: len(thick) - shared], np.full(shared + 1, thinner)))
    shared = min(SPREAD_OVER, len(thick))
    if shared and (thicker := step + rest / shared) <= settings.most + TINY:
        return np.concatenate((thick[: len(thick) - shared], np.full(shared, thicker)))
    if rest >= settings.least / 2:
        return np.append(thick, settings.least)
    return thick


def _stack(thick: NDArray[np.float64]) -> Heights:
    top: NDArray[np.float64] = np.round(np.cumsum(thick), 3).astype(np.float64)
    return Heights(top, np.round(np.diff(top, prepend=0.0), 3))
