"""Sizes, and numbers of elements, along a crease or a rim."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.edges.creases import sharp_pairs
from oddseam.features.patches.curves import chains_of
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import area_vectors
from oddseam.inputs import PointLike
from oddseam.model import Mesh

#: A chain has sources so densely, over its size.
_STEP = 0.5
#: A closed chain is round if its least radius is this share of the largest, and it has so many nodes.
_ROUND, _FEWEST = 0.9, 6


def chains_along(mesh: Mesh, crease: float) -> list[Array]:
    """The chains of a mesh, each the ends (k, 2, 3) of its edges.

    They are of creases of the mesh, of edges that turn by more than an angle, and of rims; they end where other
    than two of these meet.
    """
    c = mesh.connectivity
    edges = [c.edges[c.is_free]]
    if mesh.creases is not None:
        edges.append(mesh.creases.edges)
    t = mesh.triangulation
    vectors = area_vectors(mesh.nodes[t.triangles])
    normal: Array = np.column_stack(
        [np.bincount(t.element, vectors[:, d], minlength=mesh.n_elements) for d in range(3)]
    )
    area = np.linalg.norm(normal, axis=1)
    normal = (normal / np.where(area > 0, area, 1.0)[:, None])[mesh.faces.element]
    edges.append(c.edges[c.pair_edges[sharp_pairs(normal, c.face[c.pairs], c.pair_agrees, crease)]])
    every = np.unique(np.sort(np.concatenate(edges), axis=1), axis=0)
    if not len(every):
        return []
    degree = np.bincount(every.ravel(), minlength=mesh.n_nodes)
    chain = chains_of(every, degree != 2)
    order = np.argsort(chain, kind="stable")
    return np.split(mesh.nodes[every[order]], np.flatnonzero(np.diff(chain[order])) + 1)


def nearest_chain(chains: list[Array], near: PointLike) -> Array:
    """The chain that is nearest to a point.

    Raises
    ------
    Refusal
        If there is none, or it has no length.
    """
    if not chains:
        raise Refusal("there is no crease and no rim that a size could be given along")
    every = np.concatenate(chains)
    tree = BoxTree(every[:, [0, 1, 1]])
    _, row = tree.closest(np.array([near], float))
    first = np.cumsum([len(chain) for chain in chains])
    found = chains[int(np.searchsorted(first, tree.order[row[0]], side="right"))]
    if not chain_length(found) > 0:
        raise Refusal(f"the crease nearest to {point_text(near)} has no length")
    return found


def round_chains(chains: list[Array]) -> list[Array]:
    """Those that are closed and round: rims of holes, and the ends of bores and pins."""
    found = []
    for ends in chains:
        points, times = np.unique(ends.reshape(-1, 3), axis=0, return_counts=True)
        if len(points) < _FEWEST or (times != 2).any():
            continue
        length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        middle = (length[:, None] * ends.mean(axis=1)).sum(axis=0) / max(float(length.sum()), 1e-300)
        radius = np.linalg.norm(points - middle, axis=1)
        off = np.linalg.svd(points - middle, full_matrices=False)[2][2] @ (points - middle).T
        if radius.min() > _ROUND * radius.max() and np.abs(off).max() < (1.0 - _ROUND) * radius.max():
            found.append(ends)
    return found


def chain_length(ends: Array) -> float:
    """Length of a chain."""
    return float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum())


def sources_along(ends: Array, wanted: float) -> tuple[Array, Array]:
    """Places along a chain, and the size there."""
    points = []
    for (a, b), long in zip(ends, np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).tolist(), strict=True):
        count = max(int(np.ceil(long / (_STEP * wanted))), 1)
        points.append(a + (np.arange(count + 1) / count)[:, None] * (b - a))
    found = np.concatenate(points)
    return found, np.full(len(found), wanted)
