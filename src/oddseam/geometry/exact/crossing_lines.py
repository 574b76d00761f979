"""Where triangles that cross do so: segments, and the chains that they make.

Each of two triangles cuts the plane of the other in an interval of the line that the planes share
(T. Moeller 1997, A fast triangle-triangle intersection test); what the intervals have in common is the
segment.  It ends where an edge of one meets the other, and there the next segment begins: they
hang together by the number of that edge and of that triangle.  Lengths are in floating point.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import area_vectors, cross_product


@dataclass(frozen=True, eq=False)
class CrossingLines:
    """A row for each pair.

    Attributes
    ----------
    ends : (k, 2, 3) float64 array
        Ends of the segment; where triangles overlap in a plane both are a point of either.
    chain : (k,) int64 array
        Number of the chain that the segment belongs to.
    in_plane : (k,) bool array
        Whether the two overlap in a plane, so that there is no segment.
    """

    ends: Array
    chain: Array
    in_plane: Array

    @property
    def length(self) -> Array:
        """(k,) lengths of the segments."""
        return np.asarray(np.linalg.norm(self.ends[:, 1] - self.ends[:, 0], axis=1))


def crossing_lines(nodes: Array, triangles: Array, pairs: Array) -> CrossingLines:
    """Segments along which pairs of triangles cross, and how they hang together.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int array
    pairs : (k, 2) int array
        Rows of triangles that cross.

    Notes
    -----
    O(k log k).
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    k = len(pairs)
    one, two = triangles[pairs[:, 0]].astype(np.int64), triangles[pairs[:, 1]].astype(np.int64)
    along = cross_product(area_vectors(nodes[one]), area_vectors(nodes[two]))
    sides = [_sides(nodes, one, two), _sides(nodes, two, one)]
    in_plane = (sides[0] == 0).all(axis=1) | (sides[1] == 0).all(axis=1) | (along == 0).all(axis=1)
    found = [_interval(nodes, its, side, along) for its, side in ((two, sides[0]), (one, sides[1]))]
    rows = np.arange(k)
    low = np.where(found[0].where[:, 0] >= found[1].where[:, 0], 0, 1)
    high = np.where(found[0].where[:, 1] <= found[1].where[:, 1], 0, 1)
    ends = np.empty((k, 2, 3))
    key = np.empty((k, 2, 3), np.int64)
    for at, which in enumerate((low, high)):
        for side in (0, 1):
            mine = rows[which == side]
            ends[mine, at] = found[side].point[mine, at]
            key[mine, at, :2] = found[side].edge[mine, at]
            key[mine, at, 2] = pairs[mine, side]
    ends[in_plane] = nodes[one[in_plane, 0]][:, None]
    key[in_plane] = -1 - rows[in_plane, None, None]
    names, label = np.unique(key.reshape(-1, 3), axis=0, return_inverse=True)
    # where corners and edges meet exactly the two have other numbers, but the same place
    unit = 1e-9 * float(np.abs(nodes).max(initial=0.0))
    place = np.unique(np.rint(ends.reshape(-1, 3) / max(unit, 1e-300)), axis=0, return_inverse=True)[1].ravel()
    # facets that overlap hang together where they share nodes
    flat = np.flatnonzero(in_plane)
    used = np.concatenate([one[flat], two[flat]], axis=1).ravel()
    both, by_place = np.repeat(rows, 2), np.repeat(~in_plane, 2)
    first = np.cumsum([k, len(names), 2 * k])
    one_end = np.concatenate([both, both[by_place], np.repeat(flat, 6)])
    other_end = np.concatenate([first[0] + label.ravel(), first[1] + place[by_place], first[2] + used])
    size = int(first[2]) + len(nodes)
    links = coo_array((np.ones(len(one_end), bool), (one_end, other_end)), shape=(size, size))
    label = connected_components(links, directed=False)[1][:k]
    return CrossingLines(ends, np.unique(label, return_inverse=True)[1], in_plane)


@dataclass(frozen=True, eq=False)
class _Interval:
    """Where a triangle cuts a plane: places along the line, points, and the edges there (k, 2, ...)."""

    where: Array
    point: Array
    edge: Array


def _sides(nodes: Array, plane: Array, corners: Array) -> Array:
    """(k, 3) which side of the plane of one triangle the corners of another lie on, and how far in its units."""
    p = nodes[plane]
    normal = cross_product(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    side = np.einsum("kij,kj->ki", nodes[corners] - p[:, None, 0], normal)
    side[(corners[:, :, None] == plane[:, None, :]).any(axis=2)] = 0.0
    return np.asarray(side)


def _interval(nodes: Array, corners: Array, side: Array, along: Array) -> _Interval:
    k = len(corners)
    where, point, edge = np.empty((k, 3)), np.empty((k, 3, 3)), np.empty((k, 3, 2), np.int64)
    there = np.zeros((k, 3), bool)
    for i in range(3):
        j = (i + 1) % 3
        a, b, s, t = corners[:, i], corners[:, j], side[:, i], side[:, j]
        step = s - t
        share = np.clip(s / np.where(step != 0, step, 1.0), 0.0, 1.0)
        point[:, i] = nodes[a] + share[:, None] * (nodes[b] - nodes[a])
        # a corner in the plane belongs to the edge that begins there
        there[:, i] = (s * t < 0) | (s == 0)
        edge[:, i] = np.where((s == 0)[:, None], np.column_stack([a, a]), np.sort(np.column_stack([a, b]), axis=1))
        where[:, i] = np.einsum("ij,ij->i", point[:, i], along)
    low, high = np.where(there, where, np.inf), np.where(there, where, -np.inf)
    ends = np.column_stack([np.argmin(low, axis=1), np.argmax(high, axis=1)])
    rows = np.arange(k)[:, None]
    return _Interval(where[rows, ends], point[rows, ends], edge[rows, ends])
