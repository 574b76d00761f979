"""Where two triangles meet: the exact segment, point, or overlap in a plane.

T. Moeller (1997), A fast triangle-triangle intersection test, with integers: each triangle
cuts the plane of the other in an interval of the line that the planes share, and where the two
intervals have something in common the triangles meet.
"""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.arrays import Array
from oddseam.geometry.exact.exact_points import ExactPoints, Point, Vector, cross, dot, minus

#: Two corners, the smaller first.
Edge = tuple[int, int]


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

    def corners(self, triangle: int) -> list[int]:
        """Numbers of the corners of a triangle."""
        return list(self._triangles[triangle].tolist())

    def plane(self, triangle: int) -> Plane:
        """The plane of a triangle; its normal is zero if the corners lie in a line."""
        plane = self._planes.get(triangle)
        if plane is None:
            a, b, c = (self.points.points[k] for k in self._triangles[triangle].tolist())
            normal = cross(minus(b, a), minus(c, a))
            plane = self._planes[triangle] = Plane(normal, dot(normal, a))
        return plane

    def meet(self, one: int, two: int) -> Met | None:
        """What triangles of different planes share; ``None`` for nothing.

        Raises
        ------
        CoplanarError
            If the triangles lie in one plane.
        """
        plane_one, plane_two = self.plane(one), self.plane(two)
        corners_one, corners_two = self.corners(one), self.corners(two)
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
        if high < low:
            return None
        ends = low.number, high.number
        return Met(ends, (_lying(ends_one, ends), _lying(ends_two, ends)))

    def _on_line(self, corners: list[int], sides: list[int], along: Vector) -> list[_Place]:
        """Where a triangle cuts the plane that its corners lie on these sides of, in order along the line."""
        points = self.points.points
        found: list[tuple[int, Edge]] = [(k, (k, k)) for k, side in zip(corners, sides, strict=True) if side == 0]
        for i, j in ((0, 1), (1, 2), (2, 0)):
            if (sides[i] < 0 < sides[j]) or (sides[j] < 0 < sides[i]):
                a, b, s, t = corners[i], corners[j], abs(sides[i]), abs(sides[j])
                px, py, pz, _ = points[a]
                qx, qy, qz, _ = points[b]
                k = self.points.number(px * t + qx * s, py * t + qy * s, pz * t + qz * s, s + t)
                found.append((k, (a, b) if a < b else (b, a)))
        places = [_Place(k, dot(along, points[k]), points[k][3], edge) for k, edge in found]
        if len(places) == 2 and places[1] < places[0]:
            places.reverse()
        return places


@dataclass(frozen=True, slots=True)
class Met:
    """A segment, or a point.

    Attributes
    ----------
    ends : (int, int)
        Numbers of points, equal for a point.
    on : pair of pairs
        For either triangle the edge that each end lies on, a corner twice where it is one, ``None`` within.
    """

    ends: tuple[int, int]
    on: tuple[tuple[Edge | None, Edge | None], tuple[Edge | None, Edge | None]]


def _lying(places: list[_Place], ends: tuple[int, int]) -> tuple[Edge | None, Edge | None]:
    """The edge of a triangle, which cuts a line at some places, that each of two points on the line lies on."""
    first, last = places[0], places[-1]
    along = None
    if first.edge[0] == first.edge[1] and last.edge[0] == last.edge[1] and first is not last:
        along = (min(first.number, last.number), max(first.number, last.number))  # an edge lies on the line
    one, two = (first.edge if k == first.number else last.edge if k == last.number else along for k in ends)
    return one, two


class CoplanarError(Exception):
    """The triangles lie in one plane."""


class _Place:
    """A point on a line, ordered by where it lies."""

    __slots__ = ("below", "edge", "number", "where")

    def __init__(self, number: int, where: int, below: int, edge: Edge) -> None:
        self.number, self.where, self.below, self.edge = number, where, below, edge

    def __lt__(self, other: _Place) -> bool:
        return self.where * other.below < other.where * self.below

    def __gt__(self, other: _Place) -> bool:
        return other < self
