"""Which pieces lie within which."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.rays import RayTree
from oddseam.geometry.triangles import area_vectors
from oddseam.model.mesh import Mesh

#: A direction that no edge or plane of a drawing has.
_ASKEW = np.array([0.5390625, 0.3330078125, 0.7734375])
#: Barycentric coordinates of a point of a facet that lies on no line of symmetry.
_AMID = np.array([0.4375, 0.34375, 0.21875])


def pieces_around(mesh: Mesh) -> Array:
    """(k, 2) pieces, and closed ones that hold a point of each.

    A ray from the point leaves what holds it once more often than it enters it.  It begins in the facet that reaches
    farthest its way, so that it meets little, and amid that facet, for corners often lie on what holds them.
    O(n log n), and for every piece a time that grows with the number of facets that its ray meets.
    """
    pieces, t = mesh.pieces, mesh.triangulation
    if len(pieces.is_solid) < 2 or not pieces.is_solid.any():
        return np.zeros((0, 2), np.int64)
    rows = np.flatnonzero(pieces.of_triangle >= 0)
    triangles, piece = t.triangles[rows], pieces.of_triangle[rows].astype(np.int64)
    along = (mesh.nodes @ _ASKEW)[triangles]
    reach = np.maximum(np.maximum(along[:, 0], along[:, 1]), along[:, 2])
    farthest = np.full(len(pieces.volume), -np.inf)
    np.maximum.at(farthest, piece, reach)
    far = np.flatnonzero(reach == farthest[piece])
    facet = far[np.unique(piece[far], return_index=True)[1]]
    origin = np.einsum("j,ijk->ik", _AMID, mesh.nodes[triangles[facet]])
    boxes = mesh.boxes if len(rows) == len(t.triangles) else None
    ray, met = RayTree(mesh.nodes, triangles, boxes).all_along(origin, _ASKEW, facet)
    outward = np.sign(area_vectors(mesh.nodes[triangles[met]]) @ _ASKEW * np.sign(pieces.volume[piece[met]]))
    pairs, which = np.unique(np.column_stack([piece[facet[ray]], piece[met]]), axis=0, return_inverse=True)
    left = np.bincount(which.ravel(), outward, len(pairs)) > 0
    return np.asarray(pairs[left & pieces.is_solid[pairs[:, 1]] & (pairs[:, 0] != pairs[:, 1])])
