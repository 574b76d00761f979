"""Bringing nodes onto the surfaces that they are to lie on, several at once where they are on an edge or a corner."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

import numpy as np

from oddseam.arrays import Array

#: Steps of the iteration; it converges quadratically.
_STEPS = 30
#: It has come to rest where steps are so small, over the size of coordinates.
_STILL = 1e-13
#: Directions of normals whose share is less than this say nothing new: surfaces that touch there.
_TELLS_NOTHING = 1e-4


class Level(Protocol):
    """A surface that tells how far points are from it, and in which direction."""

    def distance(self, points: Array) -> Array:
        """(k,) signed distances."""

    def normal(self, points: Array) -> Array:
        """(k, 3) directions in which the distance grows."""

    def measured(self, points: Array) -> tuple[Array, Array]:
        """Both."""


class Surfaces:
    """Surfaces that nodes are to lie on: pairs of a node and a surface, and the distance that is to be kept from it.

    Parameters
    ----------
    levels : mapping of int to Level
        Surfaces by number.
    node, level : (k,) int arrays
        Which node lies on which surface.
    height : (k,) array
        The distance from the surface that the node is to have.
    """

    def __init__(self, levels: Mapping[int, Level], node: Array, level: Array, height: Array) -> None:
        order = np.lexsort((level, node))
        self.levels = levels
        self.node, self.level, self.height = node[order], level[order], height[order]

    def off(self, points: Array) -> Array:
        """(k,) by how much the nodes of the pairs, in order of ``node``, are off; ``points`` (n, 3) are all nodes."""
        found = np.empty(len(self.node))
        for number, level in self.levels.items():
            rows = np.flatnonzero(self.level == number)
            found[rows] = level.distance(points[self.node[rows]]) - self.height[rows]
        return found

    def settle(self, points: Array) -> None:
        """Move nodes, in place, the shortest way to where all their surfaces are met.

        By Gauss-Newton steps of least length, so that surfaces which touch are no hindrance; where surfaces do not
        meet a node goes to where the squared distances are least.  O(k) for k pairs.
        """
        nodes, first, count = np.unique(self.node, return_index=True, return_counts=True)
        for many in np.unique(count).tolist():
            rows = np.flatnonzero(count == many)
            pairs = first[rows][:, None] + np.arange(many)  # (r, many)
            at = points[nodes[rows]]
            size = max(float(np.abs(at).max(initial=0.0)), 1e-300)
            last = np.inf
            for _ in range(_STEPS):
                residual = np.empty(pairs.shape)
                normal = np.empty((*pairs.shape, 3))
                for column in range(many):
                    level = self.level[pairs[:, column]]
                    for number in np.unique(level).tolist():
                        its = np.flatnonzero(level == number)
                        off, normal[its, column] = self.levels[number].measured(at[its])
                        residual[its, column] = off - self.height[pairs[its, column]]
                step = -np.einsum("rij,rj->ri", np.linalg.pinv(normal, rcond=_TELLS_NOTHING), residual)
                at = at + step
                largest = float(np.abs(step).max(initial=0.0))
                if largest <= _STILL * size or largest > 0.9 * last:
                    break
                last = largest
            points[nodes[rows]] = at
