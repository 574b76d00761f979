"""Measures of the pieces of a surface."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array, for_kernels

if TYPE_CHECKING:
    from oddseam.model.connectivity import Connectivity
    from oddseam.model.faces import Triangulation


@dataclass(frozen=True, eq=False)
class Pieces:
    """The pieces of a surface, a row each.

    Attributes
    ----------
    of_triangle : (t,) int32 array
        Piece of every triangle, -1 for one that takes no part.
    volume : (p,) float array
        Signed volume about the middle of the mesh; it means something for solid pieces only.
    low, high : (p, 3) float arrays
        Corners of the box.
    is_solid : (p,) bool array
        Closed, manifold and consistently oriented.
    """

    of_triangle: Array
    volume: Array
    low: Array
    high: Array
    is_solid: Array

    @property
    def extent(self) -> Array:
        """(p,) diagonal of the box."""
        return np.asarray(np.linalg.norm(self.high - self.low, axis=1))

    @property
    def inward(self) -> Array:
        """Solid pieces that look inward and lie in no other solid piece's box."""
        inward = []
        for piece in np.flatnonzero(self.is_solid & (self.volume < 0)):
            lower = (self.low < self.low[piece]).all(axis=1)
            if not (self.is_solid & lower & (self.high > self.high[piece]).all(axis=1)).any():
                inward.append(piece)
        return np.array(inward, np.int64)


def measure_pieces(nodes: Array, t: Triangulation, c: Connectivity) -> Pieces:
    """Measure the pieces of a triangulated surface; O(n)."""
    from oddseam.compiled import announce
    from oddseam.model.kernels.piece_sums import sum_pieces

    announce(sum_pieces)
    count, element = c.n_pieces, c.faces.element
    face_of_element = np.empty(int(element.max(initial=-1)) + 1, np.int64)
    face_of_element[element] = np.arange(len(element))
    piece = c.piece[face_of_element[t.element]]
    volume, low, high = np.zeros((count, 2)), np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    middle = (nodes.min(axis=0) + nodes.max(axis=0)) / 2 if count else np.zeros(3)
    sum_pieces(for_kernels(nodes), for_kernels(t.triangles, np.int32), piece, middle, volume, low, high)
    wrong_edge = c.face_count != 2
    wrong_edge[c.pair_edges[~c.pair_agrees]] = True
    on = np.flatnonzero(c.edge_of >= 0)
    solid = np.ones(count, bool)
    solid[c.piece[c.face[on[wrong_edge[c.edge_of[on]]]]]] = False
    return Pieces(piece, volume[:, 0], low, high, solid)
