"""Layers that repeat an earlier one: their G-code is its, but for the heights."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from even_step.core.motion.comments import GcodeJob, fan_before
from even_step.core.motion.expand import moves_alike

KEPT = 128_000_000  # bytes of layers that are kept to be repeated


def _height(z: float) -> bytes:
    """Return the word of a height, rounded as the writer rounds."""
    micrometres = round(z * 1000.0)
    return f" Z{micrometres // 1000}.{micrometres % 1000:03d}".encode()


class Form:
    """A layer's text, cut open wherever a height stands.

    Parameters
    ----------
    text
        As written.
    heights : (n, 2) int64
        Where each height's word begins and ends.
    top
        The layer's own height, mm; any other is that of the lifted nozzle.
    """

    def __init__(self, text: bytes, heights: NDArray[np.int64], top: float) -> None:
        own = _height(top)
        self.lifted = [text[a:b] != own for a, b in heights.tolist()]
        cuts = [0, *heights.ravel().tolist(), len(text)]
        self.between = [text[a:b] for a, b in list(pairwise(cuts))[::2]]
        self.size = len(text)

    def at(self, top: float, lifted: float) -> bytes:
        """Return the text of a layer like this one at another height, mm."""
        words = _height(top), _height(lifted)
        pieces = [self.between[0]]
        for is_lifted, text in zip(self.lifted, self.between[1:], strict=True):
            pieces += (words[is_lifted], text)
        return b"".join(pieces)


class Forms:
    """The forms of a file's layers that come again, as many as fit."""

    def __init__(self, source: GcodeJob, alike: NDArray[np.int64]) -> None:
        self._source, self._alike = source, alike
        self._wanted = set(alike[alike != np.arange(len(alike))].tolist())
        self._forms: dict[int, Form] = {}
        self._room = KEPT

    @staticmethod
    def of(source: GcodeJob) -> Forms:
        """Find the layers that are written like an earlier one; the fan must turn alike, and the pace be one."""
        path = source.toolpath
        alike = moves_alike(path, source.settings)
        told = np.searchsorted(path.layer, list(source.extruders.before), side="right") - 1
        alike[told] = told  # what is said of extruders is said once
        for layer in np.flatnonzero(alike != np.arange(len(alike))).tolist():
            model = int(alike[layer])
            (a, b), (c, d) = path.layer[layer : layer + 2], path.layer[model : model + 2]
            same = fan_before(source, layer) == fan_before(source, model)
            same = same and source.plan.pace[layer] == source.plan.pace[model]
            if not same or (source.fans[a:b] != source.fans[c:d]).any():
                alike[layer] = layer
        return Forms(source, alike)

    def wanted(self, layer: int) -> bool:
        """Tell whether a layer comes again and there is room to keep it."""
        return layer in self._wanted and self._room > 0

    def keep(self, layer: int, form: Form) -> None:
        """Keep a layer that comes again."""
        self._room -= form.size
        self._forms[layer] = form

    def again(self, layer: int) -> tuple[bytes, ...]:
        """Return the text of a layer that repeats one that is kept, else nothing."""
        model = int(self._alike[layer])
        form = self._forms.get(model) if model != layer else None
        if form is None:
            return ()
        top = float(self._source.toolpath.top[layer])
        settings = self._source.settings
        return (form.at(top, top + settings.most_lift),)
