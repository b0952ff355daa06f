"""Solids that hang, and plain checks of what holds them: by points and polygons, with nothing of the stage's own."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
import shapely
import trimesh

from even_step.core.job.shipped import DATA
from even_step.core.toolpath.roles import SUPPORT, SUPPORT_CONTACT
from tests.shapes import ball, box

HOLD = {SUPPORT, SUPPORT_CONTACT}


def tee(arm=20.0):
    """A stem with an arm to either side, 20 mm up."""
    return np.concatenate((box(6, 10, 20), box(6 + 2 * arm, 10, 4, (0, 0, 19.99))))


def table():
    legs = [box(4, 4, 12, (x, y, 0)) for x in (-13, 13) for y in (-13, 13)]
    return np.concatenate((*legs, box(32, 32, 3, (0, 0, 11.99))))


def over_another():
    """A cube on a column over another cube."""
    return np.concatenate((box(14, 14, 8), box(3, 3, 10, (0, 0, 7.99)), box(14, 14, 8, (0, 0, 16))))


def leaning(angle, toward, size=10.0, rise=8.0):
    """A block with one side that leans by an angle toward a direction of the compass, degrees."""
    run = rise * math.tan(math.radians(angle))
    side = size / 2
    low = np.array([(-side, -side, 0), (side, -side, 0), (side, side, 0), (-side, side, 0)], float)
    high = np.array([(-side, -side, rise), (side + run, -side, rise), (side + run, side, rise), (-side, side, rise)])
    corners = np.concatenate((low, high))
    cos, sin = math.cos(math.radians(toward)), math.sin(math.radians(toward))
    corners[:, :2] = corners[:, :2] @ np.array([[cos, sin], [-sin, cos]])
    faces = [(0, 2, 1), (0, 3, 2), (4, 5, 6), (4, 6, 7)]
    for a in range(4):
        b = (a + 1) % 4
        faces += [(a, b, b + 4), (a, b + 4, a + 4)]
    return corners[np.array(faces)]


def fan(angle=60.0, apart=45.0):
    """Four leaning blocks, toward +x, +y, −x and −y."""
    out = []
    for toward in (0, 90, 180, 270):
        turn = math.radians(toward)
        out.append(leaning(angle, toward) + (apart * math.cos(turn), apart * math.sin(turn), 0))
    return np.concatenate(out)


def bell(sides=48):
    """A bell upside down: a cup that widens upward, on a short foot."""
    profile = np.array([(0, 0), (3, 0), (3, 4), (8, 8), (14, 11), (15, 14), (13.5, 14), (12.5, 12), (7, 9.5), (0, 8)])
    mesh = trimesh.creation.revolve(profile, sections=sides)
    return np.asarray(mesh.triangles)


def arch():
    """A block with a round way through it."""
    way = trimesh.creation.cylinder(8.0, 30.0, sections=96)
    way.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, (1, 0, 0)))
    block = trimesh.creation.box((24, 12, 14), trimesh.transformations.translation_matrix((0, 0, 7)))
    return np.asarray(trimesh.boolean.difference([block, way]).triangles)


def demo_part(name, size):
    """A part of the demo, sized so that it is quick to look at."""
    return np.asarray(trimesh.load(DATA / "demo" / f"{name}.stl").triangles) * size


def cup():
    return demo_part("wind_cup", 0.5)


def finial():
    return demo_part("finial", 0.5)


def sphere():
    return ball(12.0, 4)


def limit_at(limits, degrees):
    turn = (degrees / 90.0) % 4.0
    first = int(turn) % 4  # a hair below nothing is four
    return limits[first] + (limits[(first + 1) % 4] - limits[first]) * (turn - int(turn))


def points_that_hang(facets, limits, above, step=1.5):
    """Points of facets that lean further than the limit toward their direction, as plainly as can be."""
    found = []
    for tri in facets:
        normal = np.cross(tri[1] - tri[0], tri[2] - tri[0])
        if normal[2] >= 0 or tri[:, 2].max() <= above:
            continue
        angle = math.degrees(math.atan2(-normal[2], math.hypot(normal[0], normal[1])))
        if angle <= limit_at(limits, math.degrees(math.atan2(normal[1], normal[0]))) + 0.01:
            continue
        n = max(2, math.ceil(max(np.linalg.norm(tri[i] - tri[i - 1]) for i in range(3)) / step))
        for i in range(n):
            for j in range(n - i):
                a, b = (i + 1 / 3) / n, (j + 1 / 3) / n
                found.append(tri[0] + a * (tri[1] - tri[0]) + b * (tri[2] - tri[0]))
    return np.array(found).reshape(-1, 3)


def drawn(toolpath, layer, roles):
    """What the lines of some roles cover in a layer of the bed."""
    some = []
    for p in range(toolpath.layer[layer], toolpath.layer[layer + 1]):
        if toolpath.role[p] in roles:
            xy = toolpath.xy[toolpath.start[p] : toolpath.start[p + 1]]
            some.append(shapely.LineString(xy).buffer(float(toolpath.width[p]) / 2))
    return shapely.union_all(some)


def _whole(shape):
    """A shape with its holes filled: a hollow branch carries what is upon it."""
    return shapely.union_all([shapely.Polygon(piece.exterior) for piece in shapely.get_parts(shape)])


class _Layers(Mapping):
    """Thickness and drawing of each layer with supports, by its top; drawn when it is asked for."""

    def __init__(self, path):
        self._path, self._of, self._drawn = path, {}, {}
        for k in range(path.layers):
            held = np.isin(path.role[path.layer[k] : path.layer[k + 1]], list(HOLD))
            if held.any():
                thick = path.height[path.layer[k] + int(np.argmax(held))]
                self._of[float(path.top[k])] = k, float(thick)

    def __getitem__(self, top):
        k, thick = self._of[top]
        if top not in self._drawn:
            self._drawn[top] = drawn(self._path, k, HOLD)
        return thick, self._drawn[top]

    def __iter__(self):
        return iter(self._of)

    def __len__(self):
        return len(self._of)


class Laid:
    """Supports of a slice of one part, as they are drawn, by the top of their layer; the part's own outlines."""

    def __init__(self, done):
        self.done, path = done, done.sliced.toolpath
        (self.placed,) = done.sliced.placed
        self.solid = done.sliced.solids[self.placed.solid]
        self.layers = _Layers(path)

    def outline(self, layer):
        outlines = self.solid.outlines
        shape = outlines.outline[outlines.which[layer]]
        return shapely.affinity.translate(shape, *self.placed.at)

    def under(self, point, reach):
        """The highest top of a support that covers a place, within a reach, below a height; −inf for none."""
        x, y, z = point
        spot = shapely.Point(x + self.placed.at[0], y + self.placed.at[1]).buffer(reach)
        below = sorted((top for top in self.layers if top < z + 1e-6), reverse=True)
        return next((top for top in below if self.layers[top][1].intersects(spot)), -math.inf)

    def bites(self, gap_above, beside):
        """How much of the supports lies nearer to the part than it may, mm²."""
        heights, worst = self.solid.heights, 0.0
        for top, (thick, shape) in self.layers.items():
            for k, (high, own) in enumerate(zip(heights.top, heights.thick, strict=True)):
                low = high - own
                if low < top - 1e-6 and high > top - thick + 1e-6:
                    worst = max(worst, shape.intersection(self.outline(k).buffer(beside - 0.02)).area)
                elif top - 1e-6 <= low < top + gap_above - 0.01:
                    worst = max(worst, shape.intersection(self.outline(k).buffer(-0.02)).area)
        return worst

    def floating(self, reach):
        """How much of the supports has neither supports, part nor bed within a reach beneath, mm²."""
        tops, heights, worst = sorted(self.layers), self.solid.heights, 0.0
        for top in tops:
            thick, shape = self.layers[top]
            bottom = top - thick
            if bottom < 1e-6:
                continue
            beneath = [_whole(self.layers[one][1]) for one in tops if bottom - 0.35 < one < bottom + 1e-6]
            own = (heights.top > bottom - 1.0) & (heights.top < bottom + 1e-6)
            beneath += [self.outline(k) for k in np.flatnonzero(own)]
            worst = max(worst, shape.difference(shapely.union_all(beneath).buffer(reach)).area)
        return worst
