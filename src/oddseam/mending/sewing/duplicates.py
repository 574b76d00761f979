"""Dropping facets that are there more than once.

Usually the first of each is kept.  But a wall of zero thickness, a fin or a wall between two
pieces, is made of facets given twice: there dropping one would leave half a wall.  So for
every group of duplicates that hang together it is counted how many edges would have other
than two facets, or two that disagree about which side is out, if one of each were kept, and if
none were; the better one is taken.  Where all copies together are closed, they are bodies that
share walls, or are given twice: these can be kept for what unites bodies.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edge_keys
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import edited


def drop_duplicates(mesh: Mesh, *, spare_shared: bool = False) -> tuple[Mesh, int, int]:
    """Drop duplicate triangles: the new mesh, how many went, and how many places with all copies.

    ``spare_shared`` keeps all copies where these are closed together.
    """
    rows = mesh.duplicate_triangles
    if not len(rows):
        return mesh, 0, 0
    t = mesh.triangulation
    key = np.sort(t.triangles, axis=1)
    copies, label = _copies(key, rows)
    walls, group = _groups(key, copies, label)
    whole, shared = _judged(key, _directions(t.triangles), copies, label, group, walls)
    gone = np.concatenate([rows, copies[whole[group[label]]]])
    if spare_shared:
        gone = np.setdiff1d(gone, copies[shared[group[label]]])
    return edited(mesh, drop=np.unique(t.element[gone])), len(np.unique(gone)), int(whole.sum())


def _copies(key: Array, rows: Array) -> tuple[Array, Array]:
    """Rows of all facets that have a copy, and for each the number of its facet."""
    marked = np.zeros(int(key.max()) + 1, bool)
    marked[key[rows]] = True
    near = np.flatnonzero(marked[key].all(axis=1))
    label, count = np.unique(key[near], axis=0, return_inverse=True, return_counts=True)[1:]
    label = label.ravel()
    again = count[label] > 1
    return near[again], np.unique(label[again], return_inverse=True)[1]


def _edges(triangles: Array) -> Array:
    """(m, 3) numbers for the edges of sorted triangles; equal edges have equal numbers."""
    return edge_keys(triangles[:, [[0, 1], [1, 2], [0, 2]]], int(triangles.max(initial=0)) + 1)


def _directions(triangles: Array) -> Array:
    """(m, 3) for the edges as :func:`_edges` has them: 1 if the triangle runs to the larger node, else -1."""
    least = np.argmin(triangles, axis=1)
    row = np.arange(len(triangles))
    upward = triangles[row, (least + 1) % 3] < triangles[row, (least + 2) % 3]
    return np.asarray(np.where(upward, 1, -1)[:, None] * np.array([1, 1, -1]))


def _groups(key: Array, copies: Array, label: Array) -> tuple[int, Array]:
    """Facets that hang together through edges: number of groups, and the group of each facet."""
    n = int(label.max()) + 1
    edge = np.unique(_edges(key[copies]), return_inverse=True)[1].reshape(-1, 3)
    count, found = label_components(n + int(edge.max()) + 1, np.repeat(label, 3), n + edge.ravel())
    return count, found[:n]


def _judged(
    key: Array, direction: Array, copies: Array, label: Array, group: Array, n_groups: int
) -> tuple[Array, Array]:
    """(g,) bool each: groups that leave fewer bad edges when all copies go; those closed with all of them."""
    edges = _edges(key)
    its, where = np.unique(edges[copies], return_inverse=True)
    where = where.reshape(-1, 3)
    at = np.searchsorted(its, edges.ravel()).clip(0, len(its) - 1)
    here = its[at] == edges.ravel()
    first = np.unique(label, return_index=True)[1]

    def tally(place: Array, weight: Array) -> tuple[Array, Array]:
        """Facets at each edge, and how many more run one way than the other."""
        place = place.ravel()
        return np.bincount(place, minlength=len(its)), np.bincount(place, weight.ravel(), len(its))

    total, balance = tally(at[here], direction.ravel()[here])
    of_copies, copies_balance = tally(where, direction[copies])
    once, once_balance = tally(where[first], direction[copies[first]])

    def is_bad(count: Array, balance: Array) -> Array:
        return np.asarray((count != 0) & ((count != 2) | (balance != 0)))

    bad_without = is_bad(total - of_copies, balance - copies_balance)
    bad_with = is_bad(total - of_copies + once, balance - copies_balance + once_balance)
    edge_group = np.zeros(len(its), np.int64)
    edge_group[where.ravel()] = np.repeat(group[label], 3)
    score_with = np.bincount(edge_group, bad_with, minlength=n_groups)
    score_without = np.bincount(edge_group, bad_without, minlength=n_groups)

    shared = np.asarray(np.bincount(edge_group, balance != 0, minlength=n_groups) == 0)
    # only copies that look both ways make a wall without thickness; a body given twice is none
    one_way = np.zeros(n_groups, bool)
    one_way[group[np.bincount(label, direction[copies, 0]) != 0]] = True
    whole = (score_without < score_with) & ~one_way
    return np.asarray(whole), shared & ~whole
