"""Elements and those round them, ring by ring."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
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
        touched, at = np.zeros(mesh.n_nodes, bool), 0
        for block in mesh.elements.values():
            touched[block.connectivity[chosen[at : at + len(block)]]] = True
            at += len(block)
        near = [np.zeros(0, bool), *(touched[block.connectivity].any(axis=1) for block in mesh.elements.values())]
        more = chosen | np.concatenate(near) & among
        if (more == chosen).all():
            break
        chosen = more
    return chosen
