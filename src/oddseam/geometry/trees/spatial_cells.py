"""The cells into which triangles cut space, as seen from the sides of the triangles.

Every triangle has two sides.  Round an edge the triangles are sorted by angle, and sides that
look at each other across the wedge between neighbours belong to the same cell; at an edge with
one triangle its two sides do.  The order round an edge is exact: angles in floating point where
these differ by more than their error, rational signs where they do not.  The idea is that of
Q. Zhou, E. Grinspun, D. Zorin, A. Jacobson (2016), Mesh arrangements for solid geometry.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cmp_to_key

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.exact_points import Point
from oddseam.geometry.exact.predicates import UNIT, scaled_integers

#: Angles (radians) that differ by less than this many rounding units over the leverage are sorted exactly.
_SLACK = 64.0


def sorted_round_edges(
    nodes: Array, ends: Array, apex: Array, first: Array, exact: Callable[[list[int]], list[Point]] | None = None
) -> Array:
    """Order of the triangles at every edge, counter-clockwise seen against the edge's direction.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    ends : (e, 2) int array
        Nodes of each edge.
    apex : (k,) int array
        The third node of every triangle at the edges, edge after edge.
    first : (e + 1,) int array
        The triangles of edge i are ``first[i]`` to ``first[i + 1] - 1``.
    exact : callable, optional
        Gives the exact places of nodes by their numbers, where ``nodes`` holds them rounded.

    Returns
    -------
    (k,) int64 array
        Rows of ``apex``, those of each edge in order.
    """
    edge = np.repeat(np.arange(len(ends)), np.diff(first))
    a, b = nodes[ends[:, 0]], nodes[ends[:, 1]]
    axis = b - a
    length = np.linalg.norm(axis, axis=1, keepdims=True)
    axis = axis / np.where(length > 0, length, 1.0)
    least = np.eye(3)[np.argmin(np.abs(axis), axis=1)]
    u = np.cross(axis, least)
    u /= np.maximum(np.linalg.norm(u, axis=1, keepdims=True), 1e-300)  # ends may be rounded to one place
    v = np.cross(axis, u)
    out = nodes[apex] - a[edge]
    x, y = np.einsum("ij,ij->i", out, u[edge]), np.einsum("ij,ij->i", out, v[edge])
    angle = np.arctan2(y, x)
    reach = np.linalg.norm(out, axis=1)
    size = np.abs(nodes[apex]).max(axis=1) + np.abs(a[edge]).max(axis=1) + reach
    # a short edge is unsure of its direction, which moves an arm the more the farther it reaches
    leverage = (1.0 + reach / np.maximum(length[edge, 0], 1e-140)) / np.maximum(np.hypot(x, y), 1e-140)
    error = _SLACK * UNIT * size * leverage
    order = np.lexsort((angle, edge))
    after = order[next_in_turn(first)]  # of the last one the first
    gap = angle[after] - angle[order]
    gap[first[1:] - 1] += 2.0 * np.pi
    unsure = np.unique(edge[order[gap <= error[order] + error[after]]])
    for e in unsure.tolist():
        rows = order[first[e] : first[e + 1]]
        numbers = [*ends[e].tolist(), *apex[rows].tolist()]
        places = exact(numbers) if exact else [(x, y, z, 1) for x, y, z in scaled_integers(nodes[numbers].tolist())]
        order[first[e] : first[e + 1]] = rows[_exact_order(places)]
    return order


def in_turn(
    nodes: Array,
    ends: Array,
    apex: Array,
    order: Array,
    first: Array,
    exact: Callable[[list[int]], list[Point]] | None = None,
) -> Array:
    """Rows by edge (``order``, ``first``), those of edges with three and more triangles sorted round them.

    ``apex`` holds the third node of every row; see :func:`sorted_round_edges` for the others.
    """
    many = np.flatnonzero(np.diff(first) > 2)
    if not len(many):
        return order
    size = np.diff(first)[many]
    begin = np.concatenate([[0], np.cumsum(size)])
    rows = np.repeat(first[many], size) + np.arange(begin[-1]) - np.repeat(begin[:-1], size)
    chosen = order[rows]
    turned = order.copy()
    turned[rows] = chosen[sorted_round_edges(nodes, ends[many], apex[chosen], begin, exact)]
    return turned


def _exact_order(places: list[Point]) -> list[int]:
    """Order round the edge from the first place to the second of the others."""
    a = places[0]
    # seen from the first place, each stretched by its positive denominators
    axis, *arms = [[p[k] * a[3] - a[k] * p[3] for k in range(3)] for p in places[1:]]

    def turn(p: list[int], q: list[int]) -> int:
        """Sign of the angle from p to q, seen against the axis: the volume of axis, p and q."""
        return (
            axis[0] * (p[1] * q[2] - p[2] * q[1])
            + axis[1] * (p[2] * q[0] - p[0] * q[2])
            + axis[2] * (p[0] * q[1] - p[1] * q[0])
        )

    def across(p: list[int], q: list[int]) -> int:
        """Inner product of the parts of p and q that are square to the axis, times the axis squared."""
        pa, qa, aa = (sum(x * y for x, y in zip(s, axis, strict=True)) for s in (p, q, axis))
        return sum(x * y for x, y in zip(p, q, strict=True)) * aa - pa * qa

    base = arms[0]

    def half(p: list[int]) -> int:
        t = turn(base, p)
        return 0 if t > 0 or (t == 0 and across(base, p) > 0) else 1

    def compare(i: int, j: int) -> int:
        if half(arms[i]) != half(arms[j]):
            return half(arms[i]) - half(arms[j])
        t = turn(arms[i], arms[j])
        return (t < 0) - (t > 0) or i - j

    return sorted(range(len(arms)), key=cmp_to_key(compare))


def next_in_turn(first: Array) -> Array:
    """For the rows of runs that ``first`` bounds, the next row of the run; after the last the first."""
    following = np.arange(1, first[-1] + 1)
    following[first[1:] - 1] = first[:-1]
    return following


def linked_sides(triangle: Array, upward: Array, order: Array, first: Array) -> tuple[Array, Array]:
    """Pairs of sides that look at each other.

    Side 2 t of triangle t is the one its normal points to, 2 t + 1 the other.

    Parameters
    ----------
    triangle : (n,) int array
        The triangle of every row (a corner at an edge).
    upward : (n,) bool array
        Whether it runs along the edge in the edge's own direction.
    order : (n,) int array
        Rows by edge, and round it, as :func:`sorted_round_edges` gives them.
    first : (e + 1,) int array
        Where the rows of each edge begin in ``order``.
    """
    after = order[next_in_turn(first)]
    ahead = 2 * triangle[order] + ~upward[order]  # the side that looks on, counter-clockwise
    behind = 2 * triangle[after] + upward[after]
    return ahead, behind
