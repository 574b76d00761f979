"""Pairs of triangles that cross, when those are known of a surface that was nearly the same.

Whether two triangles cross depends on their six corners alone: a pair neither of which has changed is as it was, and
only what lies near a changed triangle is compared with that.  The answer is the same as from the start.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.crossings import crossing_pairs
from oddseam.geometry.trees.near_boxes import rows_near
from oddseam.geometry.triangles import boxes

#: With a larger share of changed triangles it is as quick to begin anew.
_MOST = 0.5


@dataclass(frozen=True, eq=False)
class Surface:
    """Corners (m, 3, 3) of triangles, and names (m,), the same for those that are one element."""

    corners: Array
    names: Array


def crossing_pairs_again(old: Surface, pairs: Array, nodes: Array, triangles: Array, names: Array) -> Array | None:
    """Pairs of triangles whose interiors meet, sorted; ``None`` if too much has changed.

    Parameters
    ----------
    old : Surface
    pairs : (k, 2) int array
        Its triangles that cross.
    nodes, triangles : (n, 3) float64 and (m, 3) int arrays
        What it has become.
    names : (m,) int array
        Triangles of one name at most are compared with one another.
    """
    corners = nodes[triangles]
    was = _matches(old.names, names)
    its = old.corners[np.maximum(was, 0)]
    same = (corners == its).all(axis=(1, 2)) | (corners[:, ::-1] == its).all(axis=(1, 2))
    same |= (corners[:, [0, 2, 1]] == its).all(axis=(1, 2)) | (corners[:, [1, 0, 2]] == its).all(axis=(1, 2))
    known = (was >= 0) & same
    changed = np.flatnonzero(~known)
    if len(changed) > _MOST * len(triangles):
        return None
    now = np.full(len(old.names), -1, np.int64)
    now[was[known]] = np.flatnonzero(known)
    kept = now[pairs]
    kept = kept[(kept >= 0).all(axis=1)]
    near = rows_near(*boxes(corners), changed)
    fresh = near[crossing_pairs(nodes, triangles[near], among=np.flatnonzero(~known[near]))]
    every = np.sort(np.concatenate([kept, fresh]), axis=1).astype(np.int32)
    return np.asarray(every[np.lexsort((every[:, 1], every[:, 0]))])


def _matches(old: Array, new: Array) -> Array:
    """(m,) for each new name the row of the same name, the first for its first row and so on; -1 for none."""
    order, turn = _in_turn(old)
    known = old[order]
    its_order, its_turn = _in_turn(new)
    first = np.searchsorted(known, new[its_order])
    row = first + its_turn
    fits = row < len(known)
    row = np.minimum(row, max(len(known) - 1, 0))
    fits &= (known[row] == new[its_order]) & (turn[row] == its_turn) if len(known) else False
    found = np.full(len(new), -1, np.int64)
    found[its_order] = np.where(fits, order[row] if len(known) else -1, -1)
    return found


def _in_turn(names: Array) -> tuple[Array, Array]:
    """The order of names, and the how-manieth of its name each is in that order."""
    order = np.argsort(names, kind="stable")
    known = names[order]
    begins = np.ones(len(known), bool)
    begins[1:] = known[1:] != known[:-1]
    at = np.arange(len(known))
    return order, at - np.maximum.accumulate(np.where(begins, at, 0)) if len(known) else at
