"""Elements and those round them, ring by ring."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.model.kinds import KINDS
from oddseam.model.mesh import Mesh


def grown(mesh: Mesh, chosen: Array, rings: int, among: Array) -> Array:
    """Grow a choice of elements by those that share a node with it.

    O(m) for each ring.

    Parameters
    ----------
    mesh : Mesh
    chosen : (m,) bool array
    rings : int
        How often; it ends earlier where there is nothing to grow into.
    among : (m,) bool array
        What may come to it.

    Returns
    -------
    (m,) bool array
    """
    for _ in range(rings):
        touched = nodes_of(mesh, chosen)
        near = [np.zeros(0, bool), *(touched[block.connectivity].any(axis=1) for block in mesh.elements.values())]
        more = chosen | np.concatenate(near) & among
        if (more == chosen).all():
            break
        chosen = more
    return chosen


def nodes_of(mesh: Mesh, elements: Array) -> Array:
    """(n,) bool: nodes that some elements (a mask) use."""
    used = np.zeros(mesh.n_nodes, bool)
    for _, block, span in mesh.blocks():
        used[block.connectivity[elements[span]]] = True
    return used


def used_nodes(mesh: Mesh) -> Array:
    """(n,) bool: nodes that elements use."""
    used = np.zeros(mesh.n_nodes, bool)
    for block in mesh.elements.values():
        used[block.connectivity] = True
    return used


def having(mesh: Mesh, nodes: Array, *, every: bool = False) -> Array:
    """(m,) bool: elements with any, or every, node among some (a mask)."""
    held = [nodes[block.connectivity] for block in mesh.elements.values()]
    return np.concatenate([np.zeros(0, bool), *((its.all if every else its.any)(axis=1) for its in held)])


def corner_means(mesh: Mesh) -> Array:
    """(m, 3) the mean of the corners of every element."""
    found = [mesh.nodes[b.connectivity[:, : KINDS[name].corners]].mean(axis=1) for name, b in mesh.elements.items()]
    return np.concatenate([np.zeros((0, 3)), *found])
