"""Edges that bound a neighbourhood, or hold the nodes on them, by what they are."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import area_vectors
from oddseam.model import KINDS, Mesh

#: Edges where the surface turns by more degrees are sharp.
_SHARP = 30.0

#: What may bound a neighbourhood, in the order in which it is named where several meet.
PART_BORDER = "border of the part"
BOUNDS = ("free edge", "T-joint", "line element", "sharp edge", "crease", PART_BORDER)


def element_normals(mesh: Mesh) -> Array:
    """(m, 3) unit normals of elements, the mean over their triangles; zero for those without area."""
    vectors = np.zeros((mesh.n_elements, 3))
    t = mesh.triangulation
    np.add.at(vectors, t.element, area_vectors(mesh.nodes[t.triangles]))
    size = np.linalg.norm(vectors, axis=1)
    return np.asarray(vectors / np.where(size > 0, size, 1.0)[:, None])


def bounds_of(mesh: Mesh) -> Array:
    """(e,) the number in ``BOUNDS`` of what every edge of the surface is, or -1."""
    c = mesh.connectivity
    element = mesh.faces.element.astype(np.int64)
    one, two = element[c.face[c.pairs]].T
    normal = element_normals(mesh)
    cosine = np.einsum("ij,ij->i", normal[one], normal[two])
    kind = np.full(len(c.edges), -1)
    border = mesh.element_part[one] != mesh.element_part[two]
    kind[c.pair_edges[border]] = BOUNDS.index(PART_BORDER)
    if mesh.creases is not None:
        kind[_known(c.numbers_of(mesh.creases.edges))] = BOUNDS.index("crease")
    kind[c.pair_edges[(cosine < np.cos(np.radians(_SHARP))) | ~c.pair_agrees]] = BOUNDS.index("sharp edge")
    for name, block in mesh.elements.items():
        if KINDS[name].dimension == 1:
            kind[_known(c.numbers_of(block.connectivity[:, :2]))] = BOUNDS.index("line element")
    kind[c.is_nonmanifold] = BOUNDS.index("T-joint")
    kind[c.is_free] = BOUNDS.index("free edge")
    return kind


def _known(numbers: Array) -> Array:
    """Those that are not negative."""
    return numbers[numbers >= 0]
