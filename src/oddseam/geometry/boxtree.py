"""A tree of boxes round triangles: closest points, and all that is near a point.

Triangles are sorted along a Morton curve and hang in equal runs under an implicit complete
binary tree in heap order; boxes are single precision, rounded outward.  Built in O(n log n);
a query takes O(log n) where the surface is not equally far everywhere.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import boxes

_LEAF = 4


def _spread(x: Array) -> Array:
    """The 21 bits of each number, two places apart."""
    for shift, mask in (
        (32, 0x1F00000000FFFF), (16, 0x1F0000FF0000FF), (8, 0x100F00F00F00F00F),
        (4, 0x10C30C30C30C30C3), (2, 0x1249249249249249),
    ):  # fmt: skip
        x = (x | x << np.uint64(shift)) & np.uint64(mask)
    return x


def morton_order(points: Array) -> Array:
    """Order of points (n, 3) along a Morton curve through their box; ties in the given order."""
    low = points.min(axis=0)
    extent = max(float((points.max(axis=0) - low).max()), 1e-300)
    cell = ((points - low) * (2097151.0 / extent)).astype(np.uint64)
    key = _spread(cell[:, 0]) | _spread(cell[:, 1]) << np.uint64(1) | _spread(cell[:, 2]) << np.uint64(2)
    return np.argsort(key, kind="stable")


class BoxTree:
    """Boxes round triangles.

    Parameters
    ----------
    corners : (m, 3, 3) float array
        Corner coordinates; at least one triangle.
    label : (m,) int array, optional
        A query may be limited to the triangles with one label.
    """

    def __init__(self, corners: Array, label: Array | None = None) -> None:
        m = len(corners)
        self.order = morton_order((corners[:, 0] + corners[:, 1] + corners[:, 2]) / 3.0)
        self.corners = np.ascontiguousarray(corners[self.order]).reshape(m, 9)
        given = np.zeros(m, np.int32) if label is None else label
        self.label = np.ascontiguousarray(given[self.order], np.int32)
        leaves = 1
        while leaves * _LEAF < m:
            leaves *= 2
        first = np.arange(leaves + 1) * m // leaves
        low, high = (values[self.order] for values in boxes(corners))
        self.box = np.empty((2 * leaves - 1, 6), np.float32)
        lows, highs = _runs(np.minimum, low, first, np.inf), _runs(np.maximum, high, first, -np.inf)
        while True:
            at = len(lows) - 1
            self.box[at : 2 * at + 1, :3] = _rounded(lows, -np.inf)
            self.box[at : 2 * at + 1, 3:] = _rounded(highs, np.inf)
            if at == 0:
                break
            lows, highs = np.minimum(lows[::2], lows[1::2]), np.maximum(highs[::2], highs[1::2])

    def closest(self, points: Array, label: Array | None = None, hint: Array | None = None) -> tuple[Array, Array]:
        """Closest points on the triangles.

        Parameters
        ----------
        points : (k, 3) float array
        label : (k,) int array, optional
            Only triangles with this label count; -1 for all.
        hint : (k,) int array, optional
            Rows that the last query returned, to start from; -1 for none.

        Returns
        -------
        closest : (k, 3) float array
        row : (k,) int32 array
            Row in the tree's own order; ``order[row]`` is the triangle; -1 where no triangle
            has the label.
        """
        from oddseam.compiled import announce
        from oddseam.geometry.boxtree_kernels import closest_points

        announce(closest_points)
        k = len(points)
        points = np.ascontiguousarray(points, np.float64)
        wanted = np.full(k, -1, np.int32) if label is None else np.ascontiguousarray(label, np.int32)
        row = np.full(k, -1, np.int32) if hint is None else np.array(hint, np.int32)
        found = np.empty((k, 3))
        threads = min(os.cpu_count() or 1, 1 + k // 2000)
        cuts = np.linspace(0, k, threads + 1).astype(int)

        def run(i: int) -> None:
            part = slice(cuts[i], cuts[i + 1])
            closest_points(points[part], wanted[part], self.corners, self.label, self.box, found[part], row[part])

        if threads == 1:
            run(0)
        else:
            with ThreadPoolExecutor(threads) as pool:
                list(pool.map(run, range(threads)))
        return found, row

    def near(self, points: Array, reach: float) -> tuple[Array, Array]:
        """Every pair of a point and a triangle that are not farther apart than ``reach``.

        Returns
        -------
        point, triangle : (p,) int64 arrays
            Rows of ``points`` (k, 3) and of the tree's input, by point and then by triangle.
        """
        from oddseam.compiled import announce
        from oddseam.geometry.boxtree_kernels import triangles_near

        announce(triangles_near)
        points = np.ascontiguousarray(points, np.float64)
        room = 4 * len(points) + 16
        while True:
            pairs = np.empty((room, 2), np.int64)
            count = int(triangles_near(points, reach, self.corners, self.box, pairs))
            if count <= room:
                break
            room = count
        point, triangle = pairs[:count, 0], self.order[pairs[:count, 1]]
        order = np.lexsort((triangle, point))
        return point[order], triangle[order]


def _runs(ufunc: np.ufunc, values: Array, first: Array, empty: float) -> Array:
    """Reduce runs of rows; a run without rows gives ``empty``."""
    result = np.full((len(first) - 1, 3), empty)
    held = np.flatnonzero(np.diff(first))
    result[held] = ufunc.reduceat(values, first[held])
    return result


def _rounded(values: Array, toward: float) -> Array:
    """Single precision, never short of the value on the way to ``toward``."""
    single = values.astype(np.float32)
    short = single < values if toward > 0 else single > values
    single[short] = np.nextafter(single[short], np.float32(toward))
    return single
