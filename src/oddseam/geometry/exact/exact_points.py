"""Points with exact coordinates: integers over a common denominator.

Nodes are doubles, hence integers once all are scaled by one power of two.  Where triangles meet,
points are quotients of integers; they are kept so, divided by what the four numbers have in
common, so that a point has one name however it was made.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import gcd

import numpy as np

from oddseam.arrays import Array

#: x, y, z and the denominator, which is positive.
Point = tuple[int, int, int, int]
Vector = tuple[int, int, int]


class ExactPoints:
    """Numbered points; the same place has the same number.

    Parameters
    ----------
    nodes : (n, 3) float64 array
        The first points, in order; of nodes at the same place the first gives its number.

    Attributes
    ----------
    points : list of Point
        In scaled coordinates.
    """

    def __init__(self, nodes: Array) -> None:
        self._shift = _common_shift(nodes)
        scaled = [[_whole(x, self._shift) for x in row] for row in nodes.tolist()]
        self.points: list[Point] = [(x, y, z, 1) for x, y, z in scaled]
        self._number: dict[Point, int] = {}
        self.first = [self._number.setdefault(point, k) for k, point in enumerate(self.points)]

    def number(self, x: int, y: int, z: int, w: int) -> int:
        """The number of a point (``w`` is positive), a new one if it is not known."""
        common = gcd(x, y, z, w)
        point = (x // common, y // common, z // common, w // common)
        known = self._number.get(point)
        if known is None:
            known = self._number[point] = len(self.points)
            self.points.append(point)
        return known

    def place(self, xyz: Array) -> Point:
        """The scaled coordinates of a double that need not be among the points."""
        ratios = [x.as_integer_ratio() for x in xyz.tolist()]
        below = max(b for _, b in ratios)
        above = [a * (below // b) for a, b in ratios]
        if self._shift >= 0:
            x, y, z = (a << self._shift for a in above)
            return x, y, z, below
        return above[0], above[1], above[2], below << -self._shift

    def coordinates(self, first: int = 0) -> Array:
        """(k, 3) the points from ``first`` on, each coordinate rounded once."""
        rows = [(x / w, y / w, z / w) for x, y, z, w in self._unscaled(first)]
        return np.array(rows, float).reshape(-1, 3)

    def _unscaled(self, first: int) -> list[Point]:
        shift = self._shift
        if shift >= 0:
            return [(x, y, z, w << shift) for x, y, z, w in self.points[first:]]
        return [(x << -shift, y << -shift, z << -shift, w) for x, y, z, w in self.points[first:]]


def _common_shift(nodes: Array) -> int:
    """The power of two that makes every coordinate whole."""
    values = np.abs(nodes[nodes != 0])
    if not len(values):
        return 0
    mantissa, exponent = np.frexp(values)
    whole = np.ldexp(mantissa, 53).astype(np.int64)
    zeros = np.bitwise_count((whole & -whole) - 1)
    return int((53 - exponent - zeros.astype(np.int64)).max())


def _whole(x: float, shift: int) -> int:
    above, below = x.as_integer_ratio()
    return (above << shift) // below if shift >= 0 else above // (below << -shift)


def minus(p: Sequence[int], q: Sequence[int]) -> Vector:
    """Difference of two points."""
    return p[0] - q[0], p[1] - q[1], p[2] - q[2]


def dot(p: Sequence[int], q: Sequence[int]) -> int:
    """Inner product of the first three."""
    return p[0] * q[0] + p[1] * q[1] + p[2] * q[2]


def cross(p: Sequence[int], q: Sequence[int]) -> Vector:
    """Vector product."""
    return p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]
