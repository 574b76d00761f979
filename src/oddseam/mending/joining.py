"""Joining nodes at the very same place, and rounding nodes to what a file will hold."""

from __future__ import annotations

import numpy as np

from oddseam.formats import format_named
from oddseam.geometry.welding import weld_exact
from oddseam.model import Mesh
from oddseam.model.editing import merged


def rounded_to(mesh: Mesh, target: str) -> tuple[Mesh, int, float]:
    """The mesh with its nodes where a format will hold them, how many moved, and how far at most."""
    nodes = format_named(target).held_nodes(mesh)
    move = np.linalg.norm(nodes - mesh.nodes, axis=1)
    count = int(np.count_nonzero(move))
    return (mesh.replaced(nodes=nodes), count, float(move.max())) if count else (mesh, 0, 0.0)


def join_coincident(mesh: Mesh, *, everywhere: bool) -> tuple[Mesh, int]:
    """Join nodes of equal coordinates, ``everywhere`` or only where both lie on a rim."""
    first, index = weld_exact(mesh.nodes)
    if len(first) == mesh.n_nodes:
        return mesh, 0
    into = first[index]
    if not everywhere:
        c = mesh.connectivity
        rim = np.zeros(mesh.n_nodes, bool)
        rim[c.edges[c.is_free]] = True
        rows = np.flatnonzero(rim)
        into = np.arange(mesh.n_nodes)
        _, once, which = np.unique(index[rows], return_index=True, return_inverse=True)
        into[rows] = rows[once[which.ravel()]]
    count = int(np.count_nonzero(into != np.arange(mesh.n_nodes)))
    return (merged(mesh, into), count) if count else (mesh, 0)
