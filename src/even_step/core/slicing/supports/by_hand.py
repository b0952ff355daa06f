"""Stage 7, by hand: what marks and posts on a part's surface make of that which hangs."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import supports
from even_step.core.job.by_hand import Mark, Post
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.patches import Corners, Facets, Spot, cut_by_ball, nearest, up_to_folds, within
from even_step.core.plane.ragged import Points
from even_step.core.slicing.hanging import FLAT, Hanging, bare_ceilings
from even_step.core.slicing.supports.by_zone import Claim
from even_step.core.work import Crew

OFF = 1.0  # mm, from the surface: a spot further away belongs to no part of it
FINEST = 0.4  # mm, to which facets are cut where a mark ends
FACES_DOWN = 0.05  # of a facet's normal: what stands steeper rests on nothing
LEANS = float(np.tan(np.radians(60.0)))  # of a post's height, how far aside its foot may be
NOTHING = np.empty((0, 3, 3))


@dataclass(frozen=True)
class ByHandSettings:
    """How much of show faces supports may touch, mm²."""

    show_contact: Annotated[float, supports.SHOW_CONTACT]


@dataclass(frozen=True, eq=False)
class ByHand:
    """What a hand put on a part, and how the frame it is told in comes to lie in the solid's: turned, then shifted."""

    posts: tuple[Post, ...]
    marks: tuple[Mark, ...]
    matrix: NDArray[np.float64]
    shift: NDArray[np.float64]

    @property
    def is_nothing(self) -> bool:
        """Whether there is neither post nor mark."""
        return not (self.posts or self.marks)

    def posed(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return points (..., 3) of the part's frame in the solid's, mm."""
        return np.asarray(points @ self.matrix.T + self.shift)

    def told(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return points (..., 3) of the solid's frame in the part's, mm."""
        return np.asarray((points - self.shift) @ np.linalg.inv(self.matrix).T)


class Idle(NamedTuple):
    """A post or mark that does nothing: what it is, why, and where it was to be, mm."""

    what: str
    because: str
    at: tuple[float, float, float]


class StandingPost(NamedTuple):
    """A post as it is to stand: the spot it holds, radius, and where its foot is, mm."""

    at: NDArray[np.float64]
    radius: float
    foot: Points


@dataclass(frozen=True, eq=False)
class Marked:
    """What a hand made of that which hangs.

    Attributes
    ----------
    hold, clear, show : (n,) bool
        Which hanging facets are to be held in any case, which are to be left alone, and which are seen.
    bare : (m, 3, 3) float64
        Facets that nothing may stand on, mm.
    seen : (k, 3, 3) float64
        Show faces turned up, mm, of which supports may stand on ``left`` mm².
    posts : of StandingPost
        Posts that hold something.
    idle : of Idle
        Posts and marks that do nothing.
    """

    hold: NDArray[np.bool_]
    clear: NDArray[np.bool_]
    show: NDArray[np.bool_]
    bare: Corners = field(default_factory=lambda: NOTHING)
    seen: Corners = field(default_factory=lambda: NOTHING)
    left: float = 0.0
    posts: tuple[StandingPost, ...] = ()
    idle: tuple[Idle, ...] = ()


def unmarked(count: int) -> Marked:
    """Return what holds where nobody marked anything, for so many facets."""
    none = np.zeros(count, bool)
    return Marked(none, none, none)


def marked(
    mesh: Mesh,
    hanging: Hanging,
    by_hand: ByHand,
    first_top: float,
    settings: ByHandSettings,
    crew: Crew,
    claims: tuple[Claim, ...] = (),
) -> tuple[Hanging, Marked]:
    """Apply marks and posts to what hangs.

    Parameters
    ----------
    mesh
        The posed solid.
    hanging
        What of it hangs past the limit.
    by_hand
        Marks and posts; of marks over each other the later holds.
    first_top
        Where its first layer ends, mm: what lies wholly below rests on the bed.
    settings
        How much of show faces may be touched.
    claims
        Zones that hold what hangs or keep it clear; marks go before.

    Returns
    -------
    Hanging, Marked
        What is held in any case hangs as well; facets are cut where marks end.
    """
    if by_hand.is_nothing and not claims:
        return hanging, unmarked(len(hanging.facet))
    told, idle = Mesh(by_hand.told(mesh.vertices), mesh.faces), []
    nowhere: set[int] = set()
    kinds = (*(claim.kind for claim in claims), *(mark.kind for mark in by_hand.marks))
    rows = _Rows(hanging, by_hand, len(kinds))
    turned_up: dict[str, list[Corners]] = {"keep-clear": [], "show": []}
    for number, claim in enumerate(claims):
        turned_up["keep-clear"] += _claimed(claim, number, mesh, rows, first_top)
    for number, mark in enumerate(by_hand.marks, len(claims)):
        patch = _patch_of(mark, told)
        if isinstance(patch, str):
            idle.append(Idle(f"a mark to {_WORDS[mark.kind]}", patch, _place(mark, by_hand)))
            nowhere.add(number)
            continue
        if mark.kind == "hold":
            rows.add(_facing_down(mesh, patch.facets, first_top, hanging.facet), number)
        rows.put(number, patch)
        if mark.kind != "hold":
            turned_up[mark.kind].append(_facing_up(mesh, patch, by_hand))
    posts, useless = _posts(mesh, by_hand, first_top)
    rows.settle(mesh, crew)
    facets, of = rows.done(tuple(kind == "hold" for kind in kinds))
    for number, mark in enumerate(by_hand.marks, len(claims)):
        if mark.kind == "hold" and number not in nowhere and not (of == number).any():
            idle.append(
                Idle("a mark to hold", "nothing of it faces down, or a later one lies over it", _place(mark, by_hand))
            )
    kind = np.array([*kinds, ""])[of]
    granted, left = _granted(facets.area, np.where(kind == "show", of, -1), settings.show_contact)
    show = kind == "show"
    clear = (kind == "keep-clear") | (show & ~granted)
    bare, seen = (np.concatenate((NOTHING, *some)) for some in turned_up.values())
    return facets, Marked(kind == "hold", clear, show, bare, seen, left, posts, tuple(idle + useless))


_WORDS = {"hold": "hold", "keep-clear": "keep clear", "show": "show"}


class _Patch(NamedTuple):
    """The facets of a mark, and the ball in which it lies, in the part's frame, mm."""

    facets: Facets
    ball: tuple[NDArray[np.float64], float] | None


def _patch_of(mark: Mark, told: Mesh) -> _Patch | str:
    """Return where a mark lies, or why it lies nowhere."""
    if mark.near is None:
        return _Patch(np.array(mark.facets, np.int64), None)
    point = np.array(mark.near)
    spot = nearest(told.vertices[told.faces], point)
    if spot.away > OFF:
        return _off(spot)
    if mark.crease is not None:
        return _Patch(up_to_folds(told, spot.facet, mark.crease), None)
    return _Patch(within(told, spot, spot.at, mark.radius), (spot.at, mark.radius))


def _off(spot: Spot) -> str:
    return f"it lies {spot.away:.1f} mm off the surface"


def _place(one: Mark | Post, by_hand: ByHand) -> tuple[float, float, float]:
    point = one.at if isinstance(one, Post) else one.near
    x, y, z = by_hand.posed(np.array(point)).tolist() if point else (0.0, 0.0, 0.0)
    return x, y, z


def _normals(corners: Corners) -> NDArray[np.float64]:
    """Return outward normals as long as the facets' areas, (n, 3)."""
    return np.asarray(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) / 2)


def _rise(corners: Corners) -> NDArray[np.float64]:
    """Return how far facets (n, 3, 3) are turned up, 1 for a level one seen from above."""
    normal = _normals(corners)
    return np.asarray(normal[:, 2] / np.maximum(np.linalg.norm(normal, axis=1), 1e-30))


def _facing_down(mesh: Mesh, facets: Facets, first_top: float, known: Facets) -> tuple[Facets, Corners]:
    """Return those of some facets that something can hold and that do not hang past the limit."""
    facets = np.setdiff1d(facets, known)
    corners = mesh.vertices[mesh.faces[facets]]
    some = (_rise(corners) < -FACES_DOWN) & (corners[:, :, 2].max(axis=1) > first_top)
    return facets[some], corners[some]


def _facing_up(mesh: Mesh, patch: _Patch, by_hand: ByHand) -> Corners:
    """Return what of a patch something could stand on, mm."""
    corners = mesh.vertices[mesh.faces[patch.facets]]
    corners = corners[_rise(corners) > FACES_DOWN]
    if patch.ball is None:
        return np.asarray(corners)
    pieces, _, inside = cut_by_ball(by_hand.told(corners), *patch.ball, FINEST)
    return by_hand.posed(pieces[inside])


def _granted(area: NDArray[np.float64], of: NDArray[np.int64], budget: float) -> tuple[NDArray[np.bool_], float]:
    """Return which facets of show faces may be touched, whole faces, the smallest first; and what is left, mm²."""
    out, left = np.zeros(len(area), bool), budget
    faces = [(float(area[of == number].sum()), number) for number in np.unique(of[of >= 0]).tolist()]
    for wanted, number in sorted(faces):
        if wanted > left:
            break
        out[of == number] = True
        left -= wanted
    return out, left


def _posts(mesh: Mesh, by_hand: ByHand, first_top: float) -> tuple[tuple[StandingPost, ...], list[Idle]]:
    """Return the posts that hold something, and why others do not."""
    posts, idle, corners = [], [], mesh.vertices[mesh.faces]
    for post in by_hand.posts:
        spot = nearest(corners, by_hand.posed(np.array(post.at)))
        at = spot.at
        up = float(_rise(corners[[spot.facet]])[0])
        if spot.away > OFF:
            why = _off(spot)
        elif up >= -FACES_DOWN:
            why = "the surface faces up there" if up > FACES_DOWN else "the surface stands upright there"
        elif at[2] <= first_top:
            why = "the surface rests on the bed there"
        else:
            foot = at if post.foot is None else by_hand.posed(np.array([*post.foot, post.at[2]]))
            if np.hypot(*(foot - at)[:2]) <= LEANS * at[2]:
                posts.append(StandingPost(at, post.diameter / 2, foot[:2]))
                continue
            why = "it leans by more than 60°"
        idle.append(Idle("a post", why, _place(post, by_hand)))
    return tuple(posts), idle


def _claimed(claim: Claim, number: int, mesh: Mesh, rows: _Rows, first_top: float) -> list[Corners]:
    """Let a zone claim what hangs within it; returns what of it nothing may stand on."""
    corners = mesh.vertices[mesh.faces]
    near = np.flatnonzero(claim.reaches(corners))
    if claim.kind == "hold":
        rows.add(_facing_down(mesh, near, first_top, rows.facet), number)
    mine = claim.reaches(rows.corners)
    rows.cut(number, mine, *claim.cut(rows.corners[mine], above=True))
    if claim.kind == "hold":
        return []
    up = corners[near][_rise(corners[near]) > FACES_DOWN]
    pieces, _, inside = claim.cut(up, above=False)
    return [pieces[inside]]


class _Rows:
    """Hanging facets while marks cut and claim them."""

    def __init__(self, hanging: Hanging, by_hand: ByHand, nobody: int) -> None:
        """Begin with what hangs past the limit; ``nobody`` is the number of no mark."""
        self._by_hand, self._nobody = by_hand, nobody
        self.facet, self.area, self.patch, self.corners = hanging.facet, hanging.area, hanging.patch, hanging.corners
        self.of = np.full(len(self.facet), nobody, np.int64)
        self.past = np.ones(len(self.facet), bool)  # past the limit, without any mark

    def add(self, more: tuple[Facets, Corners], mark: int) -> None:
        """Add facets that hang only because a mark says so."""
        facets, corners = more
        new = ~np.isin(facets, self.facet)
        facets, corners = facets[new], corners[new]
        self.facet = np.concatenate((self.facet, facets))
        self.corners = np.concatenate((self.corners, corners))
        self.area = np.concatenate((self.area, -_normals(corners)[:, 2]))
        patch = int(self.patch.max(initial=-1)) + 1 + mark
        self.patch = np.concatenate((self.patch, np.full(len(facets), patch)))
        self.of = np.concatenate((self.of, np.full(len(facets), self._nobody)))
        self.past = np.concatenate((self.past, np.zeros(len(facets), bool)))

    def put(self, mark: int, patch: _Patch) -> None:
        """Let a mark claim what lies in its patch."""
        mine = np.isin(self.facet, patch.facets)
        if patch.ball is None:
            self.of[mine] = mark
            return
        pieces, owner, inside = cut_by_ball(self._by_hand.told(self.corners[mine]), *patch.ball, FINEST)
        self.cut(mark, mine, self._by_hand.posed(pieces), owner, inside)

    def cut(
        self,
        mark: int,
        mine: NDArray[np.bool_],
        pieces: Corners,
        owner: NDArray[np.int64],
        inside: NDArray[np.bool_],
    ) -> None:
        """Put pieces in the place of some facets, and let a mark or a zone claim those that lie inside."""
        source = np.flatnonzero(mine)[owner]
        whole = np.linalg.norm(_normals(self.corners), axis=1)
        share = np.linalg.norm(_normals(pieces), axis=1) / np.maximum(whole[source], 1e-30)
        of = np.where(inside, mark, self.of[source])
        self.area = np.concatenate((self.area[~mine], self.area[source] * share))
        self.of = np.concatenate((self.of[~mine], of))
        self.corners = np.concatenate((self.corners[~mine], pieces))
        for name in ("facet", "patch", "past"):
            column = getattr(self, name)
            setattr(self, name, np.concatenate((column[~mine], column[source])))

    def settle(self, mesh: Mesh, crew: Crew) -> None:
        """Measure anew what is left bare of flat facets that are buried in part: not every piece is as much."""
        whole = -_normals(self.corners)[:, 2]
        some = np.flatnonzero((np.ptp(self.corners[:, :, 2], axis=1) < FLAT) & (self.area < 0.999 * whole))
        self.area[some] = bare_ceilings(mesh, self.corners[some], crew)

    def done(self, holds: tuple[bool, ...]) -> tuple[Hanging, NDArray[np.int64]]:
        """Return what hangs now, and the mark of each facet."""
        kept = self.past | np.array([*holds, False])[self.of]
        corners = self.corners[kept]
        low, high = corners[:, :, 2].min(axis=1), corners[:, :, 2].max(axis=1)
        middle = corners[:, :, :2].mean(axis=1)
        facets = Hanging(self.facet[kept], self.area[kept], self.patch[kept], low, middle, high - low < FLAT, corners)
        return facets, self.of[kept]


def own_facets(marks: tuple[Mark, ...], counts: tuple[int, ...], bodies: tuple[int, ...]) -> tuple[Mark, ...]:
    """Return marks with their facets counted through some bodies of a model, by how many facets each of all has.

    What lies on other bodies is left out, and a mark that lies on none of them.
    """
    ends = np.cumsum((0, *counts))
    place = np.full(int(ends[-1]), -1, np.int64)
    mine = np.concatenate([np.arange(ends[body], ends[body + 1]) for body in bodies or range(len(counts))])
    place[mine] = np.arange(len(mine))
    out = []
    for mark in marks:
        if mark.near is not None:
            out.append(mark)
        elif len(some := place[np.array(mark.facets)]) and (some >= 0).any():
            out.append(mark.model_copy(update={"facets": tuple(some[some >= 0].tolist())}))
    return tuple(out)
