"""Groups of sides after elements were cut in pieces."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Mesh
from oddseam.model.origins import elements_in


def with_sides_of_pieces(mesh: Mesh, new: Mesh, parents: dict[str, Array], middles: Array) -> Mesh:
    """The new mesh with the side groups of the old one.

    Both faces of a piece follow those of the element it is of, and its edges the edge that they lie on.

    Parameters
    ----------
    mesh : Mesh
        Before; elements that stay have kept their ids.
    new : Mesh
        After; its first nodes are those of ``mesh``, in their order.
    parents : dict of str to (p,) int array
        By kind, ``tri`` or ``quad``: the element of ``mesh`` that each of the last p elements of this kind is of.
    middles : (k, 2) int array
        For the nodes that follow: the ends of the edge that each lies on, or -1.
    """
    if not mesh.groups.sides:
        return new
    stays = elements_in(mesh, new)
    # the edge or the node of the old mesh that every node lies on
    n = np.arange(mesh.n_nodes)
    on = np.concatenate([np.column_stack([n, n]), np.sort(middles, axis=1)])
    corners = np.full((mesh.n_elements, 4), -1)
    for name, block, span in mesh.blocks():
        if KINDS[name].dimension == 2:
            k = KINDS[name].corners
            corners[span, :k] = block.connectivity[:, :k]
    heirs: list[Array] = []  # parent, its side, element, its side
    for name, block, span in new.blocks():
        parent = parents.get(name, np.zeros(0, np.int64))
        own = span.stop - len(parent) + np.arange(len(parent))
        for side in (0, 1):
            heirs.append(np.column_stack([parent, 0 * parent + side, own, 0 * parent + side]))
        nodes = block.connectivity[len(block) - len(parent) :]
        for i in range(KINDS[name].corners):
            ends = on[nodes[:, [i, (i + 1) % KINDS[name].corners]]]
            for edge in range(4):
                a, b = _edge(corners[parent], edge)
                low, high = np.minimum(a, b), np.maximum(a, b)
                within = ((ends == low[:, None, None]) | (ends == high[:, None, None])).all(axis=(1, 2)) & (low >= 0)
                its = np.flatnonzero(within)
                heirs.append(np.column_stack([parent[its], 0 * its + 2 + edge, own[its], 0 * its + 2 + i]))
    table = np.concatenate(heirs)
    key = table[:, 0] * 8 + table[:, 1]
    sides = {}
    for name, pairs in mesh.groups.sides.items():
        element, side = pairs.astype(np.int64).T
        kept = stays[element] >= 0
        heir = np.isin(key, element[~kept] * 8 + side[~kept])
        sides[name] = np.concatenate([np.column_stack([stays[element[kept]], side[kept]]), table[heir, 2:]])
    return new.replaced(groups=Groups(new.groups.nodes, new.groups.elements, sides))


def _edge(corners: Array, edge: int) -> tuple[Array, Array]:
    """Both ends of an edge of elements (p, 4), a triangle with -1 at the end; -1 where there is none."""
    size = np.where(corners[:, 3] < 0, 3, 4)
    a, b = corners[:, edge], corners[np.arange(len(corners)), (edge + 1) % size]
    exists = edge < size
    return np.where(exists, a, -1), np.where(exists, b, -1)
