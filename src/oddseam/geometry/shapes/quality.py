"""Quality measures of shell elements; for each the equilateral triangle or the square is best.

=============== ===================================================== ==== ======
measure         meaning                                               best worst
=============== ===================================================== ==== ======
radius_ratio    2 r / R, inscribed over circumscribed radius          1    0
aspect_ratio    longest edge over shortest altitude, scaled           1    inf
minimum_angle   smallest corner angle, degrees                        60   0
skewness        equiangular: worst corner against the ideal angle     0    1
scaled_jacobian of a quad: smallest corner sine against the mean      1    -1
                normal
warpage         of a quad: angle between its halves, degrees, at the  0    180
                worse diagonal
=============== ===================================================== ==== ======

For a quad the radius ratio is the worst of the four corner triangles against that of a half
square; its aspect ratio is the longest over the shortest edge; its best angle is 90 degrees.
"""

from __future__ import annotations

import math

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.shapes.jacobians import least_inside
from oddseam.geometry.triangles import cross_product

#: Measures of which more is worse.
MORE_IS_WORSE = frozenset({"aspect_ratio", "skewness", "warpage"})


def sign_of(measure: str) -> float:
    """By which values of a measure become the less, the worse they are."""
    return -1.0 if measure in MORE_IS_WORSE else 1.0


def _edges(corners: Array) -> list[Array]:
    """The edge vectors (m, 3) of polygons (m, k, 3), in order."""
    k = corners.shape[1]
    return [corners[:, (i + 1) % k] - corners[:, i] for i in range(k)]


def _corner_angles(edges: list[Array], areas: list[Array]) -> list[Array]:
    """Corner angles (m,) in degrees, in order, from the edges and twice the areas of the corner triangles."""
    before = [edges[-1], *edges[:-1]]
    return [
        np.degrees(np.arctan2(area, -np.einsum("mx,mx->m", behind, ahead)))
        for area, ahead, behind in zip(areas, edges, before, strict=True)
    ]


def _corner_areas(edges: list[Array]) -> list[Array]:
    """Twice the area (m,) of the triangle at each corner; in a triangle all three are one."""
    before = [edges[-1], *edges[:-1]]
    if len(edges) == 3:
        return [np.linalg.norm(cross_product(edges[0], edges[1]), axis=1)] * 3
    return [np.linalg.norm(cross_product(behind, ahead), axis=1) for ahead, behind in zip(edges, before, strict=True)]


def _radius_ratio(lengths: list[Array], twice: Array) -> Array:
    """2 r / R from the edge lengths of a triangle and twice its area."""
    a, b, c = lengths
    size = (a + b + c) * a * b * c
    ratio: Array = np.where(twice > 0, 4.0 * twice**2 / np.where(size > 0, size, 1.0), 0.0)
    return ratio


def quality(corners: Array) -> dict[str, Array]:
    """The measures of triangles (m, 3, 3) or quads (m, 4, 3), each of shape (m,).

    An element without area gets the worst value of each.
    """
    edges = _edges(corners)
    lengths = [np.linalg.norm(edge, axis=1) for edge in edges]
    longest = np.maximum.reduce(lengths)
    areas = _corner_areas(edges)
    angles = _corner_angles(edges, areas)
    widest, narrowest = np.maximum.reduce(angles), np.minimum.reduce(angles)
    if corners.shape[1] == 3:
        ideal = 60.0
        twice = areas[0]
        flat = twice == 0
        ratio = _radius_ratio(lengths, twice)
        aspect = 0.5 * math.sqrt(3.0) * longest**2 / np.where(flat, 1.0, twice)
    else:
        ideal = 90.0
        across = [np.linalg.norm(corners[:, k + 2] - corners[:, k], axis=1) for k in range(2)]
        halves = [
            _radius_ratio([lengths[k], lengths[(k + 1) % 4], across[k % 2]], areas[(k + 1) % 4]) for k in range(4)
        ]
        half_square = 2.0 * (math.sqrt(2.0) - 1.0)
        ratio = np.minimum(np.minimum.reduce(halves) / half_square, 1.0)
        shortest = np.minimum.reduce(lengths)
        flat = (ratio == 0) | (shortest == 0)
        aspect = longest / np.where(shortest > 0, shortest, 1.0)
    skew = np.maximum((widest - ideal) / (180.0 - ideal), (ideal - narrowest) / ideal)
    measures = {
        "radius_ratio": np.where(flat, 0.0, ratio),
        "aspect_ratio": np.where(flat, np.inf, aspect),
        "minimum_angle": np.where(flat, 0.0, narrowest),
        "skewness": np.where(flat, 1.0, np.clip(skew, 0.0, 1.0)),
    }
    if corners.shape[1] == 4:
        measures["scaled_jacobian"] = _corner_sines(edges, lengths)
        measures["warpage"] = _warpage(corners)
    return measures


def curved_quality(kind: str, nodes: Array, edges: tuple[tuple[int, int], ...]) -> dict[str, Array]:
    """The same of quadratic shells, ``nodes`` (m, k, 3), by their corners; the Jacobian by all nodes.

    It is the least at the corners, along the edges as they are curved, and at the points where solvers integrate.
    """
    corners = nodes.shape[1] // 2
    middle = {frozenset(edge): corners + k for k, edge in enumerate(edges)}
    measures = quality(nodes[:, :corners])
    normal = np.add.reduce([cross_product(nodes[:, k], nodes[:, (k + 1) % corners]) for k in range(corners)])
    normal = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    least = least_inside(kind, nodes, edges)
    for at in range(corners):
        ends = (at + 1) % corners, (at - 1) % corners
        # a parabola through three nodes leaves the first one in this direction
        a, b = (4.0 * nodes[:, middle[frozenset((at, end))]] - 3.0 * nodes[:, at] - nodes[:, end] for end in ends)
        size = np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1)
        sine = np.einsum("ij,ij->i", cross_product(a, b), normal) / np.where(size > 0, size, 1.0)
        least = np.minimum(least, np.where(size > 0, sine, 0.0))
    return measures | {"scaled_jacobian": least}


def _corner_sines(edges: list[Array], lengths: list[Array]) -> Array:
    """Smallest sine at a corner of a quad, seen along its mean normal."""
    before, lengths_before = [edges[-1], *edges[:-1]], [lengths[-1], *lengths[:-1]]
    normals = [cross_product(behind, ahead) for behind, ahead in zip(before, edges, strict=True)]
    mean = np.add.reduce(normals)
    size = np.linalg.norm(mean, axis=1, keepdims=True)
    mean = mean / np.where(size > 0, size, 1.0)
    sines = []
    for normal, one, two in zip(normals, lengths_before, lengths, strict=True):
        product = one * two
        sines.append(np.einsum("ij,ij->i", normal, mean) / np.where(product > 0, product, 1.0))
    return np.asarray(np.minimum.reduce(sines))


def _warpage(corners: Array) -> Array:
    """Angle in degrees between the two halves of a quad, for the worse of its diagonals."""
    angles = []
    for k in (0, 1):
        a, b, c, d = (corners[:, (k + i) % 4] for i in range(4))
        one, two = cross_product(b - a, c - a), cross_product(c - a, d - a)
        sine = np.linalg.norm(cross_product(one, two), axis=1)
        angles.append(np.degrees(np.arctan2(sine, np.einsum("ij,ij->i", one, two))))
    return np.asarray(np.maximum(angles[0], angles[1]))
