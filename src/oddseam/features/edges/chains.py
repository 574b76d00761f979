"""The chains of creases between nodes where other than two of them meet, numbered by length."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.patches.curves import chains_of
from oddseam.model import Creases, Mesh


def creases_of(mesh: Mesh) -> Creases:
    """The creases of a mesh.

    Raises
    ------
    Refusal
        If it has none.
    """
    if mesh.creases is None or not len(mesh.creases.edges):
        raise Refusal("the mesh has no creases; `oddseam features` finds them")
    return mesh.creases


def anchored_nodes(mesh: Mesh) -> Array:
    """(n,) bool: nodes on rims and where more than two faces meet; a chain that ends there is not in the open."""
    c = mesh.connectivity
    found = np.zeros(mesh.n_nodes, bool)
    found[c.edges[c.is_free | c.is_nonmanifold]] = True
    return found


def numbered_chains(mesh: Mesh) -> tuple[Array, Array]:
    """The chain of every crease edge, numbered from 1, the longest first; and the lengths (c,) in that order."""
    creases = creases_of(mesh)
    degree = np.bincount(creases.edges.ravel(), minlength=mesh.n_nodes)
    chain = chains_of(creases.edges, (degree != 2) | anchored_nodes(mesh))
    total = np.bincount(chain, np.linalg.norm(np.diff(mesh.nodes[creases.edges], axis=1)[:, 0], axis=1))
    order = np.argsort(-total, kind="stable")
    number = np.empty(len(total), np.int64)
    number[order] = np.arange(1, len(total) + 1)
    return number[chain], total[order]
