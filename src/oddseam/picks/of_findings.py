"""Elements and edges of the findings of a survey that can be picked."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oddseam.arrays import Array
from oddseam.findings import Limits
from oddseam.findings.classes import defects
from oddseam.findings.classes.defects import edges_of_copies
from oddseam.findings.judged.qualities import inverted_indices
from oddseam.model import Mesh


def _of_triangles(rows: Callable[[Mesh], Array]) -> Callable[[Mesh], Array]:
    return lambda mesh: mesh.triangulation.element[rows(mesh)]


def _of_crumbs(mesh: Mesh) -> Array:
    pieces = defects.crumb_pieces(mesh, Limits().crumb * mesh.diagonal)
    return np.asarray(mesh.triangulation.element[np.isin(mesh.pieces.of_triangle, pieces)])


def _of_inward(mesh: Mesh) -> Array:
    return np.asarray(mesh.triangulation.element[np.isin(mesh.pieces.of_triangle, mesh.pieces.inward)])


def _misoriented(mesh: Mesh) -> Array:
    c = mesh.connectivity
    found = np.zeros(len(c.edges), bool)
    found[c.pair_edges[~c.pair_agrees]] = True
    return found


#: Edges, as a mark for every one, of the findings that are of edges.
EDGES_OF_FINDINGS: dict[str, Callable[[Mesh], Array]] = {
    "free edges": lambda mesh: mesh.connectivity.is_free,
    "non-manifold edges": lambda mesh: mesh.connectivity.is_nonmanifold,
    "T-joints": lambda mesh: mesh.connectivity.is_nonmanifold & ~edges_of_copies(mesh),
    "misoriented edges": _misoriented,
}


def _at_edges(name: str) -> Callable[[Mesh], Array]:
    def elements(mesh: Mesh) -> Array:
        c = mesh.connectivity
        corner = np.flatnonzero(c.edge_of >= 0)
        return np.asarray(mesh.faces.element[c.face[corner[EDGES_OF_FINDINGS[name](mesh)[c.edge_of[corner]]]]])

    return elements


#: Elements of the findings that can be picked, by the names that a survey gives them.
FINDINGS: dict[str, Callable[[Mesh], Array]] = {
    "duplicate facets": _of_triangles(lambda mesh: mesh.duplicate_triangles),
    "degenerate facets": _of_triangles(lambda mesh: mesh.degenerate_triangles),
    "crossing facets": _of_triangles(lambda mesh: mesh.crossing_triangles.ravel()),
    "slivers": _of_triangles(lambda mesh: defects.sliver_rows(mesh)[0]),
    "free edges": _at_edges("free edges"),
    "non-manifold edges": _at_edges("non-manifold edges"),
    "T-joints": _at_edges("T-joints"),
    "misoriented edges": lambda mesh: mesh.faces.element[defects.minority_faces(mesh)[0]],
    "crumbs": _of_crumbs,
    "inside-out pieces": _of_inward,
    "inverted elements": inverted_indices,
}
