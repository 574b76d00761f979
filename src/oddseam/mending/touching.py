"""Parting surfaces that only touch, in a node or along an edge.

Where two solids, or two corners of one, touch along an edge, four facets meet there; where they
touch in a node, its facets make two fans.  Each fan gets a node of its own, facets being paired
where both look away from the wedge between them.  Where the file will join nodes of equal coordinates, the copies
are drawn a few units of the file's last place into their own solid.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import area_vectors
from oddseam.mending.walls import Skin, find_cells
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import parted
from oddseam.model.proof import prove

#: How far copies are drawn apart, in units of single precision at the coordinate: more than
#: rounding can take back, far less than any wall.
_UNITS = 8.0 * 2.0**-23


def part_touching(mesh: Mesh, held: Callable[[Mesh], Mesh] | None) -> tuple[Mesh, int, float]:
    """Give every fan a node of its own.

    Parameters
    ----------
    mesh : Mesh
        Without fins and inner walls.
    held : callable or None
        The mesh as the target file will hold it.

    Returns
    -------
    mesh : Mesh
        The same, if that would leave it worse in any way.
    count : int
        Nodes added.
    move : float
        How far they were drawn off.
    """
    if not len(mesh.connectivity.nonmanifold_nodes):
        return mesh, 0, 0.0
    skin = find_cells(mesh)
    fan = _fans(mesh, skin)
    found = _copies(mesh, skin, fan)
    if found is None:
        return mesh, 0, 0.0
    element, node, copy, points, inward = found
    before = prove(mesh if held is None else held(mesh))
    size = np.abs(points).max(axis=1, keepdims=True)
    for units in (0.0, _UNITS):
        off = units * size * inward
        new = parted(mesh, element, node, copy, points + off)
        after = prove(new if held is None else held(new))
        if after.worse_than(before) or after.free_edges > before.free_edges:
            continue
        if after.nonmanifold_edges + after.nonmanifold_nodes < before.nonmanifold_edges + before.nonmanifold_nodes:
            return new, len(points), float(np.linalg.norm(off, axis=1).max(initial=0.0))
    return mesh, 0, 0.0


def _fans(mesh: Mesh, skin: Skin) -> Array:
    """Fan of every corner of the triangulation; facets that bound one solid wedge stay together."""
    links = skin.links
    wedge = skin.wedges[skin.wedges[:, 2] == 1]
    node = skin.triangles.ravel()
    one, two = wedge[:, 0], wedge[:, 1]
    same = node[one] == node[two]
    pairs = [
        (one, np.where(same, two, links.next[two])),
        (links.next[one], np.where(same, links.next[two], two)),
    ]
    fan = links.fan
    a, b = (np.concatenate([fan[p[k]] for p in pairs]) for k in (0, 1))
    _, label = label_components(int(fan.max()) + 1, a, b)
    return np.asarray(label[fan])


def _copies(mesh: Mesh, skin: Skin, fan: Array) -> tuple[Array, Array, Array, Array, Array] | None:
    """Elements, nodes and copies; where the copies are, and which way their solid lies."""
    node, face = skin.triangles.ravel().astype(np.int64), skin.links.face
    shared = np.zeros(mesh.n_nodes, bool)
    shared[mesh.connectivity.nonmanifold_nodes] = True
    corner = np.flatnonzero(shared[node] & skin.links.is_sound[face])
    if not len(corner):
        return None
    pairs, which = np.unique(np.column_stack([node[corner], fan[corner]]), axis=0, return_inverse=True)
    which = which.ravel()
    extra = np.zeros(len(pairs), bool)
    extra[1:] = pairs[1:, 0] == pairs[:-1, 0]
    if not extra.any():
        return None
    number = np.cumsum(extra) - 1
    chosen = extra[which]
    corner, which = corner[chosen], which[chosen]
    copy = number[which]
    count = int(extra.sum())
    inward = np.zeros((count, 3))
    np.add.at(inward, copy, -area_vectors(mesh.nodes[skin.triangles[face[corner]]]))
    length = np.linalg.norm(inward, axis=1, keepdims=True)
    inward /= np.where(length > 0, length, 1.0)
    element = mesh.triangulation.element[face[corner]].astype(np.int64)
    return element, node[corner], copy, mesh.nodes[pairs[extra, 0]], inward
