"""The feature edges of a surface as corners and chains, each known by the patches that meet in it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oddseam.arrays import Array
from oddseam.features.patches.curves import chains_of, neighbours_along, turns_sharply
from oddseam.model.connectivity import label_components
from oddseam.morphing.follows.skeleton import Skeleton

#: The patches that meet somewhere, ascending.
Signature = tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Chain:
    """Feature edges in a row.

    ``nodes`` (k,) in order, a closed one without its first again; ``ends`` are the corners at its ends, none if it is
    closed without a corner.
    """

    nodes: Array
    patches: Signature
    ends: tuple[int, ...]

    @property
    def is_closed(self) -> bool:
        """Whether it goes round without a corner."""
        return not self.ends


class Network:
    """Corners and chains of a skeleton."""

    def __init__(self, skeleton: Skeleton) -> None:
        self.skeleton = skeleton
        self.points = skeleton.mesh.nodes
        self._edges = skeleton.feature_edges
        degree = np.bincount(self._edges.ravel(), minlength=len(self.points))
        sharp = turns_sharply(self.points, self._edges, degree)
        self._is_corner = ((degree > 0) & (degree != 2)) | sharp

    @cached_property
    def _patches_of_edges(self) -> list[Signature]:
        """The patches on the sides of every feature edge."""
        c, label = self.skeleton.surface.connectivity, self.skeleton.label
        number = c.numbers_of(self._edges)
        row = np.full(len(c.edges), -1)
        row[number] = np.arange(len(number))
        corner = np.flatnonzero(c.edge_of >= 0)
        corner = corner[row[c.edge_of[corner]] >= 0]
        pairs = np.unique(
            np.column_stack([row[c.edge_of[corner]], label[self.skeleton.surface.faces.element[c.face[corner]]]]),
            axis=0,
        )
        found: list[list[int]] = [[] for _ in range(len(self._edges))]
        for edge, patch in pairs.tolist():
            found[edge].append(patch)
        return [tuple(its) for its in found]

    @cached_property
    def corners(self) -> dict[int, Signature]:
        """Corner nodes, and the patches that meet there."""
        node, patch = self.skeleton.of_node
        rows = np.flatnonzero(self._is_corner[node])
        found: dict[int, list[int]] = {}
        for k, its in zip(node[rows].tolist(), patch[rows].tolist(), strict=True):
            found.setdefault(k, []).append(its)
        return {k: tuple(its) for k, its in found.items()}

    @cached_property
    def chains(self) -> list[Chain]:
        """All chains; where the patches on the sides change a chain ends, as at a corner."""
        edges, signature = self._edges, self._patches_of_edges
        if not len(edges):
            return []
        label = chains_of(edges, self._is_corner)
        order = np.argsort(label, kind="stable")
        first = np.searchsorted(label[order], np.arange(int(label.max()) + 2))
        return [
            self._walked(edges[order[a:b]], signature[int(order[a])])
            for a, b in zip(first[:-1].tolist(), first[1:].tolist(), strict=True)
        ]

    def _walked(self, edges: Array, patches: Signature) -> Chain:
        """The chain of edges (k, 2) that hang together."""
        nodes, local = np.unique(edges, return_inverse=True)
        start, to = neighbours_along(local.reshape(-1, 2), len(nodes))
        at_corner = np.flatnonzero(self._is_corner[nodes])
        begin = int(at_corner[0]) if len(at_corner) else 0
        walk, before, at = [begin], -1, begin
        for _ in range(len(edges)):
            beside = to[start[at] : start[at + 1]].tolist()
            ahead = [k for k in beside if k != before] or beside
            before, at = at, ahead[0]
            walk.append(at)
        found = nodes[walk]
        if not len(at_corner):
            return Chain(found[:-1], patches, ())
        return Chain(found, patches, (int(found[0]), int(found[-1])))

    @cached_property
    def neighbours(self) -> list[set[int]]:
        """Patches beside each patch."""
        found: list[set[int]] = [set() for _ in self.skeleton.table]
        for its in set(self._patches_of_edges):
            for k in its:
                if k >= 0:
                    found[k].update(other for other in its if other >= 0 and other != k)
        return found

    @cached_property
    def loops(self) -> Array:
        """(p,) number of loops that border each patch."""
        n = len(self.skeleton.table)
        pairs = [(row, k) for row, its in enumerate(self._patches_of_edges) for k in its if k >= 0]
        if not pairs:
            return np.zeros(n, np.int64)
        row, patch = np.array(pairs, np.int64).T
        # edges of one patch hang together where they share a node
        key = (patch[:, None] * len(self.points) + self._edges[row]).ravel()
        order = np.argsort(key, kind="stable")
        same = np.flatnonzero(key[order][1:] == key[order][:-1])
        _, label = label_components(len(row), order[same] // 2, order[same + 1] // 2)
        first = np.unique(label, return_index=True)[1]
        return np.bincount(patch[first], minlength=n)
