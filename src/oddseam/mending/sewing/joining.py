"""Joining nodes at the very same place, and rounding nodes to what a file will hold."""

from __future__ import annotations

import numpy as np

from oddseam.formats import format_named
from oddseam.geometry.welding import weld_exact
from oddseam.mending.contacts.clusters import joined_nodes
from oddseam.mending.sewing.degenerates import drop_degenerates
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


def held_by(mesh: Mesh, target: str | None, reach: float = 0.0) -> tuple[Mesh, float]:
    """The mesh as the target holds it, without what is shorter or thinner than that; and how far a node went."""
    near = 0.0
    if reach:
        mesh, near = _without_short_edges(mesh, reach)
        mesh, _ = drop_degenerates(mesh, reach / 4.0)
    move = 0.0
    if target is not None:
        mesh, _, move = rounded_to(mesh, target)
    mesh, _ = join_coincident(mesh, everywhere=True)
    mesh, _ = drop_degenerates(mesh)
    return mesh, near + move


def _without_short_edges(mesh: Mesh, reach: float) -> tuple[Mesh, float]:
    """Nodes joined along edges that are not longer than ``reach``, and how far one moved."""
    c = mesh.connectivity
    a, b = c.edges.T
    short = np.flatnonzero(np.linalg.norm(mesh.nodes[a] - mesh.nodes[b], axis=1) <= reach)
    if not len(short):
        return mesh, 0.0
    into = joined_nodes(mesh.nodes, a[short], b[short], reach, np.arange(mesh.n_nodes), lambda _: ())
    return merged(mesh, into), float(np.linalg.norm(mesh.nodes - mesh.nodes[into], axis=1).max())
