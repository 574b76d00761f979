"""Where two triangles meet: the exact segment, point, or overlap in a plane.

T. Moeller (1997), A fast triangle-triangle intersection test, with integers: each triangle
cuts the plane of the other in an interval of the line that the planes share, and where the two
intervals have something in common the triangles meet.
"""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.arrays import Array
from oddseam.geometry.exact_points import ExactPoints, Point, Vector, cross, dot, minus


@dataclass(frozen=True)
class Plane:
    """Normal and offset of a triangle's plane in scaled coordinates: points with n . p = d lie on it."""

    normal: Vector
    offset: int

    def side(self, point: Point) -> int:
        """Positive before the plane, negative behind it, times the denominator of the point."""
        return dot(self.normal, point) - self.offset * point[3]


class Meetings:
    """Finds where triangles meet.

    Parameters
    ----------
    points : ExactPoints
    triangles : (m, 3) int array
        Numbers of points that are nodes.
    """

    def __init__(self, points: ExactPoints, triangles: Array) -> None:
        self.points = points
        self._triangles = triangles
        self._planes: dict[int, Plane] = {}

    def plane(self, triangle: int) -> Plane:
        """The plane of a triangle; its normal is zero if the corners lie in a line."""
        plane = self._planes.get(triangle)
        if plane is None:
            a, b, c = (self.points.points[k] for k in self._triangles[triangle].tolist())
            normal = cross(minus(b, a), minus(c, a))
            plane = self._planes[triangle] = Plane(normal, dot(normal, a))
        return plane

    def meet(self, one: int, two: int) -> tuple[int, int] | None:
        """The two ends of what triangles of different planes share, equal for a point; ``None`` for nothing.

        Raises
        ------
        CoplanarError
            If the triangles lie in one plane.
        """
        plane_one, plane_two = self.plane(one), self.plane(two)
        corners_one, corners_two = (self._triangles[k].tolist() for k in (one, two))
        known = self.points.points
        sides_two = [plane_one.side(known[k]) for k in corners_two]
        if not any(sides_two):
            raise CoplanarError
        if min(sides_two) > 0 or max(sides_two) < 0:
            return None
        sides_one = [plane_two.side(known[k]) for k in corners_one]
        if min(sides_one) > 0 or max(sides_one) < 0:
            return None
        along = cross(plane_one.normal, plane_two.normal)
        ends_one = self._on_line(corners_one, sides_one, along)
        ends_two = self._on_line(corners_two, sides_two, along)
        low = max(ends_one[0], ends_two[0])
        high = min(ends_one[-1], ends_two[-1])
        return None if high < low else (low.number, high.number)

    def _on_line(self, corners: list[int], sides: list[int], along: Vector) -> list[_Place]:
        """Where a triangle cuts the plane that its corners lie on these sides of, in order along the line."""
        points = self.points
        found = [k for k, side in zip(corners, sides, strict=True) if side == 0]
        for i, j in ((0, 1), (1, 2), (2, 0)):
            if (sides[i] < 0 < sides[j]) or (sides[j] < 0 < sides[i]):
                p, q, s, t = points.points[corners[i]], points.points[corners[j]], abs(sides[i]), abs(sides[j])
                x, y, z = (p[k] * t + q[k] * s for k in range(3))
                found.append(points.number(x, y, z, s + t))
        return sorted(_Place(k, dot(along, points.points[k]), points.points[k][3]) for k in found)


class CoplanarError(Exception):
    """The triangles lie in one plane."""


class _Place:
    """A point on a line, ordered by where it lies."""

    __slots__ = ("below", "number", "where")

    def __init__(self, number: int, where: int, below: int) -> None:
        self.number, self.where, self.below = number, where, below

    def __lt__(self, other: _Place) -> bool:
        return self.where * other.below < other.where * self.below

    def __gt__(self, other: _Place) -> bool:
        return other < self
