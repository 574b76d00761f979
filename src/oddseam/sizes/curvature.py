"""Curvature of a surface at the corners of its facets."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.triangles import areas_and_normals, corner_pairs, numbered_edges
from oddseam.model.connectivity import label_components


def largest_curvature(nodes: Array, triangles: Array, crease: float, drawn: Array | None = None) -> Array:
    """(m, 3) largest normal curvature, in absolute value, at every corner; creases do not count as curvature.

    The turn at an edge, over the area round a node, is the curvature across it: D. Cohen-Steiner, J.-M. Morvan
    (2003), Restricted Delaunay triangulations and normal cycle.  On both sides of a crease it is taken apart.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles : (m, 3) int array
    crease : float
        Edges sharper than this many degrees are creases.
    drawn : (k, 2) int array, optional
        Edges that are creases in any case.
    """
    m, n = len(triangles), max(len(nodes), 1)
    ends, edge, _ = numbered_edges(triangles, n)
    pair, a, b = corner_pairs(edge)
    area, normals = areas_and_normals(nodes[triangles])
    turn = np.arccos(np.clip(np.einsum("ij,ij->i", normals[a // 3], normals[b // 3]), -1.0, 1.0))
    smooth = turn <= np.radians(crease)
    if drawn is not None and len(drawn):
        smooth &= ~edges_among(ends[pair], drawn, n)
    a, b, turn, pair = a[smooth], b[smooth], turn[smooth], pair[smooth]
    # corners of facets that hang together round a node belong together
    after = np.arange(3 * m) + np.where(np.arange(3 * m) % 3 == 2, -2, 1)
    start = triangles.ravel()
    same = start[a] == start[b]
    count, fan = label_components(
        3 * m, np.concatenate([a, after[a]]), np.concatenate([np.where(same, b, after[b]), np.where(same, after[b], b)])
    )
    along = nodes[ends[pair, 1]] - nodes[ends[pair, 0]]
    length = np.linalg.norm(along, axis=1)
    along /= np.where(length > 0, length, 1.0)[:, None]
    round_area = np.bincount(fan, np.repeat(area / 3.0, 3), minlength=count)
    form = np.zeros((count, 6))
    for k, (i, j) in enumerate(((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))):
        share = 0.5 * turn * length * along[:, i] * along[:, j]
        form[:, k] = np.bincount(fan[a], share, minlength=count) + np.bincount(fan[after[a]], share, minlength=count)
    form /= np.where(round_area > 0, round_area, np.inf)[:, None]
    full = form[:, [0, 1, 2, 1, 3, 4, 2, 4, 5]].reshape(-1, 3, 3)
    return np.asarray(np.linalg.eigvalsh(full)[:, 2][fan].reshape(-1, 3))
