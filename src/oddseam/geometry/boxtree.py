"""A tree of boxes round triangles: closest points, and all that is near a point.

Triangles are sorted along a Morton curve and hang in equal runs under an implicit complete
binary tree in heap order; boxes are single precision, rounded outward.  Built in O(n log n);
a query takes O(log n) where the surface is not equally far everywhere.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_runs, in_shares
from oddseam.geometry.triangles import boxes

_LEAF = 4
#: So many points in order are looked for one after the other, where near enough will do.
_BLOCK = 4096


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
    key = np.zeros(len(points), np.uint64)
    for axis in range(3):
        key |= _spread(((points[:, axis] - low[axis]) * (2097151.0 / extent)).astype(np.uint64)) << np.uint64(axis)
    return np.argsort(key, kind="stable")


def boxes_in_order(nodes: Array, triangles: Array) -> tuple[Array, Array]:
    """The order of the triangles in a tree, and its boxes in heap order.

    Parameters
    ----------
    nodes : (n, 3) float array
    triangles : (m, 3) int array
        At least one.

    Returns
    -------
    order : (m,) int64 array
    box : (2 l - 1, 6) float32 array
        For l leaves; leaf i holds the triangles ``order[i * m // l : (i + 1) * m // l]``.
    """
    m = len(triangles)
    order = morton_order(
        in_runs(lambda corners: (corners[:, 0] + corners[:, 1] + corners[:, 2]) / 3.0, nodes, triangles)
    )
    leaves = 1
    while leaves * _LEAF < m:
        leaves *= 2
    first = np.arange(leaves + 1) * m // leaves
    box = np.empty((2 * leaves - 1, 6), np.float32)

    def leaf_boxes(start: int, stop: int) -> Array:
        its = first[start : stop + 1]
        low, high = boxes(nodes[triangles[order[its[0] : its[-1]]]])
        its = its - its[0]
        low, high = _runs(np.minimum, low, its, np.inf), _runs(np.maximum, high, its, -np.inf)
        return np.concatenate([_rounded(low, -np.inf), _rounded(high, np.inf)], axis=1)

    box[leaves - 1 :] = np.concatenate(in_shares(leaf_boxes, leaves, least=20_000, most=20_000))
    while leaves > 1:
        below = box[leaves - 1 : 2 * leaves - 1]
        leaves //= 2
        above = box[leaves - 1 : 2 * leaves - 1]
        np.minimum(below[::2, :3], below[1::2, :3], out=above[:, :3])
        np.maximum(below[::2, 3:], below[1::2, 3:], out=above[:, 3:])
    return order, box


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
        self.order, self.box = boxes_in_order(corners.reshape(-1, 3), np.arange(3 * m, dtype=np.int32).reshape(m, 3))
        self.corners = np.ascontiguousarray(corners[self.order]).reshape(m, 9)
        given = np.zeros(m, np.int32) if label is None else label
        self.label = np.ascontiguousarray(given[self.order], np.int32)

    def closest(
        self, points: Array, label: Array | None = None, hint: Array | None = None, enough: float | None = None
    ) -> tuple[Array, Array]:
        """Closest points on the triangles.

        Parameters
        ----------
        points : (k, 3) float array
        label : (k,) int array, optional
            Only triangles with this label count; -1 for all.
        hint : (k,) int array, optional
            Rows that the last query returned, to start from; -1 for none.
        enough : float, optional
            A point that is no farther will do, which is quick for points that come in order along a surface.

        Returns
        -------
        closest : (k, 3) float array
        row : (k,) int32 array
            Row in the tree's own order; ``order[row]`` is the triangle; -1 where no triangle
            has the label.
        """
        from oddseam.compiled import announce
        from oddseam.geometry.kernels.box_walks import closest_points

        announce(closest_points)
        k = len(points)
        points = np.ascontiguousarray(points, np.float64)
        wanted = np.full(k, -1, np.int32) if label is None else np.ascontiguousarray(label, np.int32)
        row = np.full(k, -1 if enough is None else -2, np.int32) if hint is None else np.array(hint, np.int32)
        found, near = np.empty((k, 3)), -1.0 if enough is None else float(enough)

        def run(start: int, stop: int) -> None:
            part = slice(start, stop)
            closest_points(points[part], wanted[part], self.corners, self.label, self.box, near, found[part], row[part])

        if enough is None:
            in_shares(run, k)
            return found, row

        def in_order(first: int, last: int) -> None:  # what is found depends on what came before it in its block
            for start in range(_BLOCK * first, min(_BLOCK * last, k), _BLOCK):
                run(start, min(start + _BLOCK, k))

        in_shares(in_order, -(-k // _BLOCK), least=1)
        return found, row

    def near(self, points: Array, reach: float) -> tuple[Array, Array]:
        """Every pair of a point and a triangle that are not farther apart than ``reach``.

        Returns
        -------
        point, triangle : (p,) int64 arrays
            Rows of ``points`` (k, 3) and of the tree's input, by point and then by triangle.
        """
        from oddseam.compiled import announce
        from oddseam.geometry.kernels.box_walks import triangles_near

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
