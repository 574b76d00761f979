"""Exact predicates on stored coordinates: a certified filter first, integers where it cannot tell.

Every double is an integer times a power of two, so a predicate is settled exactly by Python
integers once the coordinates are scaled alike.  The filter bounds follow J. R. Shewchuk
(1997), Adaptive precision floating-point arithmetic and fast robust geometric predicates.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from oddseam.arrays import Array

#: Rounding unit of a double.
UNIT = 2.0**-53
#: Absolute slack that covers underflow in the products.
TINY = 1e-290


def scaled_integers(points: Sequence[Sequence[float]]) -> list[list[int]]:
    """The points, multiplied by one power of two that makes every coordinate whole."""
    ratios = [[x.as_integer_ratio() for x in point] for point in points]
    scale = max(below for row in ratios for _, below in row)
    return [[above * (scale // below) for above, below in row] for row in ratios]


def is_degenerate(corners: Array) -> Array:
    """(m,) bool: which triangles (m, 3, 3) have exactly collinear (or equal) corners."""
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    unsure = np.ones(len(corners), bool)
    for i, j in ((0, 1), (1, 2), (2, 0)):
        one, two = u[:, i] * v[:, j], u[:, j] * v[:, i]
        unsure &= np.abs(one - two) <= 8.0 * UNIT * (np.abs(one) + np.abs(two)) + TINY
    degenerate = np.zeros(len(corners), bool)
    for row in np.flatnonzero(unsure):
        degenerate[row] = _collinear(*scaled_integers(corners[row].tolist()))
    return degenerate


def _collinear(a: Sequence[int], b: Sequence[int], c: Sequence[int]) -> bool:
    u, v = [p - q for p, q in zip(b, a, strict=True)], [p - q for p, q in zip(c, a, strict=True)]
    return all(u[i] * v[j] == u[j] * v[i] for i, j in ((0, 1), (1, 2), (2, 0)))


def middle_of_collinear(corners: Array) -> int:
    """Which of three collinear points, of which no two are equal, lies between the others."""
    p = scaled_integers(corners.tolist())
    for k in range(3):
        a, b = p[(k + 1) % 3], p[(k + 2) % 3]
        if sum((x - m) * (y - m) for x, y, m in zip(a, b, p[k], strict=True)) < 0:
            return k
    raise ValueError("two of the points are equal")
