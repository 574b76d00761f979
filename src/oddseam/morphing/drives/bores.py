"""The round thing that a change of a bore means, and how its nodes are driven."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.geometry.shapes.loops import circle_of
from oddseam.geometry.shapes.primitives import Primitive
from oddseam.geometry.tolerances import EQUAL
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.morphing.changes import Bore
from oddseam.morphing.drives.driven import Driven, rotated, unit
from oddseam.morphing.follows.skeleton import Skeleton
from oddseam.picks import selected

#: Radii of a round opening differ by no more than this share.
_ROUND = 0.15
#: A cylinder goes all round where no two of its nodes that follow each other are farther apart, in degrees.
_OPEN = 100.0
#: What goes all round is meant instead of a cylinder that does not, even so much farther off, over its own radius.
_RATHER = 0.25


@dataclass(frozen=True, eq=False)
class _Round:
    """A cylinder or a round opening.

    ``away`` is how far it is from the point that was given, ``patches`` are those of a cylinder, ``nodes`` what lies on
    it.
    """

    away: float
    centre: Array
    axis: Array
    radius: float
    closed: bool
    nodes: Array
    patches: tuple[int, ...] = ()


def bored(skeleton: Skeleton, change: Bore) -> Driven:
    """Nodes of the round thing nearest to a point.

    Of things that are as near, such as a bore and the skin that it opens in, it is the one that goes all round, and of
    two such the smaller one; a cylinder before an opening at its end.

    Raises
    ------
    Refusal
        If there is no cylinder at the point, and no round opening nearer to it than its radius.
    """
    near = np.array(change.near)
    things = _cylinders(skeleton, near)
    here = _kind_at(skeleton, change)
    if here != "cylinder":  # what the point lies on is no round thing itself: only one that it is inside of
        things = [thing for thing in things if thing.closed and thing.away <= thing.radius]
    things += _openings(skeleton, near)
    if not things:
        raise Refusal(
            f"the surface at {point_text(change.near)} is {here}, and no cylinder whose bore could change; nor is "
            "there a round opening nearer to it than its radius"
        )
    thing = _meant(things, EQUAL * skeleton.mesh.diagonal)
    if change.outline:
        return _arched(skeleton, change, thing)
    grown = _Grown(change, skeleton.mesh.nodes[thing.nodes], thing.centre, thing.axis, thing.radius)

    def target(t: float) -> tuple[Primitive, float]:
        radius = thing.radius + t * grown.growth
        if t == 1.0 and change.diameter is not None:
            radius = change.diameter / 2.0
        return Primitive("cylinder", thing.centre + t * grown.shift, grown.axis_at(t), radius), 0.0

    return Driven(thing.nodes, grown.at, dict.fromkeys(thing.patches, target), grown.angle, settles=True)


def _meant(things: list[_Round], same: float) -> _Round:
    """The nearest one, what goes all round first; of several as near the smallest, cylinders before openings."""

    def rank(thing: _Round) -> float:
        return thing.away - (_RATHER * thing.radius if thing.closed else 0.0)

    nearest = min(things, key=lambda thing: (thing.away, not thing.closed))
    if not nearest.closed:
        rather = [thing for thing in things if thing.closed and rank(thing) <= nearest.away]
        nearest = min(rather, key=rank, default=nearest)
    equal = [thing for thing in things if thing.closed == nearest.closed and thing.away <= nearest.away + same]
    least = min(thing.radius for thing in equal)
    equal = [thing for thing in equal if thing.radius <= (1.0 + _ROUND) * least]
    return min(equal, key=lambda thing: (not thing.patches, thing.radius))


def _kind_at(skeleton: Skeleton, change: Bore) -> str:
    """What the surface is at the point."""
    patch = int(skeleton.label[selected(skeleton.surface, f"near {_text(change.near)}")][0])
    return skeleton.table[patch].kind if patch >= 0 else "no patch"


def _text(point: Array | Sequence[float]) -> str:
    return "(" + ", ".join(repr(float(x)) for x in point) + ")"


def _cylinders(skeleton: Skeleton, near: Array) -> list[_Round]:
    """Every cylinder of the surface, all patches on one together."""
    t = skeleton.surface.triangulation
    points = skeleton.mesh.nodes
    tree = BoxTree(points[t.triangles], skeleton.label[t.element].astype(np.int32))
    found, seen = list[_Round](), set[int]()
    for k, primitive in enumerate(skeleton.primitives):
        if primitive is None or primitive.kind != "cylinder" or k in seen:
            continue
        place, row = tree.closest(near[None], np.array([k], np.int32))
        if row[0] < 0:
            continue
        patches = np.unique(skeleton.label[selected(skeleton.surface, f"surface {_text(place[0])}")])
        if k not in patches:  # the place lies on an edge that another patch has too
            patches = np.array([k])
        seen.update(patches.tolist())
        away = [tree.closest(near[None], np.array([its], np.int32))[0][0] - near for its in patches.tolist()]
        nodes = np.flatnonzero(skeleton.nodes_on(patches))
        closed = _goes_round(points[nodes], primitive)
        found.append(_Round(
            min(float(np.linalg.norm(step)) for step in away), primitive.centre, primitive.axis, primitive.radius,
            closed, nodes, tuple(patches.tolist()),
        ))  # fmt: skip
    return found


def _goes_round(points: Array, primitive: Primitive) -> bool:
    """Whether points lie all round the axis of a cylinder."""
    across = np.linalg.svd(primitive.axis[None])[2][1:]
    angle = np.sort(np.degrees(np.arctan2(*(across @ (points - primitive.centre).T))))
    return len(angle) > 2 and max(float(np.diff(angle).max()), 360.0 - float(angle[-1] - angle[0])) <= _OPEN


def _openings(skeleton: Skeleton, near: Array) -> list[_Round]:
    """Round openings of shells that are nearer to the point than their radius."""
    points, found = skeleton.mesh.nodes, []
    for rim in skeleton.surface.connectivity.rims:
        if rim.closed:
            ends = points[np.column_stack([rim.nodes, np.roll(rim.nodes, -1), rim.nodes])]
            away = float(np.linalg.norm(BoxTree(ends).closest(near[None])[0][0] - near))
            centre, axis, radii = circle_of(points[rim.nodes])
            radius = float(radii.mean())
            if away <= radius and float(np.ptp(radii)) <= _ROUND * radius:
                found.append(_Round(away, centre, axis, radius, True, np.sort(rim.nodes.astype(np.int64))))
    return found


class _Grown:
    """Points (k, 3) round an axis as a bore gets another diameter, centre or direction."""

    def __init__(self, change: Bore, points: Array, centre: Array, axis: Array, radius: float) -> None:
        self._centre, self._axis = centre, axis
        self._end = axis if change.axis is None else unit(change.axis)
        self._end = -self._end if self._end @ axis < 0 else self._end
        hinge = np.cross(axis, self._end)
        self.angle = float(np.degrees(np.arctan2(np.linalg.norm(hinge), axis @ self._end)))
        self._hinge = unit(hinge) if self.angle > 0 else axis
        shift = np.zeros(3) if change.centre is None else np.array(change.centre) - centre
        self.shift = shift - (shift @ axis) * axis
        self.growth = 0.0 if change.diameter is None else change.diameter / 2.0 - radius
        self._away = points - centre
        out = self._away - (self._away @ axis)[:, None] * axis
        self._out = out / np.linalg.norm(out, axis=1, keepdims=True)

    def at(self, share: float) -> Array:
        """(k, 3) where they are after a share of the change."""
        grown = self._away + share * self.growth * self._out
        return np.asarray(self._centre + share * self.shift + rotated(grown, self._hinge, share * self.angle))

    def axis_at(self, share: float) -> Array:
        """(3,) the axis then."""
        return self._end if share == 1.0 else rotated(self._axis[None], self._hinge, share * self.angle)[0]


def _arched(skeleton: Skeleton, change: Bore, thing: _Round) -> Driven:
    """Nodes of a panel that gets another radius between its outermost nodes, which stay.

    Every node goes along the direction that the middle of the panel looks in.
    """
    assert change.diameter is not None
    if thing.closed:
        raise Refusal(
            f"the cylinder at {point_text(change.near)} goes all round, and has no outline that could stay with "
            "another diameter"
        )
    start, end = thing.radius, change.diameter / 2.0
    away = skeleton.mesh.nodes[thing.nodes] - thing.centre
    out = away - (away @ thing.axis)[:, None] * thing.axis
    middle = unit(out.sum(axis=0))
    across = out @ np.cross(thing.axis, middle)
    widest = float(np.abs(across).max())
    if (out @ middle).min() <= 0 or widest > end:
        raise Refusal(
            f"the panel at {point_text(change.near)} is {2 * widest:.4g} wide across its middle, and cannot be bent to "
            f"the diameter {change.diameter:g} within its outline"
        )

    def height(radius: float, at: Array | float) -> Array:
        return np.sqrt(np.maximum(radius**2 - np.square(at), 0.0))

    def radius_at(share: float) -> float:
        return end if share == 1.0 else start + share * (end - start)

    def lift(radius: float) -> float:
        """How far the axis goes, so that the outermost nodes stay."""
        return float(height(start, widest) - height(radius, widest))

    def at(share: float) -> Array:
        radius = radius_at(share)
        rise = lift(radius) + height(radius, across) - height(start, across)
        return np.asarray(skeleton.mesh.nodes[thing.nodes] + np.where(share > 0, rise, 0.0)[:, None] * middle)

    def target(share: float) -> tuple[Primitive, float]:
        radius = radius_at(share)
        return Primitive("cylinder", thing.centre + lift(radius) * middle, thing.axis, radius), 0.0

    return Driven(thing.nodes, at, dict.fromkeys(thing.patches, target), settles=True)
