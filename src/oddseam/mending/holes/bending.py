"""A patch that goes on with the curvature of its surroundings.

The new nodes move to where the squared Laplacian of position, weighted by area, is least over the
patch and its border, with the facets round the border held: the patch then leaves its border in
the direction of the surface there and bends as little as it can.  The weights are those of the
patch as it lies, so this is done a few times.

References
----------
M. Botsch, L. Kobbelt (2004), An intuitive framework for real-time freeform modeling.
U. Clarenz et al. (2004), A finite element method for surface restoration with smooth boundary
conditions.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edge_keys, edges_of_triangles
from oddseam.geometry.tolerances import IN_ONE_PLANE
from oddseam.geometry.triangles import areas, turn_angles, unit_normals
from oddseam.mending.holes.creased import CREASE, normals_beside
from oddseam.mending.holes.hole import Hole, Patch
from oddseam.model import Mesh

_ROUNDS = 4
#: No cotangent counts for less: weights of slivers would change sign.
_LEAST_WEIGHT = 1e-2


def is_in_smooth_surroundings(mesh: Mesh, hole: Hole, patch: Patch) -> bool:
    """Whether the surface round a hole is curved, and without a crease at the border or in the patch."""
    if patch.has_crease:
        return False
    points = np.concatenate([mesh.nodes[hole.border], patch.points])
    turn = _turns(mesh, hole, points, patch.triangles)
    return bool(IN_ONE_PLANE < turn.max(initial=0.0) < CREASE)


def _turns(mesh: Mesh, hole: Hole, points: Array, triangles: Array) -> Array:
    """Angles in degrees across the edges of a patch, those of its border included."""
    n = len(points)
    normals = unit_normals(points[triangles])
    key = edge_keys(edges_of_triangles(triangles), n).ravel()
    order = np.argsort(key, kind="stable")
    twice = np.flatnonzero(key[order][1:] == key[order][:-1])
    inner = turn_angles(normals[order[twice] // 3], normals[order[twice + 1] // 3])
    side = {int(k): i for i, k in enumerate(key.tolist())}
    mine = np.array([side[k] // 3 for k in edge_keys(hole.edges, n).tolist()])
    beside = normals_beside(mesh, hole.corner[hole.corner >= 0])
    return np.concatenate([inner, turn_angles(normals[mine], beside)])


def bent(mesh: Mesh, hole: Hole, patch: Patch) -> Patch:
    """The patch with its nodes where it bends least; as it was, if a facet of it would turn over."""
    from scipy.sparse import diags
    from scipy.sparse.linalg import splu

    b, k = len(hole.border), len(patch.points)
    if not k:
        return patch
    ring, around = _surroundings(mesh, hole)
    triangles = np.concatenate([patch.triangles, np.where(around < b, around, around + k)])
    points = np.concatenate([mesh.nodes[hole.border], patch.points, mesh.nodes[ring]])
    flat = unit_normals(points[patch.triangles])
    new = np.arange(b, b + k)
    for _ in range(_ROUNDS):
        laplacian, area = _laplacian(points, triangles)
        rows = laplacian[: b + k]  # of the border and the new nodes: they have all their neighbours
        weighted = diags(1.0 / np.sqrt(area[: b + k])) @ rows
        free = weighted[:, new]
        held = points.copy()
        held[new] = 0.0
        points[new] = splu((free.T @ free).tocsc()).solve(-(free.T @ (weighted @ held)))
    turned = np.einsum("ij,ij->i", unit_normals(points[patch.triangles]), flat) <= 0
    if turned.any() or not np.isfinite(points).all():
        return patch
    return replace(patch, points=points[new])


def _surroundings(mesh: Mesh, hole: Hole) -> tuple[Array, Array]:
    """Nodes beside the border, and the triangles there: rows of the border, then of those nodes."""
    triangles = mesh.triangulation.triangles
    on = np.zeros(mesh.n_nodes, bool)
    on[hole.border] = True
    near = triangles[on[triangles].any(axis=1)]
    ring = np.setdiff1d(near, hole.border)
    row = np.full(mesh.n_nodes, -1)
    row[hole.border] = np.arange(len(hole.border))
    row[ring] = len(hole.border) + np.arange(len(ring))
    return ring, row[near]


def _laplacian(points: Array, triangles: Array) -> tuple[Any, Array]:
    """The cotangent Laplacian, and the area at every node.

    U. Pinkall, K. Polthier (1993), Computing discrete minimal surfaces and their conjugates.
    """
    from scipy.sparse import coo_array

    n = len(points)
    twice = 2.0 * areas(points[triangles])
    rows, columns, values = [], [], []
    for k in range(3):
        a, b, c = (triangles[:, (k + j) % 3] for j in range(3))
        cosine = np.einsum("ij,ij->i", points[b] - points[a], points[c] - points[a])
        weight = 0.5 * np.maximum(cosine / np.maximum(twice, 1e-300), _LEAST_WEIGHT)
        rows += [b, c, b, c]
        columns += [c, b, b, c]
        values += [weight, weight, -weight, -weight]
    place = (np.concatenate(rows), np.concatenate(columns))
    area = np.bincount(triangles.ravel(), np.repeat(twice / 6.0, 3), n)
    return coo_array((np.concatenate(values), place), shape=(n, n)).tocsr(), np.maximum(area, 1e-300)
