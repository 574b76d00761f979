"""A tree of boxes round triangles: closest points, and all that is near a point.

Triangles are sorted along a Morton curve and hang in equal runs under an implicit complete
binary tree in heap order; boxes are single precision, rounded outward.  Built in O(n log n);
a query takes O(log n) where the surface is not equally far everywhere.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.geometry.threads import in_shares

_LEAF = 4
#: The share of triangles in the cell of another one from which on they are told apart within it.
_CROWDED = 0.25
#: Points whose steps are longer than this share of their extent are in no order.
_JUMP = 0.1
#: So many points in order are looked for one after the other, where near enough will do.
_BLOCK = 4096


class Boxes(NamedTuple):
    """A tree of boxes round m triangles.

    ``order`` (m,) int64 are the triangles in its order, ``box`` (2 l - 1, 6) float32 its boxes in heap order, for l
    leaves; leaf i holds the triangles ``order[i * m // l : (i + 1) * m // l]``.
    """

    order: Array
    box: Array


def morton_order(points: Array) -> Array:
    """Order of points (n, 3) along a Morton curve through their box.

    Ties, and mostly what lies within a cell of a few thousandths of a thousandth of the box, keep the given order.
    """
    from oddseam.geometry.kernels.box_filling import morton_keys

    low = points.min(axis=0)
    scale = 2097151.0 / max(float((points.max(axis=0) - low).max()), 1e-300)
    keys = np.empty(len(points), np.uint64)
    morton_keys(for_kernels(points), low, scale, keys)
    bits = np.uint64(max(len(points) - 1, 1).bit_length())
    last = (np.uint64(1) << bits) - np.uint64(1)
    # the rows take the place of the last bits, so that numbers are sorted and not rows by their numbers
    mixed = np.sort(keys & ~last | np.arange(len(points), dtype=np.uint64))
    places = mixed & ~last
    if np.count_nonzero(places[1:] == places[:-1]) > _CROWDED * len(points):
        return np.argsort(keys, kind="stable")
    return (mixed & last).astype(np.int64)


def boxes_in_order(nodes: Array, triangles: Array) -> Boxes:
    """The order of the triangles in a tree, and its boxes.

    Parameters
    ----------
    nodes : (n, 3) float array
    triangles : (m, 3) int array
        At least one.
    """
    from oddseam.compiled import announce
    from oddseam.geometry.kernels.box_filling import leaf_boxes, middles

    announce(leaf_boxes)
    m = len(triangles)
    nodes, triangles, points = for_kernels(nodes), for_kernels(triangles, np.int32), np.empty((m, 3))
    middles(nodes, triangles, points)
    order = morton_order(points)
    leaves = 1
    while leaves * _LEAF < m:
        leaves *= 2
    exact, box = np.empty((leaves, 6)), np.empty((2 * leaves - 1, 6), np.float32)
    leaf_boxes(nodes, triangles, order, exact)
    box[leaves - 1 :, :3] = _rounded(exact[:, :3], -np.inf)
    box[leaves - 1 :, 3:] = _rounded(exact[:, 3:], np.inf)
    while leaves > 1:
        below = box[leaves - 1 : 2 * leaves - 1]
        leaves //= 2
        above = box[leaves - 1 : 2 * leaves - 1]
        np.minimum(below[::2, :3], below[1::2, :3], out=above[:, :3])
        np.maximum(below[::2, 3:], below[1::2, 3:], out=above[:, 3:])
    return Boxes(order, box)


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
        if hint is not None or enough is not None or not _jumps(points):
            return self._closest_in_turn(points, label, hint, enough)
        order = morton_order(points)
        found, row = np.empty((len(points), 3)), np.empty(len(points), np.int32)
        found[order], row[order] = self._closest_in_turn(points[order], None if label is None else label[order])
        return found, row

    def _closest_in_turn(
        self, points: Array, label: Array | None = None, hint: Array | None = None, enough: float | None = None
    ) -> tuple[Array, Array]:
        """The same, one after the other as they come: each search begins from what was found before."""
        from oddseam.compiled import announce
        from oddseam.geometry.kernels.box_walks import closest_points

        announce(closest_points)
        k, points = len(points), for_kernels(points)
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
        points = for_kernels(points)
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


def _jumps(points: Array) -> bool:
    """Whether points come in so little order that a search from one to the next is better done in another one."""
    if len(points) < _BLOCK:
        return False
    steps, extent = np.abs(np.diff(points[:: len(points) // _BLOCK], axis=0)), np.ptp(points, axis=0)
    return bool(steps.mean() > _JUMP * max(float(extent.max()), 1e-300))


def _rounded(values: Array, toward: float) -> Array:
    """Single precision, never short of the value on the way to ``toward``."""
    with np.errstate(over="ignore"):  # beyond its range it is infinite
        single = values.astype(np.float32)
    short = single < values if toward > 0 else single > values
    single[short] = np.nextafter(single[short], np.float32(toward))
    return single
