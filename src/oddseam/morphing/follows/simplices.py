"""Elements taken apart into triangles and tets, those round some nodes only."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.shapes.solid_quality import TRIADS
from oddseam.model import KINDS, Mesh


def around(simplices: Array, nodes: Array, count: int) -> tuple[Array, Array, Array]:
    """The row of every node among some (r,), -1 for others of ``count``, and the simplices round each row.

    Those of row i are ``of[first[i]:first[i + 1]]``; given back are ``row``, ``first`` and ``of``.
    """
    from oddseam.morphing.kernels.elastic_sums import incidence

    row = np.full(count, -1, np.int32)
    row[nodes] = np.arange(len(nodes))
    first = np.zeros(len(nodes) + 1, np.int64)
    incidence(simplices, row, first, np.zeros(0, np.int32))
    of = np.zeros(int(first[-1]), np.int32)
    if len(of):
        incidence(simplices, row, first, of)
    return row, first, of


def corner_tets(mesh: Mesh, near: Array) -> tuple[Array, Array]:
    """(s, 4) int32 tets and (s,) elements: the solids with any of the marked nodes (n,).

    A tet stands for itself, other solids for one tet at each of their corners (a pyramid for those of its base).
    """
    tets, elements = [np.zeros((0, 4), np.int32)], [np.zeros(0, np.int64)]
    for name, block, span in mesh.blocks():
        kind = KINDS[name]
        if kind.dimension == 3:
            corners = block.connectivity[:, : kind.corners]
            rows = np.flatnonzero(near[corners].any(axis=1))
            plain = name.rstrip("0123456789")
            triads = TRIADS[plain][:1] if plain == "tet" else TRIADS[plain]
            tets.append(corners[rows][:, np.array(triads)].reshape(-1, 4))
            elements.append(np.repeat(span.start + rows, len(triads)))
    return np.concatenate(tets), np.concatenate(elements)


def face_triangles(surface: Mesh, near: Array) -> tuple[Array, Array]:
    """(s, 3) int32 triangles and (s,) elements of a surface with any of the marked nodes (n,).

    A quad stands for one triangle at each of its corners.
    """
    triangles, elements = [np.zeros((0, 3), np.int32)], [np.zeros(0, np.int64)]
    for _, block, span in surface.blocks():
        k = block.connectivity.shape[1]
        rows = np.flatnonzero(near[block.connectivity].any(axis=1))
        corners = [(0, 1, 2)] if k == 3 else [(i, (i + 1) % 4, (i + 3) % 4) for i in range(4)]
        triangles.append(block.connectivity[rows][:, np.array(corners)].reshape(-1, 3))
        elements.append(np.repeat(span.start + rows, len(corners)))
    return np.concatenate(triangles), np.concatenate(elements)
