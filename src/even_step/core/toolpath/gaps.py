"""The surroundings of a point on a support, cut upright: the lines that are cut, and how far the part is from it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.toolpath.roles import OF_PARTS, SUPPORT, SUPPORT_CONTACT

REACH = 4.0  # mm to each side, up and down, that are looked at
SAME = 0.02  # mm of height within which one line lies on another
BESIDE = 3.0  # mm to the next line of the same support
FEW = 8  # places that are looked at
HOLD = (SUPPORT, SUPPORT_CONTACT)

Rows = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Surroundings:
    """A cut through lines near a point.

    Attributes
    ----------
    place : (3,) float64
        The point: the middle of a support line, at its top, mm.
    toward : (2,) float64
        Which way the cut runs: to where the part is nearest.
    line
        Width and height of the support's line there, mm.
    tip
        How high the support goes on there, mm.
    cut : (n, 5) float64
        The lines that are cut: from where to where along ``toward``, counted from the point, their top and height,
        mm, and their role.
    above, below : float
        From the support's top to the part, and from its bottom to the part it stands on, mm; not a number where there
        is none near, or where it stands on the bed.
    free : (float, float)
        From where to where, along ``toward``, nothing lies between the support and the part beside it, mm.
    stands_on_bed : bool
        Whether the support goes down to the bed.
    """

    place: Rows
    toward: Rows
    line: tuple[float, float]
    tip: float
    cut: Rows
    above: float
    below: float
    free: tuple[float, float]
    stands_on_bed: bool

    @property
    def beside(self) -> float:
        """From the support's side to the part, mm; not a number where there is none near."""
        return self.free[1] - self.free[0]


def seen_near(points: Rows, seen: Rows, at: tuple[float, float], within: float, alike: float) -> Rows:
    """Return points on some lines that are seen near a place, the nearest first, (m, 3), mm; a few at the most.

    Parameters
    ----------
    points : (n, 2, 3) float64
        Both ends of each straight piece, mm.
    seen : (n, 2, 2) float64
        Where they are seen on the screen.
    at
        The place on the screen.
    within
        How far off the nearest may be seen.
    alike
        How much further off others may be seen than the nearest.
    """
    off = np.asarray(at) - seen[:, 0]
    way = seen[:, 1] - seen[:, 0]
    share = np.clip((off * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1e-9), 0.0, 1.0)
    far = np.hypot(*(off - share[:, None] * way).T)
    best = float(far.min(initial=np.inf))
    some = np.flatnonzero(far <= best + alike) if best <= within else np.empty(0, np.int64)
    some = some[np.argsort(far[some], kind="stable")]
    some = some[np.unique(np.linspace(0, max(len(some) - 1, 0), min(len(some), FEW)).astype(int))]
    places: Rows = points[some, 0] + share[some, None] * (points[some, 1] - points[some, 0])
    return places


def pieces_of(points: NDArray[np.float32], roles: tuple[int, ...]) -> Rows:
    """Return both ends of the straight pieces of some roles' lines, (n, 2, 3), mm; ``points`` as ``Lines`` has them."""
    own = np.flatnonzero((points[:-1, 3] > 0.0) & np.isin(points[:-1, 5].astype(np.int64), roles))
    return np.stack((points[own, :3], points[own + 1, :3]), axis=1).astype(np.float64)


def surroundings(points: NDArray[np.float32], layer: NDArray[np.int64], top: Rows, place: Rows) -> Surroundings:
    """Cut upright through the lines near a point on a support.

    Parameters
    ----------
    points, layer
        As ``Lines`` has them.
    top : (L,) float64
        Of each layer, mm.
    place : (3,) float64
        The middle of a support line, at its top, mm.
    """
    table = _Table(points, layer, top)
    near = table.between(place[2] - REACH, place[2] + REACH, place)
    mine = near.holds & (near.far < SAME + near.width / 2) & (np.abs(near.top - place[2]) < SAME)
    own = int(np.argmax(mine)) if mine.any() else -1
    wide, high = (float(near.width[own]), float(near.height[own])) if own >= 0 else (0.0, 0.0)
    tip = near.tip(float(place[2]), wide)
    over = near.part & (near.far < (near.width + wide) / 2) & (near.top - near.height > tip - SAME)
    above = float((near.top - near.height)[over].min() - tip) if over.any() else np.nan
    toward = near.toward_part(place[2] - high, place[2])
    cut = near.cut(toward)
    below, on_bed = _under(table, place, place[2] - high)
    return Surroundings(place, toward, (wide, high), tip, cut, above, below, _beside(cut, place[2], high), on_bed)


def _beside(cut: Rows, z: float, high: float) -> tuple[float, float]:
    """Return from where to where no line is cut between support and part, level with a support line."""
    level = (cut[:, 2] > z - high + SAME) & (cut[:, 2] - cut[:, 3] < z - SAME)
    role = cut[:, 4].astype(np.int64)
    part = cut[level & np.isin(role, OF_PARTS) & (cut[:, 0] > 0.0), 0]
    if len(part) == 0:
        return np.nan, np.nan
    end = float(part.min())
    held = cut[level & np.isin(role, HOLD) & (cut[:, 1] < end), 1]
    return (float(held.max()), end) if len(held) else (np.nan, np.nan)


def _under(table: _Table, place: Rows, bottom: float) -> tuple[float, bool]:
    """Return how far the part lies under a support that goes on down from a height, and whether the bed does."""
    while bottom > SAME:
        near = table.between(bottom - REACH, bottom + SAME, place)
        beside = near.far < BESIDE
        mine = np.flatnonzero(near.holds & beside)
        low = bottom
        for k in mine[np.argsort(-near.top[mine], kind="stable")]:
            if near.top[k] >= low - SAME:
                low = min(low, float(near.top[k] - near.height[k]))
        if low > bottom - SAME:
            beneath = near.top[near.part & beside & (near.top < bottom + SAME)]
            return (float(bottom - beneath.max()) if len(beneath) else np.nan), False
        bottom = low
    return np.nan, True


@dataclass(frozen=True, eq=False)
class _Table:
    """Lines layer by layer."""

    points: NDArray[np.float32]
    layer: NDArray[np.int64]
    top: Rows

    def between(self, low: float, high: float, place: Rows) -> _Near:
        """Return the straight pieces near a place whose tops lie between two heights."""
        first = int(np.searchsorted(self.top, low - SAME))
        last = int(np.searchsorted(self.top, high + SAME, side="right"))
        return _Near.of(self.points[int(self.layer[first]) : int(self.layer[last])].astype(np.float64), place)


@dataclass(frozen=True, eq=False)
class _Near:
    """Straight pieces of lines near a point, with the point as origin; mm."""

    a: Rows
    b: Rows
    width: Rows
    top: Rows
    height: Rows
    role: NDArray[np.int64]
    foot: Rows
    far: Rows

    @staticmethod
    def of(rows: Rows, place: Rows) -> _Near:
        """Take those of some rows of ``Lines`` that are near a place."""
        a, b = rows[:-1, :2] - place[:2], rows[1:, :2] - place[:2]
        low, high = np.minimum(a, b), np.maximum(a, b)
        some = np.flatnonzero((rows[:-1, 3] > 0.0) & (low < REACH).all(axis=1) & (high > -REACH).all(axis=1))
        a, b, rows = a[some], b[some], rows[some]
        way = b - a
        share = np.clip(-(a * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1e-12), 0.0, 1.0)
        foot = a + share[:, None] * way
        return _Near(a, b, rows[:, 3], rows[:, 2], rows[:, 4], rows[:, 5].astype(np.int64), foot, np.hypot(*foot.T))

    @property
    def holds(self) -> NDArray[np.bool_]:
        """Which are of supports."""
        return np.isin(self.role, HOLD)

    @property
    def part(self) -> NDArray[np.bool_]:
        """Which are of parts."""
        return np.isin(self.role, OF_PARTS)

    def tip(self, top: float, wide: float) -> float:
        """Return how high the support goes on over a line of some width and top, mm."""
        low = self.top - self.height
        mine = np.flatnonzero(self.holds & (self.far < (self.width + wide) / 2) & (self.top > top))
        for k in mine[np.argsort(self.top[mine], kind="stable")]:
            if low[k] <= top + SAME:
                top = max(top, float(self.top[k]))
        return top

    def toward_part(self, low: float, high: float) -> Rows:
        """Return the direction in which the part is nearest between two heights; any where it is not near."""
        level = np.flatnonzero(self.part & (self.top > low + SAME) & (self.top - self.height < high - SAME))
        if len(level):
            next_ = int(level[np.argmin((self.far - self.width / 2)[level])])
            if self.far[next_] > 1e-6:
                way: Rows = self.foot[next_] / self.far[next_]
                return way
        return np.array([1.0, 0.0])

    def cut(self, toward: Rows) -> Rows:
        """Return what an upright plane through the point cuts of each piece, as ``Surroundings`` has it."""
        across = np.array([-toward[1], toward[0]])
        u, d = (np.stack((self.a @ way, self.b @ way), axis=1) for way in (toward, across))
        long = np.hypot(*(self.b - self.a).T)
        half = self.width / 2
        met = (d.min(axis=1) < half) & (d.max(axis=1) > -half)
        slant = np.abs(d[:, 1] - d[:, 0]) / np.maximum(long, 1e-9)
        share = np.clip(-d[:, 0] / np.where(np.abs(d[:, 1] - d[:, 0]) < 1e-9, 1e-9, d[:, 1] - d[:, 0]), 0.0, 1.0)
        middle = u[:, 0] + share * (u[:, 1] - u[:, 0])
        reach = half / np.maximum(slant, 1e-6)
        left = np.maximum(middle - reach, u.min(axis=1) - half)
        right = np.minimum(middle + reach, u.max(axis=1) + half)
        rows = np.stack((left, right, self.top, self.height, self.role), axis=1)
        seen: Rows = rows[met & (right > left)]
        return seen
