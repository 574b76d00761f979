"""How much of its space an open piece encloses, and which way it looks.

The border of a piece is closed in thought by fans.  Of the space within, a winding number about the piece alone
tells what share of all directions it covers: nearly all in a bottle, half of them between a bowl and its lid.
Points for that lie halfway across the piece, where rays from its facets meet what is opposite.  After A. Jacobson,
L. Kavan, O. Sorkine-Hornung (2013), Robust inside-outside segmentation using generalized winding numbers.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.rays import RayTree
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.geometry.triangles import area_vectors, areas, cone_volumes, loop_volumes, numbered_edges
from oddseam.model.connectivity import label_components
from oddseam.model.mesh import Mesh

#: A piece encloses space if it covers more than this share of the directions about its inside: half a ball covers
#: 0.63, half a flat hull 0.59, a bowl three times as wide as deep 0.59; a dish five times as wide 0.57.
PLAINLY = 0.58
#: Volume over extent squared and the diagonal, below which a piece is flat.
_NO_VOLUME = 1e-9
#: Points that are looked from.
_LOOKS = 200
#: Midway points that must lie within what is closed in thought, over those that are looked from.
_LEAST_WITHIN = 0.25


@dataclass(frozen=True)
class Enclosure:
    """What an open piece encloses.

    Attributes
    ----------
    share : float
        Of all directions, what the piece covers about points within it, in the mean; 0 for one that has no inside.
    is_inward : bool
        Whether it looks into that.
    """

    share: float
    is_inward: bool


def enclosure_of(nodes: Array, triangles: Array) -> Enclosure:
    """What a consistently oriented open piece encloses; O(m log m).

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int array
    """
    used, local = np.unique(triangles, return_inverse=True)
    points, local = nodes[used], local.reshape(-1, 3).astype(np.int32)
    closing, hubs = _fans(points, local)
    every = np.concatenate([points, hubs])
    closed = np.concatenate([local, closing])
    facets = spread_over(points, local)
    rays = RayTree(every, closed)
    middles = []
    origin = points[local[facets]].mean(axis=1)
    normal = area_vectors(points[local[facets]])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    for sense in (1.0, -1.0):
        away, _ = rays.along_normals(facets, sense, np.inf)
        met = np.isfinite(away)
        middles.append(origin[met] + (0.5 * sense * away[met])[:, None] * normal[met])
    middle = np.concatenate(middles)
    if not len(middle):
        return Enclosure(0.0, False)
    around = WindingTree(every[closed]).at(middle)
    within = np.abs(around) > 0.5
    if within.sum() < _LEAST_WITHIN * len(facets):
        return Enclosure(0.0, False)
    open_ = WindingTree(points[local]).at(middle[within])
    sign = np.sign(around[within].sum()) or 1.0
    return Enclosure(float(np.mean(sign * open_)), bool(sign < 0))


def flat_pieces(mesh: Mesh) -> Array:
    """Numbers of open pieces that enclose nothing, their rims closed in thought; O(n)."""
    middle = mesh.box[0] + (mesh.box[1] - mesh.box[0]) / 2
    pieces, c = mesh.pieces, mesh.connectivity
    took = pieces.of_triangle >= 0
    cones = cone_volumes(mesh.nodes[mesh.triangulation.triangles[took]], middle)
    volume = np.bincount(pieces.of_triangle[took], cones, c.n_pieces)
    corner, rim = c.rim_corners
    piece_of_rim = np.zeros(c.n_rims, np.int64)
    piece_of_rim[rim] = c.piece[c.face[corner]]
    start, end = (mesh.nodes[mesh.faces.node[its]] for its in (c.next[corner], corner))
    volume += np.bincount(piece_of_rim, loop_volumes(start, end, rim, c.n_rims, middle), c.n_pieces)
    return np.flatnonzero(~pieces.is_solid & (np.abs(volume) <= _NO_VOLUME * pieces.extent**2 * mesh.diagonal))


def _fans(points: Array, triangles: Array) -> tuple[Array, Array]:
    """Triangles from the border, run through the other way, to a hub for each part of it that hangs together."""
    ends, edge, step = numbered_edges(triangles, len(points))
    surplus = np.bincount(edge.ravel(), step.ravel(), len(ends)).astype(np.int64)
    rim = np.flatnonzero(surplus)
    border = np.where((surplus[rim] > 0)[:, None], ends[rim][:, ::-1], ends[rim])
    border = np.repeat(border, np.abs(surplus[rim]), axis=0)
    label = label_components(len(points), border[:, 0], border[:, 1])[1][border[:, 0]]
    names, of = np.unique(label, return_inverse=True)
    count = np.maximum(np.bincount(of, minlength=len(names)), 1)
    hubs = np.column_stack([np.bincount(of, points[border[:, 0], d], len(names)) / count for d in range(3)])
    return np.column_stack([border, len(points) + of]).astype(np.int32).reshape(-1, 3), hubs.reshape(-1, 3)


def spread_over(points: Array, triangles: Array) -> Array:
    """Rows of triangles that share the area evenly among them."""
    area = areas(points[triangles])
    total = np.cumsum(area)
    if not total[-1] > 0:
        return np.zeros(0, np.int64)
    wanted = (np.arange(_LOOKS) + 0.5) / _LOOKS * total[-1]
    return np.asarray(np.minimum(np.searchsorted(total, wanted), len(triangles) - 1))
