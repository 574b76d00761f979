"""The surroundings of what is to be changed."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.near_boxes import rows_near
from oddseam.geometry.triangles import boxes
from oddseam.model import Mesh


def elements_about(mesh: Mesh, rows: Array) -> Array:
    """Elements of some triangles and of those round about, so that what is cut at these lies well within.

    They are those at the nodes of the triangles, all that lie near these, and those at the nodes of all.
    """
    t = mesh.triangulation
    at = np.zeros(mesh.n_nodes, bool)
    at[t.triangles[rows]] = True
    near = rows_near(*boxes(mesh.nodes[t.triangles]), np.flatnonzero(at[t.triangles].any(axis=1)))
    at[t.triangles[near]] = True
    return np.unique(t.element[at[t.triangles].any(axis=1)])
