"""Generalised winding numbers of triangles, closed or not, about many points.

Triangles hang in a box tree; what is in a box far from a point counts as one area at one place, what is
near counts by its solid angles.  The idea is that of G. Barill, N. G. Dickson, R. Schmidt, D. I. W. Levin,
A. Jacobson (2018), Fast winding numbers for soups and clouds.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.geometry.threads import in_shares
from oddseam.geometry.trees.boxtree import boxes_in_order
from oddseam.geometry.triangles import area_vectors


class WindingTree:
    """A tree of triangles that tells how often they wind round points; built in O(m log m).

    Parameters
    ----------
    corners : (m, 3, 3) float array
        Corner coordinates; at least one triangle.
    """

    def __init__(self, corners: Array) -> None:
        m = len(corners)
        order, self._box = boxes_in_order(corners.reshape(-1, 3), np.arange(3 * m, dtype=np.int32).reshape(m, 3))
        corners = np.ascontiguousarray(corners[order], np.float64)
        self._corners = corners.reshape(m, 9)
        leaves = (len(self._box) + 1) // 2
        first = np.arange(leaves) * m // leaves
        held = np.diff(np.append(first, m)) > 0
        vectors = area_vectors(corners)
        weight = np.maximum(np.linalg.norm(vectors, axis=1), 1e-300)
        columns = np.column_stack([vectors, weight[:, None] * corners.mean(axis=1), weight])
        sums = np.zeros((2 * leaves - 1, 7))
        sums[leaves - 1 :][held] = np.add.reduceat(columns, first[held])
        while leaves > 1:
            below = sums[leaves - 1 : 2 * leaves - 1]
            leaves //= 2
            sums[leaves - 1 : 2 * leaves - 1] = below[::2] + below[1::2]
        middle = sums[:, 3:6] / np.where(sums[:, 6:] > 0, sums[:, 6:], 1.0)
        reach = np.maximum(np.abs(self._box[:, :3] - middle), np.abs(self._box[:, 3:] - middle))
        radius = np.where(sums[:, 6] > 0, np.linalg.norm(np.where(np.isfinite(reach), reach, 0.0), axis=1), 0.0)
        self._bulk = np.ascontiguousarray(np.column_stack([sums[:, :3], middle, radius]))

    def at(self, points: Array) -> Array:
        """(k,) winding numbers about points (k, 3), to about a hundredth; O(log m) each."""
        from oddseam.compiled import announce
        from oddseam.geometry.kernels.solid_angles import add_turns

        announce(add_turns)
        points, turns = for_kernels(points), np.zeros(len(points))

        def run(start: int, stop: int) -> None:
            add_turns(points[start:stop], self._corners, self._box, self._bulk, turns[start:stop])

        in_shares(run, len(points), most=2_000)
        return turns
