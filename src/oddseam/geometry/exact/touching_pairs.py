"""Pairs of triangles that touch without crossing: they share points, but not their interiors.

What floating point cannot prove apart is settled with integers, as crossings are.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.crossings import pairs_near
from oddseam.geometry.exact.exact_points import ExactPoints, cross, dot, minus
from oddseam.geometry.exact.meeting import CoplanarError, Meetings


def touching_pairs(nodes: Array, triangles: Array, crossing: Array, near: Array | None = None) -> Array:
    """Pairs of triangles that share a point that is no common corner, or on no common edge, and do not cross.

    Parameters
    ----------
    nodes : (n, 3) float64 array
        All different.
    triangles : (m, 3) int array
        None with collinear corners.
    crossing : (k, 2) int array
        Pairs whose interiors meet, the smaller row first.
    near : (p, 2) int array, optional
        All pairs that floating point cannot prove apart, if they are known.

    Returns
    -------
    (t, 2) int64 array
        The smaller row first, sorted.

    Notes
    -----
    O(n log n), and a time that grows with the number of pairs that floating point cannot tell apart.
    """
    if len(triangles) < 2:
        return np.zeros((0, 2), np.int64)
    pairs = np.sort(pairs_near(nodes, triangles, contacts=True)[0] if near is None else near, axis=1)
    m = len(triangles)
    known = crossing[:, 0].astype(np.int64) * m + crossing[:, 1]
    pairs = pairs[~np.isin(pairs[:, 0].astype(np.int64) * m + pairs[:, 1], known)]
    rows, local = np.unique(pairs, return_inverse=True)
    used, corners = np.unique(triangles[rows], return_inverse=True)
    meetings = Meetings(ExactPoints(nodes[used]), corners.reshape(-1, 3))
    touch = [_touch(meetings, one, two) for one, two in local.reshape(-1, 2).tolist()]
    pairs = pairs[np.array(touch, bool)]
    return np.asarray(pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))])


def _touch(meetings: Meetings, one: int, two: int) -> bool:
    """Whether two triangles that do not cross share more than corners and edges of both."""
    try:
        met = meetings.meet(one, two)
    except CoplanarError:
        return _touch_in_plane(meetings, one, two)
    # a segment between corners of both is an edge of both
    return met is not None and not all(edge is not None and edge[0] == edge[1] for on in met.on for edge in on)


def _touch_in_plane(meetings: Meetings, one: int, two: int) -> bool:
    """The same in one plane: then what they share is a point or a segment, and ends at corners of either."""
    corners = [meetings.corners(k) for k in (one, two)]
    common = set(corners[0]) & set(corners[1])
    return any(
        k not in common and _is_in(meetings, k, other)
        for mine, other in ((corners[0], two), (corners[1], one))
        for k in mine
    )


def _is_in(meetings: Meetings, k: int, triangle: int) -> bool:
    """Whether a node of its plane lies in a triangle or on its border."""
    points = meetings.points.points
    normal, p = meetings.plane(triangle).normal, points[k]
    a, b, c = (points[n] for n in meetings.corners(triangle))
    return all(dot(cross(minus(v, u), minus(p, u)), normal) >= 0 for u, v in ((a, b), (b, c), (c, a)))
