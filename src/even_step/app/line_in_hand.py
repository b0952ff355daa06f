"""The line that the path of the layer in hand has come to."""

from __future__ import annotations

from even_step.app.trials import Trial
from even_step.app.view import View
from even_step.core.job.spots import Spot, stood

Place = tuple[float, float, float]


def line_in_hand(trial: Trial | None, view: View) -> tuple[int, Place] | None:
    """Return the path that the layer in hand has come to, and where, mm; none where the layer has none."""
    if trial is None or trial.lines is None or trial.lines.count == 0:
        return None
    lines, layer = trial.lines, min(view.layers[1], trial.lines.count - 1)
    first, end = int(lines.layer[layer]), int(lines.layer[layer + 1])
    if end == first:
        return None
    at = max(first, first + round(view.along * (end - first)) - 1)
    x, y, z = (float(one) for one in lines.points[at, :3])
    return int(lines.path[at]), (x, y, z)


def spot_of_path(trial: Trial, path: int) -> Spot | None:
    """Return the copy that a path of a trial is of; none where it is no part's."""
    number = int(trial.lines.by_part[path]) if trial.lines is not None else -1
    spots = [spot for spot, _, _ in stood(trial.job)]
    return spots[number] if 0 <= number < len(spots) else None
