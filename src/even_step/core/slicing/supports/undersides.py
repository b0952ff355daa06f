"""What of a posed part supports have to do with: facets that hang, islands, and what a hand made of them."""

from __future__ import annotations

from typing import NamedTuple

from even_step.core.slicing.hanging import Hanging
from even_step.core.slicing.islands import Islands
from even_step.core.slicing.supports.by_hand import ByHand, Marked


class Undersides(NamedTuple):
    """What may need supports; and what a hand put there, in the frame it was told in."""

    facets: Hanging
    marked: Marked
    islands: Islands
    by_hand: ByHand
