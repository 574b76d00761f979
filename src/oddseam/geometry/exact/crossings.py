"""Pairs of triangles that cross: their interiors have a point in common.

Candidates come from the box tree; floating point settles nearly all of them, and those that it
cannot are settled by rational arithmetic on the stored coordinates.  Hence the answer is exact.
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.geometry.exact.predicates import is_degenerate, scaled_integers
from oddseam.geometry.threads import in_runs, in_shares
from oddseam.geometry.trees.boxtree import Boxes, boxes_in_order

Vector = list[int]


def crossing_pairs(
    nodes: Array, triangles: Array, degenerate: Array | None = None, among: Array | None = None
) -> Array:
    """Pairs of triangles whose interiors meet.

    Triangles on the same three nodes, and those that overlap in a plane or fold back over an
    edge they share, count; those that only touch, in a point or along an edge, do not.  Triangles
    with collinear corners have no interior and are left out.

    O(n log n + k) for k pairs whose boxes meet, on surfaces without heaps of boxes in one place.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int array
    degenerate : int array, optional
        Rows with collinear corners, if they are known already.
    among : int array, optional
        Rows of which at least one is in every pair that is wanted.

    Returns
    -------
    (k, 2) int32 array
        Rows of ``triangles``, the smaller first, sorted.
    """
    if degenerate is None:
        degenerate = np.flatnonzero(in_runs(is_degenerate, nodes, triangles))
    sound = np.delete(np.arange(len(triangles)), degenerate)
    if len(sound) < 2:
        return np.zeros((0, 2), np.int32)
    if among is not None:
        wanted = np.zeros(len(triangles), bool)
        wanted[among] = True
        among = np.flatnonzero(wanted[sound])
    pairs, state = pairs_near(nodes, triangles[sound], contacts=False, among=among)
    return _settled(nodes, triangles, sound[pairs], state)


def crossing_among(nodes: Array, triangles: Array, pairs: Array) -> Array:
    """Those of some pairs of triangles (p, 2), all with area, whose interiors meet; as :func:`crossing_pairs`."""
    from oddseam.geometry.kernels.exact_signs import APART
    from oddseam.geometry.kernels.pair_search import compare_pairs

    state = np.empty(len(pairs), np.int8)
    compare_pairs(for_kernels(nodes), for_kernels(triangles, np.int32), pairs, state)
    return _settled(nodes, triangles, pairs[state != APART], state[state != APART])


def _settled(nodes: Array, triangles: Array, pairs: Array, state: Array) -> Array:
    """The pairs whose interiors meet, of those that floating point cannot prove apart, sorted."""
    from oddseam.geometry.kernels.exact_signs import UNSURE

    keep = np.ones(len(pairs), bool)
    for k in np.flatnonzero(state == UNSURE).tolist():
        one, two = pairs[k]
        keep[k] = interiors_meet(nodes[triangles[one]].tolist(), nodes[triangles[two]].tolist())
    pairs = np.sort(pairs[keep], axis=1).astype(np.int32)
    return np.asarray(pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))])


def pairs_near(
    nodes: Array, triangles: Array, *, contacts: bool, among: Array | None = None, boxes: Boxes | None = None
) -> tuple[Array, Array]:
    """Pairs of triangles that floating point cannot prove apart.

    Parameters
    ----------
    nodes, triangles : (n, 3) float64 and (m, 3) int arrays
    contacts : bool
        Whether those that may touch beyond common nodes and edges are wanted, or only those
        whose interiors may meet.
    among : int array, optional
        Rows of which at least one is in every pair that is wanted.
    boxes : Boxes, optional
        Those of ``boxes_in_order`` for these triangles, if there are any yet.

    Returns
    -------
    pairs : (k, 2) int64 array
        Rows of ``triangles``.
    state : (k,) int8 array
        ``MEETS`` or ``UNSURE``.
    """
    from oddseam.compiled import announce
    from oddseam.geometry.kernels.pair_search import facet_boxes, search_pairs

    announce(search_pairs)
    order, box = boxes_in_order(nodes, triangles) if boxes is None else boxes
    ordered = np.ascontiguousarray(triangles[order], np.int32)
    points, own = for_kernels(nodes), np.empty((len(triangles), 6), np.float32)
    facet_boxes(points, ordered, own)
    marked = np.full(len(triangles), among is None)
    if among is not None:
        marked[among] = True
        marked = marked[order]

    def search(start: int, stop: int) -> tuple[Array, Array]:
        room = 1024
        while True:
            pairs, state = np.empty((room, 2), np.int32), np.empty(room, np.int8)
            count = int(search_pairs(points, ordered, own, box, start, stop, contacts, marked, pairs, state))
            if count <= room:
                return pairs[:count], state[:count]
            room = count

    # later leaves have fewer still to be compared with, so the work is dealt out in small shares
    leaves = (len(box) + 1) // 2
    found = in_shares(search, leaves, least=500, most=1 + leaves // 16)
    pairs = order[np.concatenate([p for p, _ in found])].reshape(-1, 2)
    return pairs, np.concatenate([s for _, s in found])


def interiors_meet(one: Sequence[Sequence[float]], two: Sequence[Sequence[float]]) -> bool:
    """Whether the interiors of two triangles with area have a point in common; exact."""
    corners = scaled_integers([*one, *two])
    a, b = corners[:3], corners[3:]
    normal_a, normal_b = _normal(a), _normal(b)
    side_b = [_dot(normal_a, _minus(p, a[0])) for p in b]
    side_a = [_dot(normal_b, _minus(p, b[0])) for p in a]
    if not any(side_b):
        return overlap_in_plane(a, b, normal_a)
    if not (min(side_a) < 0 < max(side_a) and min(side_b) < 0 < max(side_b)):
        return False
    along = _cross(normal_a, normal_b)
    low_a, high_a = _span(a, side_a, along)
    low_b, high_b = _span(b, side_b, along)
    return max(low_a, low_b) < min(high_a, high_b)


def _minus(p: Vector, q: Vector) -> Vector:
    return [x - y for x, y in zip(p, q, strict=True)]


def _dot(p: Vector, q: Vector) -> int:
    return sum(x * y for x, y in zip(p, q, strict=True))


def _cross(p: Vector, q: Vector) -> Vector:
    return [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]]


def _normal(triangle: list[Vector]) -> Vector:
    return _cross(_minus(triangle[1], triangle[0]), _minus(triangle[2], triangle[0]))


def _span(triangle: list[Vector], side: list[int], along: Vector) -> tuple[Fraction, Fraction]:
    """Where the triangle crosses the plane that its corners lie on these sides of, measured along a direction."""
    place = [_dot(along, p) for p in triangle]
    ends = [Fraction(x) for x, s in zip(place, side, strict=True) if s == 0]
    for i, j in ((0, 1), (1, 2), (2, 0)):
        if side[i] * side[j] < 0:
            ends.append(Fraction(place[i] * side[j] - place[j] * side[i], side[j] - side[i]))
    return min(ends), max(ends)


def overlap_in_plane(a: list[Vector], b: list[Vector], normal: Vector) -> bool:
    """Whether two triangles of one plane overlap: no edge of either parts them."""
    for x, y in ((a, b), (b, a)):
        for k in range(3):
            across = _cross(normal, _minus(x[(k + 1) % 3], x[k]))
            own = _dot(across, _minus(x[(k + 2) % 3], x[k]))
            if all(_dot(across, _minus(p, x[k])) * own <= 0 for p in y):
                return False
    return True
