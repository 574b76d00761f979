"""Whether points lie in the space that a mesh encloses."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.winding_tree import WindingTree
from oddseam.geometry.triangles import area_vectors
from oddseam.model.mesh import Mesh

#: A winding number is clear if it is so near to a whole number.
_CLEAR = 0.1
#: Points that are looked at beside facets, and how far from these, over the diagonal.
_LOOKS, _ASIDE = 2_000, (2e-3, 2e-2)


def is_inside(mesh: Mesh, points: Array) -> Array:
    """(k,) bool: which points lie in the space that a mesh encloses, by winding number; O((m + k) log m)."""
    low, high = mesh.box
    rows = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
    found = np.zeros(len(points), bool)
    if len(rows) and len(mesh.triangulation.triangles):
        turns = WindingTree(mesh.nodes[mesh.triangulation.triangles]).at(points[rows])
        found[rows[np.abs(turns) > 0.5]] = True
    return found


def space_kept(given: Mesh, result: Mesh) -> tuple[float, Array | None]:
    """Which share of the space about a surface is as it was, in or out, and a place where it is not.

    Points beside the given facets are looked at, where the winding number about what was given is clear; the order of
    facets does not matter for which.  1 where nothing is clear.  O(m log m).
    """
    t, u = given.triangulation.triangles, result.triangulation.triangles
    if not len(t):
        return 1.0, None
    corners = given.nodes[t]
    vectors = area_vectors(corners)
    area = np.linalg.norm(vectors, axis=1)
    middle = (corners[:, 0] + corners[:, 1] + corners[:, 2]) / 3
    order = np.lexsort(middle.T)
    total = np.cumsum(area[order])
    if not total[-1] > 0:
        return 1.0, None
    which = (np.arange(_LOOKS) + 0.5) / _LOOKS
    rows = order[np.minimum(np.searchsorted(total, which * total[-1]), len(t) - 1)]
    # all over the facets, on both sides, at a range of distances: by fractions that repeat nowhere
    u1, u2, u3 = (np.modf(np.arange(_LOOKS) * step)[0] for step in (0.8191725134, 0.6710436067, 0.5497004779))
    s = np.sqrt(u1)[:, None]
    point = corners[rows, 0] * (1 - s) + corners[rows, 1] * (s * (1 - u2[:, None])) + corners[rows, 2] * s * u2[:, None]
    off = (_ASIDE[0] + (_ASIDE[1] - _ASIDE[0]) * u3) * np.where(np.arange(_LOOKS) % 2, -1.0, 1.0) * given.diagonal
    point += off[:, None] * vectors[rows] / np.maximum(area[rows], 1e-300)[:, None]
    before = WindingTree(corners).at(point)
    clear = np.flatnonzero(np.abs(before - np.rint(before)) < _CLEAR)
    was = np.abs(np.rint(before[clear])) >= 1
    if not was.any():
        return 1.0, None
    now = np.abs(WindingTree(result.nodes[u]).at(point[clear])) > 0.5 if len(u) else np.zeros(len(clear), bool)
    wrong = np.flatnonzero(was != now)
    return 1.0 - len(wrong) / len(clear), point[clear[wrong[0]]] if len(wrong) else None
