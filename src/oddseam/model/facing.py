"""Rims that face each other: free nodes beside free edges that they do not belong to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.model.mesh import Mesh


@dataclass(frozen=True, eq=False)
class Facing:
    """Pairs of a node on a rim and a free edge near it, by node.

    Attributes
    ----------
    node : (p,) int64 array
        Node indices.
    corner : (p,) int64 array
        Corners (see ``Faces``) whose edges are near.
    distance : (p,) float array
        From the node to the edge.
    along : (p,) float array
        Where the closest point is: 0 at the node that the corner sits at, 1 at the next one.
    """

    node: Array
    corner: Array
    distance: Array
    along: Array

    def __len__(self) -> int:
        return len(self.node)


def facing_rims(mesh: Mesh, reach: float) -> Facing:
    """All pairs not farther apart than ``reach``; O(n log n + p)."""
    c, node = mesh.connectivity, mesh.faces.node
    corner = np.flatnonzero((c.twin < 0) & (c.edge_of >= 0))
    corner = corner[c.is_free[c.edge_of[corner]]]
    if not len(corner):
        none = np.zeros(0, np.int64)
        return Facing(none, none, np.zeros(0), np.zeros(0))
    start, end = node[corner].astype(np.int64), node[c.next[corner]].astype(np.int64)
    a, b = mesh.nodes[start], mesh.nodes[end]
    on_rim = np.unique(np.concatenate([start, end]))
    point, edge = BoxTree(np.stack([a, b, b], axis=1)).near(mesh.nodes[on_rim], reach)
    other = (on_rim[point] != start[edge]) & (on_rim[point] != end[edge])
    point, edge = point[other], edge[other]
    p, u = mesh.nodes[on_rim[point]], b[edge] - a[edge]
    length = np.einsum("ij,ij->i", u, u)
    along = np.clip(np.einsum("ij,ij->i", p - a[edge], u) / np.where(length > 0, length, 1.0), 0.0, 1.0)
    distance = np.linalg.norm(p - a[edge] - along[:, None] * u, axis=1)
    return Facing(on_rim[point], corner[edge], distance, along)


def crack_width(mesh: Mesh) -> float:
    """Width up to which a gap between rims counts as a crack.

    A ten-thousandth of the diagonal: coarser than what files are rounded to, finer than any
    opening that a part of this size is built with; where the coordinates are coarser still,
    four times their spacing.
    """
    precision = mesh.source.precision if mesh.source is not None else 2.0**-52
    return max(1e-4 * mesh.diagonal, 4.0 * precision * float(np.abs(mesh.nodes).max(initial=0.0)))
