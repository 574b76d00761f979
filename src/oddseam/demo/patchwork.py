"""Building a surface from structured patches that share their borders.

A patch is a grid of points (rows, columns, 3); patches meet where their points are equal to
a millionth of a millimetre.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.welding import weld_exact


class Patchwork:
    """Collects grids of points and joins them into one triangle mesh."""

    def __init__(self) -> None:
        self._triangles: list[Array] = []

    def add(self, points: Array, *, wrap: bool = False, turned: bool = False) -> None:
        """Add a grid (r, c, 3); ``wrap`` closes its columns, ``turned`` reverses its side."""
        after = np.roll(points, -1, axis=1)
        if not wrap:
            points, after = points[:, :-1], after[:, :-1]
        a, b, c, d = points[:-1], after[:-1], after[1:], points[1:]
        row, column = np.indices(a.shape[:2])
        even = ((row + column) % 2 == 0)[..., None, None]
        one = np.where(even, np.stack([a, b, c], 2), np.stack([a, b, d], 2))
        two = np.where(even, np.stack([a, c, d], 2), np.stack([b, c, d], 2))
        triangles = np.concatenate([one.reshape(-1, 3, 3), two.reshape(-1, 3, 3)])
        self._triangles.append(triangles[:, ::-1] if turned else triangles)

    def add_fan(self, centre: Array, ring: Array, *, turned: bool = False) -> None:
        """Add triangles from a point to a closed ring (c, 3)."""
        apex = np.broadcast_to(centre, ring.shape)
        triangles = np.stack([apex, ring, np.roll(ring, -1, axis=0)], axis=1)
        self._triangles.append(triangles[:, ::-1] if turned else triangles)

    def joined(self) -> tuple[Array, Array]:
        """Nodes (n, 3) and triangles (m, 3); a triangle without area is left out."""
        corners = np.concatenate(self._triangles)
        first, index = weld_exact(np.round(corners.reshape(-1, 3), 6))
        nodes = np.round(corners.reshape(-1, 3), 6)[first]
        triangles = index.reshape(-1, 3)
        sound = (triangles != np.roll(triangles, 1, axis=1)).all(axis=1)
        return nodes, triangles[sound]


def window_ring(rows: int, columns: int) -> Array:
    """(k, 2) row and column of the border of a grid window, once round; the first is not repeated."""
    bottom = [(0, j) for j in range(columns)]
    right = [(i, columns) for i in range(rows)]
    top = [(rows, j) for j in range(columns, 0, -1)]
    left = [(i, 0) for i in range(rows, 0, -1)]
    return np.array(bottom + right + top + left)
