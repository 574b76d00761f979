"""What of one state of a mesh is there in another: an id is given once, so the same id is the same thing."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.model.mesh import Mesh


def nodes_in(mesh: Mesh, other: Mesh) -> Array:
    """(n,) int64: which node of another state every node of a mesh is, -1 for one that is not there; O(n log n)."""
    return _rows(mesh.node_ids, other.node_ids)


def elements_in(mesh: Mesh, other: Mesh) -> Array:
    """(m,) int64: which element of another state every element of a mesh is, -1 for one that is not there."""
    return _rows(mesh.element_ids, other.element_ids)


def new_elements(mesh: Mesh, before: Mesh) -> Array:
    """(k,) elements that have come since an earlier state."""
    return np.flatnonzero(elements_in(mesh, before) < 0)


def _rows(ids: Array, among: Array) -> Array:
    row, missing = IdIndex(among).of(ids)
    return np.where(missing, -1, row)
