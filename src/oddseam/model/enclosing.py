"""Whether points lie in the space that a mesh encloses."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.winding_tree import WindingTree
from oddseam.model.mesh import Mesh


def is_inside(mesh: Mesh, points: Array) -> Array:
    """(k,) bool: which points lie in the space that a mesh encloses, by winding number; O((m + k) log m)."""
    low, high = mesh.box
    rows = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
    found = np.zeros(len(points), bool)
    if len(rows) and len(mesh.triangulation.triangles):
        turns = WindingTree(mesh.nodes[mesh.triangulation.triangles]).at(points[rows])
        found[rows[np.abs(turns) > 0.5]] = True
    return found
