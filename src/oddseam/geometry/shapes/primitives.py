"""Planes, spheres, cylinders, cones and tori: distances, and fits to points with normals.

First guesses come from the normals, by linear algebra: those of a cylinder are upright to its axis, the tangent
planes of a cone meet in its apex, and the normal lines of any surface of revolution meet its axis (H. Pottmann,
T. Randrup 1998, Rotational and helical surface approximation for reverse engineering).  Then the squared
distances of the points are made least (D. Marshall, G. Lukacs, R. Martin 2001, Robust segmentation of
primitives from range data in the presence of geometric degeneracy).  Of all kinds that lie near enough the one with
the fewest parameters is taken.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oddseam.arrays import Array, for_kernels

#: Kinds, those with fewer parameters first.
PRIMITIVES = ("plane", "sphere", "cylinder", "cone", "torus")


@dataclass(frozen=True, eq=False)
class Primitive:
    """A surface of one of the simple kinds.

    Attributes
    ----------
    kind : str
        One of :data:`PRIMITIVES`.
    centre : (3,) array
        A point of a plane, on the axis of a cylinder, the apex of a cone, the middle of a sphere or torus.
    axis : (3,) array
        Unit normal of a plane, unit axis of the others; that of a cone leads from the apex into it.
    radius : float
        Of a sphere or cylinder, of the middle circle of a torus; the half angle of a cone, in degrees; 0 of a plane.
    tube : float
        Radius of the tube of a torus, else 0.
    """

    kind: str
    centre: Array
    axis: Array
    radius: float = 0.0
    tube: float = 0.0

    @classmethod
    def of(cls, kind: str, numbers: Array) -> Primitive:
        """That of a kind which kernels know by eight numbers."""
        return cls(kind, numbers[:3].copy(), numbers[3:6].copy(), float(numbers[6]), float(numbers[7]))

    @cached_property
    def code(self) -> tuple[int, Array]:
        """Place in :data:`PRIMITIVES`, and the eight numbers that kernels know it by."""
        return PRIMITIVES.index(self.kind), np.concatenate([self.centre, self.axis, [self.radius, self.tube]])

    def distance(self, points: Array) -> Array:
        """(k,) signed distances of points, positive outside, or on the side of a plane's normal."""
        return self.measured(points)[0]

    def normal(self, points: Array) -> Array:
        """(k, 3) directions in which the distance grows."""
        return self.measured(points)[1]

    def projected(self, points: Array) -> Array:
        """(k, 3) points on the surface, straight below."""
        distance, normal = self.measured(points)
        return np.asarray(points - distance[:, None] * normal)

    def measured(self, points: Array) -> tuple[Array, Array]:
        """Both: (k,) signed distances, and (k, 3) the directions in which they grow."""
        away = points - self.centre
        if self.kind == "sphere":
            length, direction = _split(away)
            return length - self.radius, direction
        along = away @ self.axis
        if self.kind == "plane":
            return along, np.broadcast_to(self.axis, points.shape)
        out, direction = _split(away - along[:, None] * self.axis)
        if self.kind == "cylinder":
            return out - self.radius, direction
        if self.kind == "cone":
            cos, sin = np.cos(np.radians(self.radius)), np.sin(np.radians(self.radius))
            return out * cos - along * sin, cos * direction - sin * self.axis
        length, direction = _split((out - self.radius)[:, None] * direction + along[:, None] * self.axis)
        return length - self.tube, direction


def _split(vectors: Array) -> tuple[Array, Array]:
    """Lengths of vectors (k, 3), and their directions."""
    length = np.linalg.norm(vectors, axis=1)
    return length, vectors / np.where(length > 0, length, 1.0)[:, None]


def coded(surfaces: Sequence[Primitive]) -> tuple[Array, Array]:
    """(s,) and (s, 8): the codes and numbers of surfaces."""
    codes = np.array([surface.code[0] for surface in surfaces], np.int64)
    return codes, np.array([surface.code[1] for surface in surfaces]).reshape(-1, 8)


def measured_each(surfaces: Sequence[Primitive], which: Array, points: Array) -> tuple[Array, Array]:
    """As :meth:`Primitive.measured`, of points (k, 3) that each belong to one of many surfaces, ``which`` (k,)."""
    from oddseam.geometry.kernels.primitive_fits import off_each

    distance, direction = np.empty(len(points)), np.empty((len(points), 3))
    off_each(*coded(surfaces), for_kernels(which, np.int64), for_kernels(points), distance, direction)
    return distance, direction


def fit_primitive(
    points: Array, at: Array, normals: Array, tolerance: float, kinds: tuple[str, ...] = PRIMITIVES
) -> Primitive | None:
    """The simplest primitive that lies near points; ``None`` if none does.

    O(k) for each kind.

    Parameters
    ----------
    points : (k, 3) array
        On the surface.
    at, normals : (j, 3) arrays
        Places on or near the surface, and unit normals there, as good as they are.  On facets those of edges are
        best: their middles, and the mean of the normals on both sides.
    tolerance : float
        Largest root mean square of the distances.
    kinds : tuple of str
        Those that come into question.
    """
    from oddseam.compiled import announce
    from oddseam.geometry.kernels.primitive_guesses import fit_kind

    announce(fit_kind)
    if len(points) < LEAST_POINTS["plane"]:
        return None
    numbers = np.zeros(8)
    for code, kind in enumerate(PRIMITIVES):
        if kind not in kinds or len(points) < LEAST_POINTS[kind]:
            continue
        if fit_kind(code, *map(for_kernels, (points, at, normals)), tolerance, numbers):
            return Primitive.of(kind, numbers)
    return None


def upright(axis: Array) -> Array:
    """(3,) a unit vector upright to a unit vector."""
    one = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    return np.asarray(one / np.linalg.norm(one))


#: One more than it has parameters, so that not every set of points lies on one.
LEAST_POINTS = {"plane": 3, "sphere": 5, "cylinder": 6, "cone": 7, "torus": 8}
