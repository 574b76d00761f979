"""Zones: places with a size of their own, of a simple kind or within a closed surface."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.inputs import Given, NumbersLike

Kind = Literal["box", "sphere", "cylinder"]
#: Kinds of zone, and the numbers that each is given by.
ZONES = {"box": 6, "sphere": 4, "cylinder": 7}


@dataclass(frozen=True)
class Zone(Given):
    """A box, sphere or cylinder with a size of its own inside.

    Parameters
    ----------
    kind : {"box", "sphere", "cylinder"}
    numbers : tuple of float
        Two opposite corners of a box along the axes; centre and radius of a sphere; the two ends of
        the axis and the radius of a cylinder.
    size : float

    Raises
    ------
    Refusal
        If the numbers make no such body.

    Examples
    --------
    >>> import oddseam
    >>> ball = oddseam.Zone("sphere", (0, 0, 0, 2), size=0.5)
    >>> ball.distance([[0, 1, 0], [5, 0, 0]])
    array([0., 3.])
    """

    kind: Kind
    numbers: NumbersLike
    size: float

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.numbers) != ZONES[self.kind]:
            raise Refusal(f"a zone {self.kind!r} has {ZONES[self.kind]} numbers, not {self.numbers}")
        if not self.size > 0:
            raise Refusal(f"size {self.size} of a zone is not positive")
        if self.kind != "box" and not self.numbers[-1] > 0:
            raise Refusal(f"radius {self.numbers[-1]} of a zone is not positive")
        if self.kind == "cylinder" and self.numbers[:3] == self.numbers[3:6]:
            raise Refusal("the ends of the axis of a zone are one point")

    def distance(self, points: Array) -> Array:
        """(k,) distances of points (k, 3) to the body; 0 inside."""
        points, numbers = np.asarray(points, np.float64), np.asarray(self.numbers, np.float64)
        if self.kind == "box":
            low, high = np.minimum(numbers[:3], numbers[3:]), np.maximum(numbers[:3], numbers[3:])
            return np.asarray(np.linalg.norm(np.maximum(np.maximum(low - points, points - high), 0.0), axis=1))
        if self.kind == "sphere":
            return np.asarray(np.maximum(np.linalg.norm(points - numbers[:3], axis=1) - numbers[3], 0.0))
        length = float(np.linalg.norm(numbers[3:6] - numbers[:3]))
        axis = (numbers[3:6] - numbers[:3]) / length
        away = points - numbers[:3]
        along = away @ axis
        out = np.linalg.norm(away - along[:, None] * axis, axis=1) - numbers[6]
        return np.asarray(np.hypot(np.maximum(out, 0.0), np.maximum(np.maximum(-along, along - length), 0.0)))


@dataclass(frozen=True, eq=False)
class Body:
    """A closed surface with a size of its own inside.

    Attributes
    ----------
    corners : (m, 3, 3) float array
        Of its triangles.
    size : float
    """

    corners: Array
    size: float

    @cached_property
    def _trees(self) -> tuple[BoxTree, WindingTree]:
        return BoxTree(self.corners), WindingTree(self.corners)

    def distance(self, points: Array, enough: float) -> Array:
        """(k,) distances of points (k, 3) to the body, 0 inside; ``enough`` or more where they are that far."""
        found = np.full(len(points), np.inf)
        flat = self.corners.reshape(-1, 3)
        near = np.flatnonzero(
            ((points >= flat.min(axis=0) - enough) & (points <= flat.max(axis=0) + enough)).all(axis=1)
        )
        if len(near):
            surface, winding = self._trees
            away = np.linalg.norm(surface.closest(points[near])[0] - points[near], axis=1)
            away[np.abs(winding.at(points[near])) > 0.5] = 0.0
            found[near] = away
        return found
