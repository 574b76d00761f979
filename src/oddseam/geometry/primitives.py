"""Planes, spheres, cylinders, cones and tori: distances, and fits to points with normals.

First guesses come from the normals, by linear algebra: those of a cylinder are upright to its axis, the tangent
planes of a cone meet in its apex, and the normal lines of any surface of revolution meet its axis (H. Pottmann,
T. Randrup 1998, Rotational and helical surface approximation for reverse engineering).  Then the squared
distances of the points are made least (D. Marshall, G. Lukacs, R. Martin 2001, Robust segmentation of
primitives from range data in the presence of geometric degeneracy).  Of all kinds that lie near enough the one with
the fewest parameters is taken.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array

#: Kinds, those with fewer parameters first.
PRIMITIVES = ("plane", "sphere", "cylinder", "cone", "torus")
#: A sphere, cylinder or torus larger than the points by this factor is as good as something flatter.
_LARGEST = 100.0
#: A fit that is off by more tolerances is given up once it hardly gets better; no fit takes more steps.
_HOPELESS, _STEPS = 30.0, 60
#: Half angles of cones, in degrees: beyond these they are cylinders and planes.
_ANGLES = (0.5, 89.0)


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

    @property
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
    middle = points.mean(axis=0)
    size = float(np.abs(points - middle).max(initial=0.0))
    if len(points) < 3 or not size > 0:
        return None
    local, places = (points - middle) / size, (at - middle) / size
    for kind in PRIMITIVES:
        if kind not in kinds or len(points) < LEAST_POINTS[kind]:
            continue
        found = _FITS[kind](local, places, normals, _HOPELESS * tolerance / size)
        if found is not None and np.sqrt(np.mean(found.distance(local) ** 2)) * size <= tolerance:
            scale = size if kind != "cone" else 1.0
            return Primitive(kind, middle + size * found.centre, found.axis, scale * found.radius, size * found.tube)
    return None


def _plane(points: Array, at: Array, normals: Array, worst: float) -> Primitive | None:
    centre = points.mean(axis=0)
    axis = np.linalg.svd(points - centre, full_matrices=False)[2][2]
    return Primitive("plane", centre, axis if (normals @ axis).sum() >= 0 else -axis)


def _sphere(points: Array, at: Array, normals: Array, worst: float) -> Primitive | None:
    found = np.linalg.lstsq(np.column_stack([2 * points, np.ones(len(points))]), (points**2).sum(axis=1), rcond=None)[0]
    radius2 = found[3] + found[:3] @ found[:3]
    if not radius2 > 0:
        return None
    return _refined("sphere", points, np.append(found[:3], np.sqrt(radius2)), worst)


def _cylinder(points: Array, at: Array, normals: Array, worst: float) -> Primitive | None:
    axis = np.linalg.eigh(normals.T @ normals)[1][:, 0]
    circle = _circle(*(points @ direction for direction in _upright(axis)))
    if circle is None:
        return None
    x, y, radius = circle
    one, two = _upright(axis)
    return _refined("cylinder", points, np.concatenate([x * one + y * two, axis, [radius]]), worst)


def _cone(points: Array, at: Array, normals: Array, worst: float) -> Primitive | None:
    # normals of a cone make one angle with the axis, and tangent planes meet in the apex
    mean = normals.mean(axis=0)
    axis = np.linalg.svd(normals - mean, full_matrices=False)[2][2]
    apex = np.linalg.lstsq(normals, np.einsum("ij,ij->i", normals, at), rcond=None)[0]
    axis = axis if ((points - apex) @ axis).mean() >= 0 else -axis
    angle = np.degrees(np.arcsin(np.clip(abs(mean @ axis), 0.0, 1.0)))
    if not _ANGLES[0] < angle < _ANGLES[1]:
        return None
    return _refined("cone", points, np.concatenate([apex, axis, [angle]]), worst)


def _torus(points: Array, at: Array, normals: Array, worst: float) -> Primitive | None:
    # all normal lines meet the axis (a, m): n m + (x x n) a = 0
    lines = np.column_stack([np.cross(at, normals), normals])
    form = lines.T @ lines
    below = form[3:, 3:] + 1e-9 * np.trace(form[3:, 3:]) * np.eye(3)
    across = np.linalg.solve(below, form[3:, :3])
    axis = np.linalg.eigh(form[:3, :3] - form[:3, 3:] @ across)[1][:, 0]
    moment = -across @ axis
    foot = np.cross(axis, moment)
    along = (points - foot) @ axis
    out = np.linalg.norm(points - foot - along[:, None] * axis, axis=1)
    circle = _circle(out, along)
    if circle is None or not circle[0] > 0:
        return None
    return _refined("torus", points, np.concatenate([foot + circle[1] * axis, axis, [circle[0], circle[2]]]), worst)


def _circle(x: Array, y: Array) -> tuple[float, float, float] | None:
    """Middle and radius of a circle through points of a plane, by least squares of its equation."""
    found = np.linalg.lstsq(np.column_stack([2 * x, 2 * y, np.ones(len(x))]), x**2 + y**2, rcond=None)[0]
    radius2 = found[2] + found[0] ** 2 + found[1] ** 2
    return (float(found[0]), float(found[1]), float(np.sqrt(radius2))) if radius2 > 0 else None


def upright(axis: Array) -> Array:
    """(3,) a unit vector upright to a unit vector."""
    one = np.cross(axis, np.eye(3)[np.argmin(np.abs(axis))])
    return np.asarray(one / np.linalg.norm(one))


def _upright(axis: Array) -> tuple[Array, Array]:
    """Two unit vectors upright to a unit vector and one another."""
    one = upright(axis)
    return one, np.cross(axis, one)


def _refined(kind: str, points: Array, start: Array, worst: float) -> Primitive | None:
    """With the least squared distances, if it is not as good as flat, nor hopeless."""
    from oddseam.compiled import announce
    from oddseam.geometry.kernels.primitive_fits import fit_surface

    if not np.isfinite(start).all():
        return None
    announce(fit_surface)
    numbers = np.array([*start[:3], 0.0, 0.0, 1.0, start[3], 0.0]) if kind == "sphere" else np.zeros(8)
    if kind != "sphere":
        numbers[: len(start)] = start
    numbers[3:6] /= np.linalg.norm(numbers[3:6])
    fit_surface(PRIMITIVES.index(kind), numbers, np.ascontiguousarray(points), worst, _STEPS)
    found = Primitive(kind, numbers[:3], numbers[3:6], abs(float(numbers[6])), abs(float(numbers[7])))
    largest = max(found.radius if kind != "cone" else 0.0, found.tube, float(np.abs(found.centre).max()) / 10.0)
    if not largest < _LARGEST or (kind == "cone" and not _ANGLES[0] < found.radius < _ANGLES[1]):
        return None
    # the point of the axis nearest to the points
    if kind == "cylinder":
        centre = found.centre + ((points.mean(axis=0) - found.centre) @ found.axis) * found.axis
        found = Primitive(kind, centre, found.axis, found.radius)
    return found


_FITS: dict[str, Callable[[Array, Array, Array, float], Primitive | None]] = {
    "plane": _plane, "sphere": _sphere, "cylinder": _cylinder, "cone": _cone, "torus": _torus,
}  # fmt: skip
#: One more than it has parameters, so that not every set of points lies on one.
LEAST_POINTS = {"plane": 3, "sphere": 5, "cylinder": 6, "cone": 7, "torus": 8}
