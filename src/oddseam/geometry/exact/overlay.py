"""Laying triangles over one another that lie in one plane up to rounding.

All are dropped onto the plane of the largest and cut there along all edges, exactly; then each is
made of the pieces that lie in it, so that where two overlap they have the same ones.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edges_of_triangles
from oddseam.geometry.exact.exact_points import ExactPoints
from oddseam.geometry.exact.planar import PlanarMesh
from oddseam.geometry.triangles import area_vectors

#: The plane is a grid of so many units across.
GRID = 2.0**40
#: Cosine of the angle to the plane up to which a triangle can be dropped onto it.
_STEEPEST = 0.5


@dataclass(frozen=True)
class Overlay:
    """The pieces.

    Attributes
    ----------
    points : (k, 3) float64 array
        New ones, where edges cross.
    pieces : list of (row, triangle)
    along : dict
        For every edge that has points on it, lower node first, these in order from there.
    """

    points: Array
    pieces: list[tuple[int, tuple[int, int, int]]]
    along: dict[tuple[int, int], list[int]]


def overlay(nodes: Array, triangles: Array, first: int) -> Overlay | None:
    """Lay triangles over one another; ``None`` if they do not lie in about one plane.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int array
    first : int
        Number of the first new point.

    Notes
    -----
    O(m log m) and a time that grows with the crossings of edges, and with the square of m for
    what piece lies where.
    """
    corners = nodes[triangles]
    vectors = area_vectors(corners)
    size = np.linalg.norm(vectors, axis=1)
    normal = vectors[np.argmax(size)] / size.max()
    if (np.abs(vectors @ normal) <= _STEEPEST * size).any():
        return None
    used, local = np.unique(triangles, return_inverse=True)
    local = local.reshape(-1, 3)
    flat = _dropped(nodes[used], normal)
    store = ExactPoints(flat)
    if store.first != list(range(len(used))):
        return None
    plane = PlanarMesh(store, (0, 0, 1), extent=list(range(len(used))))
    for k in range(len(used)):
        plane.add(k)
    ends = np.sort(edges_of_triangles(local).reshape(-1, 2), axis=1)
    edges = [(a, b) for a, b in np.unique(ends, axis=0).tolist()]
    for a, b in edges:
        plane.add_segment(a, b)
    along = {edge: plane.chain(*edge) for edge in edges}
    where = np.array([(x / w, y / w) for x, y, _, w in store.points])
    points = _lifted(nodes[used], where, along)
    name = [*used.tolist(), *range(first, first + len(points))]
    return Overlay(
        points,
        [(row, (name[a], name[b], name[c])) for row, (a, b, c) in _members(plane, where, local)],
        {(name[a], name[b]): [name[k] for k in its] for (a, b), its in along.items() if its},
    )


def _dropped(points: Array, normal: Array) -> Array:
    """(k, 3) whole numbers: points on a grid in the plane, the third zero."""
    u = np.cross(normal, np.eye(3)[np.argmin(np.abs(normal))])
    u /= np.linalg.norm(u)
    v = np.cross(normal, u)
    middle = points.mean(axis=0)
    flat = np.column_stack([(points - middle) @ u, (points - middle) @ v, np.zeros(len(points))])
    return np.asarray(np.rint(flat / max(float(np.abs(flat).max()), 1e-300) * GRID))


def _lifted(nodes: Array, where: Array, along: dict[tuple[int, int], list[int]]) -> Array:
    """Places of the points after the nodes: in the middle of the edges that they lie on."""
    total, count = np.zeros((len(where), 3)), np.zeros(len(where))
    for (a, b), its in along.items():
        for k in its:
            if k >= len(nodes):
                u = where[b] - where[a]
                share = float((where[k] - where[a]) @ u / (u @ u))
                total[k] += (1.0 - share) * nodes[a] + share * nodes[b]
                count[k] += 1.0
    return np.asarray(total[len(nodes) :] / count[len(nodes) :, None])


def _members(plane: PlanarMesh, where: Array, triangles: Array) -> list[tuple[int, tuple[int, int, int]]]:
    """Each triangle's row with each piece that lies in it, turned as the triangle is."""
    pieces = np.array(plane.triangles(), np.int64).reshape(-1, 3)
    if not len(pieces):
        return []
    middle = where[pieces].mean(axis=1)
    result = []
    for row, corners in enumerate(triangles.tolist()):
        over = plane.side(*corners) < 0
        a, b, c = corners[::-1] if over else corners
        p, q = where[[a, b, c]], where[[b, c, a]]
        turn = (q - p)[:, None, 0] * (middle - p[:, None])[..., 1] - (q - p)[:, None, 1] * (middle - p[:, None])[..., 0]
        slack = 1e-9 * np.abs(q - p).max() ** 2
        for piece in pieces[(turn > -slack).all(axis=0)].tolist():
            if all(min(plane.side(a, b, k), plane.side(b, c, k), plane.side(c, a, k)) >= 0 for k in piece):
                x, y, z = piece
                result.append((row, (x, z, y) if over else (x, y, z)))
    return result
