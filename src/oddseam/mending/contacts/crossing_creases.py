"""The lines along which surfaces crossed, as creases of what becomes of them."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.exact.arrangement import Arrangement
from oddseam.geometry.tolerances import IN_ONE_PLANE
from oddseam.geometry.triangles import numbered_edges, turn_angles, unit_normals
from oddseam.model import Mesh
from oddseam.model.faces import duplicate_rows
from oddseam.model.shape import CREASE_KINDS, Creases


def new_creases(cut: Arrangement, keep: Array) -> Creases:
    """Edges at which more facets met than remain, and those that remain bend; by points of the arrangement."""
    n = len(cut.points)
    once = np.ones(len(cut.triangles), bool)
    once[duplicate_rows(cut.triangles)] = False
    ends, edge, _ = numbered_edges(cut.triangles, n)
    met = np.bincount(edge[once].ravel(), minlength=len(ends))
    rows = np.flatnonzero(keep)
    left = np.bincount(edge[rows].ravel(), minlength=len(ends))
    joint = (met > 2) & (left >= 2)
    corner = np.flatnonzero(joint[edge[rows]].ravel())
    at, row = edge[rows].ravel()[corner], np.repeat(rows, 3)[corner]
    order = np.argsort(at, kind="stable")
    first = np.searchsorted(at[order], np.flatnonzero(joint))
    normal = unit_normals(cut.points[cut.triangles])
    one, two = normal[row[order[first]]], normal[row[order[first + 1]]]
    bent = np.minimum(turn_angles(one, two), turn_angles(one, -two)) > IN_ONE_PLANE
    its = ends[np.flatnonzero(joint)[bent | (left[joint] > 2)]]
    return Creases(its, np.full(len(its), CREASE_KINDS.index("crossing")))


def with_creases_on_edges(mesh: Mesh) -> Mesh:
    """The mesh with creases that are edges of it: those that were cut in two follow the pieces, others go."""
    if mesh.creases is None:
        return mesh
    edges, given = mesh.connectivity.edges, mesh.creases
    is_edge = edges_among(given.edges, edges, mesh.n_nodes)
    ends, kinds = [], []
    beside: dict[int, set[int]] = {}
    is_touched = np.zeros(mesh.n_nodes, bool)
    is_touched[given.edges[~is_edge]] = True
    for a, b in edges[is_touched[edges].any(axis=1)].tolist():
        beside.setdefault(a, set()).add(b)
        beside.setdefault(b, set()).add(a)
    for (a, b), kind, stays in zip(given.edges.tolist(), given.kind.tolist(), is_edge.tolist(), strict=True):
        chain = [(a, b)]
        if not stays:
            between = sorted(beside.get(a, set()) & beside.get(b, set()))
            if not between:
                continue
            way = [np.linalg.norm(mesh.nodes[[a, b]] - mesh.nodes[m], axis=1).sum() for m in between]
            m = between[int(np.argmin(way))]
            chain = [(min(a, m), max(a, m)), (min(m, b), max(m, b))]
        ends += chain
        kinds += [kind] * len(chain)
    rows, first = np.unique(np.array(ends, np.int64).reshape(-1, 2), axis=0, return_index=True)
    return mesh.replaced(creases=Creases(rows, np.array(kinds, np.int64)[first]))
