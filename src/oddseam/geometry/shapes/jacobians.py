"""Jacobians of elements inside, at the points where solvers integrate, by the shape functions of every kind.

The shape functions span the usual monomials of each kind (serendipity ones for edges with a middle node), and for
pyramids rational ones (Bedrosian, 1992, Shape functions and integration formulas for three-dimensional finite element
analysis); they are found by interpolation at the nodes.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from itertools import product

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import cross_product

_SQUARE = ((-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0))
_TRIANGLE = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0))
#: Where the corners are in natural coordinates.
_CORNERS: dict[str, tuple[tuple[float, ...], ...]] = {
    "tri": _TRIANGLE,
    "quad": _SQUARE,
    "tet": ((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)),
    "pyramid": (*((x, y, 0.0) for x, y in _SQUARE), (0.0, 0.0, 1.0)),
    "wedge": tuple((x, y, z) for z in (-1.0, 1.0) for x, y in _TRIANGLE),
    "hex": tuple((x, y, z) for z in (-1.0, 1.0) for x, y in _SQUARE),
}
_TRI6 = ((0, 0), (1, 0), (0, 1), (1, 1), (2, 0), (0, 2))
#: Powers of the natural coordinates whose products the shape functions are sums of.
_POWERS: dict[str, tuple[tuple[int, ...], ...]] = {
    "tri": _TRI6[:3],
    "tri6": _TRI6,
    "quad": tuple(product((0, 1), repeat=2)),
    "quad8": (*product((0, 1), repeat=2), (2, 0), (0, 2), (2, 1), (1, 2)),
    "tet": ((0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1)),
    "tet10": tuple(p for p in product((0, 1, 2), repeat=3) if sum(p) <= 2),
    "wedge": tuple((*p, z) for p in _TRI6[:3] for z in (0, 1)),
    "wedge15": (*((*p, z) for p in _TRI6 for z in (0, 1)), *((*p, 2) for p in _TRI6[:3])),
    "hex": tuple(product((0, 1), repeat=3)),
    "hex20": tuple(p for p in product((0, 1, 2), repeat=3) if sum(p) - sum(1 for k in p if k == 1) <= 2),
    "pyramid": ((0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1)),
    "pyramid13": tuple(p for p in product((0, 1, 2), repeat=3) if sum(p) <= 2),
}
#: Powers of products that are divided by the height left above, in pyramids.
_RATIONAL = {"pyramid": ((1, 1, 0),), "pyramid13": ((1, 1, 1), (2, 1, 0), (1, 2, 0))}
_TWO, _THREE = (-(3**-0.5), 3**-0.5), (-(0.6**0.5), 0.0, 0.6**0.5)
_IN_TRIANGLE = ((1 / 3, 1 / 3), (1 / 6, 1 / 6), (2 / 3, 1 / 6), (1 / 6, 2 / 3))
_IN_TET = (0.1381966011250105, 0.5854101966249685)


def least_inside(kind: str, nodes: Array, edges: tuple[tuple[int, int], ...]) -> Array:
    """(m,) least Jacobian at the integration points, over the lengths of its columns; in shells towards their normal.

    Parameters
    ----------
    kind : str
        Of a shell or solid.
    nodes : (m, k, 3) array
        In our order.
    edges : tuple of (int, int)
        Of the kind.
    """
    least = np.full(len(nodes), np.inf)
    flat = len(_CORNERS[kind.rstrip("0123456789")][0]) == 2
    normal = _normals(nodes[:, : len(_CORNERS[kind.rstrip("0123456789")])]) if flat else None
    for gradient in _gradients(kind, edges):
        columns = np.einsum("mni,nj->jmi", nodes, gradient)
        size = np.prod(np.linalg.norm(columns, axis=2), axis=0)
        last = normal if normal is not None else columns[2]
        det = np.einsum("ij,ij->i", cross_product(columns[0], columns[1]), last)
        least = np.minimum(least, np.where(size > 0, det / np.where(size > 0, size, 1.0), 0.0))
    return least


def _normals(corners: Array) -> Array:
    """(m, 3) unit normals of shells, by their diagonals or sides."""
    a, b = (corners[:, 2] - corners[:, 0], corners[:, -1] - corners[:, 1]) if corners.shape[1] == 4 else (
        corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])  # fmt: skip
    normal = cross_product(a, b)
    return np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300))


@cache
def _gradients(kind: str, edges: tuple[tuple[int, int], ...]) -> Array:
    """(p, k, d) derivatives of the shape functions at the points of integration."""
    corners = np.array(_CORNERS[kind.rstrip("0123456789")])
    places = corners
    if kind != kind.rstrip("0123456789"):
        places = np.concatenate([corners, [(corners[a] + corners[b]) / 2 for a, b in edges]])
    coefficients = np.linalg.inv(np.array([_terms(kind, place)[0] for place in places]))
    points = np.array(_points(kind))
    return np.array([coefficients.T @ _terms(kind, point)[1] for point in points])


def _terms(kind: str, place: Array) -> tuple[Array, Array]:
    """The terms that shape functions are sums of, and their derivatives (t, d), at a place."""
    d = len(place)
    values, slopes = [], []
    for powers in _POWERS[kind]:
        values.append(np.prod(place ** np.array(powers)))
        slopes.append([_slope(place, powers, k) for k in range(d)])
    left = 1.0 - place[2] if d == 3 else 1.0
    for powers in _RATIONAL.get(kind, ()):
        if left < 1e-12:  # at the apex, where all products vanish
            values.append(0.0)
            slopes.append([0.0] * 3)
            continue
        value = float(np.prod(place ** np.array(powers)))
        values.append(value / left)
        slope = [_slope(place, powers, k) / left for k in range(3)]
        slopes.append([slope[0], slope[1], slope[2] + value / left**2])
    return np.array(values), np.array(slopes)


def _slope(place: Array, powers: tuple[int, ...], k: int) -> float:
    if not powers[k]:
        return 0.0
    lower = [p - (number == k) for number, p in enumerate(powers)]
    return float(powers[k] * np.prod(place ** np.array(lower)))


def _points(kind: str) -> list[tuple[float, ...]]:
    """Points of integration, of lower and of higher order where both are in use."""
    both = kind != kind.rstrip("0123456789")
    of: dict[str, Callable[[], list[tuple[float, ...]]]] = {
        "tri": lambda: [*_IN_TRIANGLE],
        "quad": lambda: [*product(_TWO, repeat=2), *(product(_THREE, repeat=2) if both else ())],
        "tet": lambda: [(0.25,) * 3, *(tuple(_IN_TET[k == j] for j in range(3)) for k in range(4))],
        "wedge": lambda: [(*p, z) for p in _IN_TRIANGLE for z in ((*_TWO, *_THREE) if both else _TWO)],
        "hex": lambda: [*product(_TWO, repeat=3), *(product(_THREE, repeat=3) if both else ())],
        "pyramid": lambda: [
            (x * (1 - z), y * (1 - z), z)
            for z in (0.05, 0.15, 0.55, 0.8)
            for x, y in ((0.0, 0.0), *product(_TWO, repeat=2))
        ],
    }
    return of[kind.rstrip("0123456789")]()
