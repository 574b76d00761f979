"""Which cells are solid, where cells thinner than a file can hold count as their surroundings.

Faces that are meant to lie in one plane cross each other all over, by as much as their nodes were
rounded.  What lies between is a cell of next to no thickness.  Whether it is solid or not is
chosen so that less surface remains; with about as much either way, so that the surface is that of
one piece all over and not now of this one, now of that.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.windings import Windings
from oddseam.geometry.triangles import areas

#: Facets of later pieces count for up to so much more.
_LATER = 0.25
_SWEEPS = 8


def solid_cells(corners: Array, found: Windings, rank: Array, reach: float) -> Array:
    """(c,) bool.

    Parameters
    ----------
    corners : (r, 3, 3) float64 array
        Of the triangles of ``found``.
    found : Windings
    rank : (r,) int array
        Of the triangles; those of lower rank rather remain.
    reach : float
        Mean thickness up to which a cell may be either.
    """
    solid = found.number > 0
    count = len(solid)
    if not reach or not count:
        return solid
    cell = found.cells.cell
    area = areas(corners)
    size = np.bincount(cell.ravel(), np.repeat(area, 2), count)
    is_thin = 2.0 * found.cells.content <= reach * size
    is_thin[found.cells.outermost] = False
    of_cell = np.zeros(count, np.int64)
    of_cell[cell] = found.cells.complex[:, None]
    is_thin &= np.bincount(of_cell)[of_cell] > 2  # what is thin as it was given stays
    cost = area * (1.0 + _LATER * rank / max(int(rank.max()), 1))
    rows = np.flatnonzero(is_thin[cell].any(axis=1))
    at = cell[rows].ravel()
    other = cell[rows][:, ::-1].ravel()
    price = np.repeat(cost[rows], 2)
    order = np.argsort(at, kind="stable")
    at, other, price = at[order], other[order], price[order]
    thin = np.flatnonzero(is_thin)
    begin, end = np.searchsorted(at, thin), np.searchsorted(at, thin, "right")
    for _ in range(_SWEEPS):
        changed = False
        for c, low, high in zip(thin.tolist(), begin.tolist(), end.tolist(), strict=True):
            beside_solid = price[low:high][solid[other[low:high]]].sum()
            beside_none = price[low:high].sum() - beside_solid
            label = bool(beside_solid > beside_none)
            if label != solid[c] and beside_solid != beside_none:
                solid[c] = label
                changed = True
        if not changed:
            break
    return solid
