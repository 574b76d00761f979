"""Quality measures of solid elements.

=============== =========================================================== =============
measure         meaning                                                     best
=============== =========================================================== =============
scaled_jacobian least determinant over the lengths of its columns            1; tet 0.707
radius_ratio    3 r / R of a tet, inscribed over circumscribed radius       1
height          shortest altitude of a tet over its longest edge            0.816
=============== =========================================================== =============

A scaled Jacobian is the least of those at all corners, along the edges as they are curved, and at the points where
solvers integrate; one that is not positive means that the element is inverted, or flat somewhere.
The radius ratio alone does not show every flat tet; its height does.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.shapes.jacobians import least_inside
from oddseam.geometry.triangles import cross_product

#: Corners of every kind, each with the ends of three edges, positive for a sound element.
TRIADS = {
    "tet": [(0, 1, 2, 3), (1, 2, 0, 3), (2, 0, 1, 3), (3, 0, 2, 1)],
    "pyramid": [(k, (k + 1) % 4, (k + 3) % 4, 4) for k in range(4)],
    "wedge": [(k, (k + 1) % 3, (k + 2) % 3, k + 3) for k in range(3)]
    + [(k + 3, (k + 2) % 3 + 3, (k + 1) % 3 + 3, k) for k in range(3)],
    "hex": [(k, (k + 1) % 4, (k + 3) % 4, k + 4) for k in range(4)]
    + [(k + 4, (k + 3) % 4 + 4, (k + 1) % 4 + 4, k) for k in range(4)],
}


def solid_quality(kind: str, nodes: Array, edges: tuple[tuple[int, int], ...]) -> dict[str, Array]:
    """The measures of solids of one kind, ``nodes`` (m, k, 3) with ``edges`` as the kind has them; each (m,)."""
    linear = kind.rstrip("0123456789")
    jacobian = _scaled_jacobian(linear, nodes) if kind == linear else _curved_jacobian(linear, nodes, edges)
    if kind != "tet":  # in which it is the same everywhere
        jacobian = np.minimum(jacobian, least_inside(kind, nodes, edges))
    measures = {"scaled_jacobian": jacobian}
    if linear == "tet":
        measures["radius_ratio"], measures["height"] = _tet_measures(nodes[:, :4])
    return measures


def _curved_jacobian(kind: str, nodes: Array, edges: tuple[tuple[int, int], ...]) -> Array:
    """(m,) least scaled Jacobian at the corners of quadratic solids, ``nodes`` (m, k, 3), along their curved edges.

    ``edges`` are the corners at the ends of the edges, whose midside nodes follow the corners in this order.
    """
    middle = {frozenset(edge): nodes.shape[1] - len(edges) + k for k, edge in enumerate(edges)}
    least = np.full(len(nodes), np.inf)
    for at, *ends in TRIADS[kind]:
        # a parabola through three nodes leaves the first one in this direction
        a, b, c = (4.0 * nodes[:, middle[frozenset((at, end))]] - 3.0 * nodes[:, at] - nodes[:, end] for end in ends)
        least = np.minimum(least, _corner(a, b, c))
    return least


def _corner(a: Array, b: Array, c: Array) -> Array:
    """Determinants of three edges each, over their lengths."""
    det = np.einsum("ij,ij->i", a, cross_product(b, c))
    size = np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1) * np.linalg.norm(c, axis=1)
    return np.where(size > 0, det / np.where(size > 0, size, 1.0), 0.0)


def _scaled_jacobian(kind: str, corners: Array) -> Array:
    least = np.full(len(corners), np.inf)
    for at, *ends in TRIADS[kind]:
        a, b, c = (corners[:, end] - corners[:, at] for end in ends)
        least = np.minimum(least, _corner(a, b, c))
    return least


def _tet_measures(corners: Array) -> tuple[Array, Array]:
    """Radius ratio and height; an inverted or flat tet gets 0 for both."""
    p = [corners[:, k] for k in range(4)]
    a, b, c = p[1] - p[0], p[2] - p[0], p[3] - p[0]
    six = np.einsum("ij,ij->i", a, cross_product(b, c))
    faces = [cross_product(a, b), cross_product(b, c), cross_product(c, a), cross_product(b - a, c - a)]
    twice = [np.linalg.norm(face, axis=1) for face in faces]
    squares = [np.einsum("ij,ij->i", v, v) for v in (a, b, c)]
    # the vector from the first corner to the centre of the sphere round all four, times twice six
    centre = squares[0][:, None] * faces[1] + squares[1][:, None] * faces[2] + squares[2][:, None] * faces[0]
    sound = six > 0
    safe = np.where(sound, six, 1.0)
    inscribed = safe / np.add.reduce(twice)
    circumscribed = np.linalg.norm(centre, axis=1) / (2.0 * safe)
    longest = np.sqrt(np.maximum.reduce([*squares, *(np.einsum("ij,ij->i", v, v) for v in (b - a, c - a, c - b))]))
    shortest = safe / np.maximum.reduce(twice)
    ratio = 3.0 * inscribed / np.where(circumscribed > 0, circumscribed, 1.0)
    return np.where(sound, ratio, 0.0), np.where(sound, shortest / np.where(longest > 0, longest, 1.0), 0.0)
