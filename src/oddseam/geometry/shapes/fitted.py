"""A smooth surface through points, as it is near any of them: no facets, and a little beyond their border.

Near a place it is the quadric over the tangent plane that fits the nearest points best, the nearer the more; D. Levin
(1998), The approximation power of moving least squares.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_shares

#: So many of the nearest points say what the surface is; with fewer there is none.
NEAREST = 24
#: Share of a plane, a slope and a curvature that is kept out of the fit, for points that do not tell them.
_STIFF = 1e-9
#: Places that are worked on at once.
_RUN = 20_000


class FittedSurface:
    """The surface.

    Parameters
    ----------
    points : (n, 3) array
        At least ``NEAREST``.
    normals : (n, 3) array
        Unit normals there, about.
    """

    def __init__(self, points: Array, normals: Array) -> None:
        from scipy.spatial import cKDTree

        self._points, self._normals = points, normals
        self._tree = cKDTree(points)

    def distance(self, points: Array) -> Array:
        """(k,) heights of points over the surface."""
        return self.measured(points)[0]

    def normal(self, points: Array) -> Array:
        """(k, 3) unit normals of the surface below points."""
        return self.measured(points)[1]

    def measured(self, points: Array) -> tuple[Array, Array]:
        """Both: (k,) heights, and (k, 3) normals.  O(k log n)."""
        if not len(points):
            return np.zeros(0), np.zeros((0, 3))
        runs = in_shares(lambda start, stop: self._run(points[start:stop]), len(points), least=_RUN, most=_RUN)
        found = np.concatenate(runs)
        return found[:, 0], found[:, 1:]

    def _run(self, points: Array) -> Array:
        away, near = self._tree.query(points, k=NEAREST)
        axis = self._normals[near].sum(axis=1)
        axis /= np.maximum(np.linalg.norm(axis, axis=1, keepdims=True), 1e-300)
        one = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis), axis=1)])
        one /= np.maximum(np.linalg.norm(one, axis=1, keepdims=True), 1e-300)
        frame = np.stack([one, np.cross(axis, one), axis], axis=1)  # (k, 3, 3) rows
        size = np.maximum(away[:, -1], 1e-300)
        local = (self._points[near] - points[:, None]) @ frame.transpose(0, 2, 1) / size[:, None, None]
        u, v, w = local[..., 0], local[..., 1], local[..., 2]
        weight = np.clip(1.0 - (away / (1.05 * size[:, None])) ** 2, 0.0, 1.0) ** 2 + 1e-6
        terms = np.stack([np.ones_like(u), u, v, u * u, u * v, v * v], axis=-1)
        weighted = (terms * weight[..., None]).transpose(0, 2, 1)
        matrix = weighted @ terms
        matrix += _STIFF * np.trace(matrix, axis1=1, axis2=2)[:, None, None] * np.eye(6)
        found = np.linalg.solve(matrix, weighted @ w[..., None])[..., 0]
        slope = np.stack([-found[:, 1], -found[:, 2], np.ones(len(points))], axis=-1)
        length = np.linalg.norm(slope, axis=1)
        normal = ((slope / length[:, None])[:, None] @ frame)[:, 0]
        # the surface is over the point by found[0] along the axis
        return np.concatenate([(-found[:, 0] * size / length)[:, None], normal], axis=1)
