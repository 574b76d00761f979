"""Islands: rims of other pieces that lie within a rim, about in its surface, and are filled round."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.mending.holes.creased import normals_beside
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim

#: An island may lie so far off the plane of its rim, as a share of the rim's size.
_OFF = 0.1
#: Its facets look the way that the rim's surroundings look, within about 45 degrees.
_ALIKE = 0.7


def islands_of(mesh: Mesh, rims: list[Rim]) -> dict[int, list[Rim]]:
    """For each of some rims (by number) the rims of the islands in it, the nearest first.

    An island is a piece with a single rim.  It belongs to the smallest rim that it lies in.
    """
    c = mesh.connectivity
    piece_of = [int(c.piece[c.face[rim.corners[0]]]) for rim in c.rims]
    rims_of_piece = np.bincount(piece_of, minlength=c.n_pieces) if piece_of else np.zeros(0, np.int64)
    shores = [k for k, piece in enumerate(piece_of) if rims_of_piece[piece] == 1 and c.rims[k].closed]
    if not shores or c.n_rims < 2:
        return {}
    middle = np.array([mesh.nodes[c.rims[k].nodes].mean(axis=0) for k in shores])
    low = np.array([mesh.nodes[c.rims[k].nodes].min(axis=0) for k in shores])
    high = np.array([mesh.nodes[c.rims[k].nodes].max(axis=0) for k in shores])
    across = np.linalg.norm(high - low, axis=1)
    place = {id(rim): k for k, rim in enumerate(c.rims)}
    looks = _mean_normals(mesh)
    found: dict[int, tuple[float, int, float]] = {}
    for number, rim in enumerate(rims):
        if not rim.closed or len(rim.nodes) < 3:
            continue
        points = mesh.nodes[rim.nodes]
        size = float(np.linalg.norm(np.ptp(points, axis=0)))
        own = piece_of[place[id(rim)]]
        near = np.linalg.norm(middle - points.mean(axis=0), axis=1) < size
        near &= (low >= points.min(axis=0) - size).all(axis=1) & (high <= points.max(axis=0) + size).all(axis=1)
        near &= across <= (1.0 + 4.0 * _OFF) * size
        plane = _plane(points) if near.any() else None
        if plane is None:
            continue
        if looks[place[id(rim)]] @ plane.normal < _ALIKE:
            continue
        near &= _about(plane, middle, size) & (looks[shores] @ plane.normal >= _ALIKE)
        for k in np.flatnonzero(near).tolist():
            shore = c.rims[shores[k]]
            if piece_of[shores[k]] == own or (shores[k] in found and found[shores[k]][0] <= size):
                continue
            if _lies_within(mesh.nodes[shore.nodes], points, size, plane):
                away = np.linalg.norm(points[:, None] - mesh.nodes[shore.nodes][None], axis=2).min()
                found[shores[k]] = (size, number, float(away))
    islands: dict[int, list[tuple[float, Rim]]] = {}
    for shore_number, (_, number, away) in found.items():
        islands.setdefault(number, []).append((away, c.rims[shore_number]))
    return {number: [rim for _, rim in sorted(its, key=lambda one: one[0])] for number, its in islands.items()}


@dataclass(frozen=True, eq=False)
class _Plane:
    """The plane of a rim: its middle, its normal towards the outside, and how far nodes are off it at most."""

    middle: Array
    normal: Array
    off: float


def _plane(points: Array) -> _Plane | None:
    middle = points.mean(axis=0)
    arms = points - middle
    normal = -np.cross(arms, np.roll(arms, -1, axis=0)).sum(axis=0)  # a rim runs round its hole the other way
    length = float(np.linalg.norm(normal))
    return None if length == 0 else _Plane(middle, normal / length, float(np.abs(arms @ (normal / length)).max()))


def _mean_normals(mesh: Mesh) -> Array:
    """(r, 3) mean of the normals of the facets along every rim."""
    rims = mesh.connectivity.rims
    normals = normals_beside(mesh, np.concatenate([rim.corners for rim in rims]))
    first = np.concatenate([[0], np.cumsum([len(rim.corners) for rim in rims])])
    return np.asarray(np.add.reduceat(normals, first[:-1], axis=0) / np.diff(first)[:, None])


def _about(plane: _Plane, places: Array, size: float) -> Array:
    """(k,) bool: places about in the plane of a rim."""
    return np.asarray(np.abs((places - plane.middle) @ plane.normal) <= plane.off + _OFF * size)


def _lies_within(island: Array, points: Array, size: float, plane: _Plane) -> bool:
    """Whether an island's rim lies inside a rim, seen along that, and about in its plane."""
    if not _about(plane, island, size).all():
        return False
    normal = plane.normal
    across = np.eye(3)[np.argmin(np.abs(normal))]
    u = np.cross(normal, across)
    u /= np.linalg.norm(u)
    flat = np.stack([u, np.cross(normal, u)])
    return bool(_is_inside((island - plane.middle) @ flat.T, (points - plane.middle) @ flat.T).all())


def _is_inside(points: Array, polygon: Array) -> Array:
    """(k,) bool: which points (k, 2) a polygon (n, 2) goes round, by counting the edges on one side."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    x, y = points[:, :1], points[:, 1:]
    spans = (a[:, 1] <= y) != (b[:, 1] <= y)
    rise = np.where(a[:, 1] != b[:, 1], b[:, 1] - a[:, 1], 1.0)
    at = a[:, 0] + (y - a[:, 1]) / rise * (b[:, 0] - a[:, 0])
    return np.asarray((spans & (at > x)).sum(axis=1) % 2 == 1)
