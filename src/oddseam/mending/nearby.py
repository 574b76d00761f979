"""What lies near what was changed, so that only that need be looked at again.

The boxes of some triangles are marked on a grid over the mesh, and a table of sums over the grid (F. C. Crow
1984, Summed-area tables for texture mapping) tells of every other box whether it meets a marked one.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.crossings import crossing_pairs
from oddseam.geometry.triangles import boxes
from oddseam.model import Mesh

#: Cells of the grid along each axis, times the cube root of the number of boxes.
_CELLS = 1.7


def rows_near(low: Array, high: Array, marked: Array) -> Array:
    """Rows of boxes that may meet a marked one, those themselves included; O(n).

    Parameters
    ----------
    low, high : (n, 3) float arrays
    marked : int array
        Rows.
    """
    if not len(marked):
        return marked
    cells = 1 + int(_CELLS * len(low) ** (1 / 3))
    base = low.min(axis=0)
    step = np.maximum((high.max(axis=0) - base) / cells, 1e-300)
    first = np.clip(((low - base) / step).astype(np.int64), 0, cells - 1)
    last = np.clip(((high - base) / step).astype(np.int64), 0, cells - 1) + 1
    # a box adds one at its corners, with signs, and sums over all axes fill it
    sums = np.zeros((cells + 1,) * 3, np.int64)
    for corner in range(8):
        ends = [last[marked, k] if corner >> k & 1 else first[marked, k] for k in range(3)]
        np.add.at(sums, tuple(ends), -1 if corner.bit_count() % 2 else 1)
    covered = np.cumsum(np.cumsum(np.cumsum(sums, axis=0), axis=1), axis=2)[:-1, :-1, :-1] > 0
    table = np.zeros((cells + 1,) * 3, np.int64)
    table[1:, 1:, 1:] = np.cumsum(np.cumsum(np.cumsum(covered, axis=0), axis=1), axis=2)
    count = np.zeros(len(low), np.int64)
    for corner in range(8):
        ends = [last[:, k] if corner >> k & 1 else first[:, k] for k in range(3)]
        count += (1 if (3 - corner.bit_count()) % 2 == 0 else -1) * table[tuple(ends)]
    return np.flatnonzero(count)


def elements_about(mesh: Mesh, rows: Array) -> Array:
    """Elements of some triangles and of those round about, so that what is cut at these lies well within.

    They are those at the nodes of the triangles, all that lie near these, and those at the nodes of all.
    """
    t = mesh.triangulation
    at = np.zeros(mesh.n_nodes, bool)
    at[t.triangles[rows]] = True
    near = rows_near(*boxes(mesh.nodes[t.triangles]), np.flatnonzero(at[t.triangles].any(axis=1)))
    at[t.triangles[near]] = True
    return np.unique(t.element[at[t.triangles].any(axis=1)])


def crossing_again(old: Mesh, pairs: Array, new: Mesh) -> Array:
    """Pairs of triangles that cross in a mesh made from another one, of which they are known.

    Only what is not as it was, or crossed before, is looked at, and what lies near it.
    """
    was, now = old.triangulation, new.triangulation
    names = old.element_ids[was.element]
    order = np.argsort(names, kind="stable")
    ids = new.element_ids[now.element]
    at = np.searchsorted(names[order], ids)
    known = at < len(order)
    row = order[np.minimum(at, len(order) - 1)]
    known &= names[row] == ids
    known &= (new.nodes[now.triangles] == old.nodes[was.triangles[row]]).all(axis=(1, 2))
    crossed = np.zeros(len(names), bool)
    crossed[pairs] = True
    marked = np.flatnonzero(~known | crossed[row])
    near = rows_near(*boxes(new.nodes[now.triangles]), marked)
    return np.asarray(near[crossing_pairs(new.nodes, now.triangles[near])])
