"""Edges, fans, rims and pieces of the faces of a mesh.

Words: an edge is *free* with one face, *non-manifold* with three and more; a *fan* is a run of
faces round a node, joined across two-face edges; a *rim* is a chain of free edges, linked
through the fans at their ends; a *piece* is what hangs together through edges.  A face that
has the same node twice takes no part.  Everything is computed by sorting, in O(n log n) or
better, with arrays of 32 bits: a surface may have two thousand million corners.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edge_keys
from oddseam.geometry.triangles import order_corners
from oddseam.model.faces import Faces


@dataclass(frozen=True, eq=False)
class Rim:
    """A chain of free edges.

    Attributes
    ----------
    nodes : (k,) int32 array
        Node indices in order; a closed rim does not repeat its first node.
    corners : (k,) int32 array
        Corners (see ``Faces``) whose edges make the rim; k - 1 if it is not closed.
    closed : bool
        False where non-manifold edges interrupt it.
    """

    nodes: Array
    corners: Array
    closed: bool


def label_components(count: int, a: Array, b: Array) -> tuple[int, Array]:
    """Number of connected components of ``count`` things linked by pairs (a, b), and labels.

    Labels count up in the order of the first member of each component.
    """
    from oddseam.compiled import announce
    from oddseam.model.kernels.component_labels import label_links

    announce(label_links)
    label = np.empty(count, np.int32)
    n = int(label_links(np.ascontiguousarray(a, np.int32), np.ascontiguousarray(b, np.int32), label))
    return n, label


class Connectivity:
    """Connectivity of faces; every part of it is computed on first use and kept.

    Parameters
    ----------
    faces : Faces
    n_nodes : int

    Attributes
    ----------
    next, previous : (c,) int32 arrays
        Neighbouring corners in the same face.
    face : (c,) int32 array
        Face of every corner.
    """

    def __init__(self, faces: Faces, n_nodes: int) -> None:
        self.faces, self.n_nodes = faces, n_nodes
        c = len(faces.node)
        size = np.diff(faces.first)
        self.face = np.repeat(np.arange(len(faces), dtype=np.int32), size)
        self.next = np.arange(1, c + 1, dtype=np.int32)
        self.previous = np.arange(-1, c - 1, dtype=np.int32)
        if c:
            self.next[faces.first[1:] - 1] = faces.first[:-1]
            self.previous[faces.first[:-1]] = faces.first[1:] - 1

    # ------------------------------------------------------------------ edges

    @cached_property
    def is_sound(self) -> Array:
        """(f,) bool: whether the corners of a face are all different nodes."""
        node, sound = self.faces.node, np.ones(len(self.faces), bool)
        sound[self.face[node == node[self.next]]] = False
        quad = np.flatnonzero(np.diff(self.faces.first) == 4)
        at = self.faces.first[quad]
        sound[quad[(node[at] == node[at + 2]) | (node[at + 1] == node[at + 3])]] = False
        return sound

    @cached_property
    def _sorted(self) -> tuple[Array, Array, Array, Array]:
        """Edges (e, 2), corners sorted by edge, first of each edge (e + 1,), edge of each corner."""
        node = self.faces.node
        corner = np.flatnonzero(self.is_sound[self.face]).astype(np.int32)
        first, edge_of = order_corners(node, self.next, self.n_nodes, corner)
        at = corner[first[:-1]]
        one, other = node[at], node[self.next[at]]
        return np.column_stack([np.minimum(one, other), np.maximum(one, other)]), corner, first, edge_of

    @property
    def edges(self) -> Array:
        """(e, 2) int32: nodes of every edge, smaller first, sorted."""
        return self._sorted[0]

    def numbers_of(self, ends: Array) -> Array:
        """(k,) int64: the edge that joins two nodes each (k, 2); -1 where there is none.  O(k log e)."""
        n = max(self.n_nodes, 1)
        keys = edge_keys(self.edges, n)
        if not len(keys) or not len(ends):
            return np.full(len(ends), -1)
        wanted = edge_keys(ends, n)
        at = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        return np.where(keys[at] == wanted, at, -1)

    @property
    def edge_of(self) -> Array:
        """(c,) int32: edge that starts at each corner, -1 in a face that takes no part."""
        return self._sorted[3]

    @cached_property
    def face_count(self) -> Array:
        """(e,) number of faces at every edge."""
        return np.diff(self._sorted[2])

    @cached_property
    def is_free(self) -> Array:
        """(e,) bool: one face."""
        return np.asarray(self.face_count == 1)

    @cached_property
    def is_nonmanifold(self) -> Array:
        """(e,) bool: three faces or more."""
        return np.asarray(self.face_count > 2)

    @cached_property
    def pairs(self) -> Array:
        """(p, 2) int32: the two corners of every two-face edge."""
        first = self._sorted[2][:-1][self.face_count == 2]
        return np.column_stack([self._sorted[1][first], self._sorted[1][first + 1]])

    @cached_property
    def pair_edges(self) -> Array:
        """(p,) edge of each row of ``pairs``."""
        return np.flatnonzero(self.face_count == 2)

    @cached_property
    def pair_agrees(self) -> Array:
        """(p,) bool: the two faces run along the edge in opposite directions, as they should."""
        node = self.faces.node
        return np.asarray(node[self.pairs[:, 0]] != node[self.pairs[:, 1]])

    @cached_property
    def pairs_at(self) -> tuple[Array, Array]:
        """Rows of ``pairs`` at every node: where those of each begin (n + 1,), and the rows."""
        ends = self.edges[self.pair_edges].ravel()
        order = np.argsort(ends, kind="stable")
        return np.searchsorted(ends[order], np.arange(self.n_nodes + 1)), order // 2

    @cached_property
    def twin(self) -> Array:
        """(c,) int32: the corner across a two-face edge, or -1."""
        twin = np.full(len(self.faces.node), -1, np.int32)
        a, b = self.pairs.T
        twin[a], twin[b] = b, a
        return twin

    def corners_of_edge(self, edge: int) -> Array:
        """Corners whose edge this is."""
        first = self._sorted[2]
        return self._sorted[1][first[edge] : first[edge + 1]]

    # ------------------------------------------------------------------ fans

    @cached_property
    def fan(self) -> Array:
        """(c,) label of the fan of every corner."""
        node, (a, b) = self.faces.node, self.pairs.T
        same = node[a] == node[b]  # the two faces disagree: both corners sit at the same end
        other_a, other_b = np.where(same, b, self.next[b]), np.where(same, self.next[b], b)
        links = (np.concatenate([a, self.next[a]]), np.concatenate([other_a, other_b]))
        return label_components(len(node), *links)[1]

    @cached_property
    def nonmanifold_nodes(self) -> Array:
        """Nodes with more than one fan, or on a non-manifold edge, ascending."""
        corner = np.flatnonzero(self.is_sound[self.face])
        fan = self.fan[corner]
        once = corner[np.diff(np.maximum.accumulate(fan), prepend=-1) > 0]  # labels count up
        many = np.bincount(self.faces.node[once], minlength=self.n_nodes) > 1
        many[self.edges[self.is_nonmanifold]] = True
        return np.flatnonzero(many)

    # ------------------------------------------------------------------ rims

    @cached_property
    def _rim_ends(self) -> tuple[Array, Array]:
        """Free corners, and the fans (2, k) at the two ends of each."""
        corner = self._sorted[1][self._sorted[2][:-1][self.is_free]]
        return corner, np.stack([self.fan[corner], self.fan[self.next[corner]]])

    @cached_property
    def _rim_labels(self) -> tuple[int, Array]:
        corner, ends = self._rim_ends
        fans, local = np.unique(ends, return_inverse=True)
        local = local.reshape(2, -1)
        n, label = label_components(len(fans), local[0], local[1])
        return n, label[local[0]] if len(corner) else np.zeros(0, np.int32)

    @property
    def n_rims(self) -> int:
        """Number of rims."""
        return self._rim_labels[0] if len(self._rim_ends[0]) else 0

    @property
    def rim_corners(self) -> tuple[Array, Array]:
        """Corners whose edges are free (k,), and the rim that each is on."""
        return self._rim_ends[0], self._rim_labels[1]

    def measure_rims(self, nodes: Array) -> tuple[Array, Array, Array]:
        """Number of edges (r,), box diagonal (r,) and middle of the box (r, 3) of every rim."""
        corner, label = self.rim_corners
        count = self.n_rims
        low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
        for end in (corner, self.next[corner]):
            points = nodes[self.faces.node[end]]
            np.minimum.at(low, label, points)
            np.maximum.at(high, label, points)
        return np.bincount(label, minlength=count), np.linalg.norm(high - low, axis=1), (low + high) / 2

    @cached_property
    def rims(self) -> list[Rim]:
        """All rims, in the order of ``measure_rims``, each run through along its faces.

        The nodes of a rim run in the direction of its first face.
        """
        corner, ends = self._rim_ends
        label = self._rim_labels[1]
        # mate[s, i]: the free edge (and which end of it) that shares the fan at end s of edge i
        k = len(corner)
        flat = ends.ravel()
        order = np.argsort(flat, kind="stable")
        mate = np.full(2 * k, -1)
        twice = np.flatnonzero(flat[order][1:] == flat[order][:-1])
        mate[order[twice]], mate[order[twice + 1]] = order[twice + 1], order[twice]
        start_of: dict[int, int] = {}
        for i in range(k - 1, -1, -1):
            start_of[int(label[i])] = i
        node, after = self.faces.node, self.next
        rims = []
        for r in range(self.n_rims):
            # walk back to an open end first, if there is one
            begin, side = start_of[r], 0
            for _ in range(k):
                previous = mate[begin + k * side]
                if previous < 0 or previous % k == start_of[r]:
                    break
                begin, side = previous % k, 1 - previous // k
            closed = mate[begin + k * side] >= 0
            if closed:
                begin, side = start_of[r], 0
            at, nodes, chain = begin, [], []
            while True:
                chain.append(corner[at])
                ends_at = (node[corner[at]], node[after[corner[at]]])
                nodes.append(ends_at[side])
                following = mate[at + k * (1 - side)]
                if following < 0:
                    nodes.append(ends_at[1 - side])
                    break
                at, side = following % k, following // k
                if at == begin:
                    break
            rims.append(Rim(np.array(nodes, np.int32), np.array(chain, np.int32), closed))
        return rims

    # ------------------------------------------------------------------ pieces

    @cached_property
    def _pieces(self) -> tuple[int, Array]:
        f, corner = len(self.faces), np.flatnonzero(self.edge_of >= 0)
        _, label = label_components(f + len(self.edges), self.face[corner], np.int32(f) + self.edge_of[corner])
        label = np.where(self.is_sound, label[:f], -1)
        names, dense = np.unique(label[label >= 0], return_inverse=True)
        piece = np.full(f, -1, np.int32)
        piece[label >= 0] = dense
        return len(names), piece

    @property
    def n_pieces(self) -> int:
        """Number of pieces."""
        return self._pieces[0]

    @property
    def piece(self) -> Array:
        """(f,) int32: piece of every face, -1 for one that takes no part."""
        return self._pieces[1]

    @cached_property
    def neighbours(self) -> tuple[Array, Array]:
        """Nodes joined to each node by an edge: those of i are ``node[first[i]:first[i + 1]]``."""
        a = np.concatenate([self.edges[:, 0], self.edges[:, 1]])
        b = np.concatenate([self.edges[:, 1], self.edges[:, 0]])
        order = np.lexsort((b, a))
        first = np.searchsorted(a[order], np.arange(self.n_nodes + 1))
        return first, b[order]
