"""Bands of long facets that follow one another round a cylinder or a cone.

Exporters lay but one row of facets on these, from ring to ring.  What lies about such a facet, near by, is beyond the
ends of it, on tangent surfaces; but all normals of its band make one angle with the axis, and its long sides do not
run round that.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from oddseam.arrays import Array
from oddseam.features.kernels import patch_growth

#: A facet is slender if its longest side is so many times its shortest.
_SLENDER = 4.0
#: A band ends where the surface turns by so many degrees, or facets are smaller by this factor; nearly all round.
_KINK, _LONGER, _MOSTLY = 12.0, 1.5, 0.9
#: Normals beside a facet that are looked at for an axis; cosines of the angle with it may differ by this share of the
#: turn from one facet to the next.
_BESIDE, _ONE_ANGLE = 6, 0.1


class Bands:
    """Bands among facets without label.

    Parameters
    ----------
    nodes : (n, 3) array
    triangles, across : (m, 3) int arrays
    area : (m,) array
    normals : (m, 3) array
    label : (m,) int array
        It may change from call to call; facets with one are not looked at.
    tolerance : float
        Root mean square distance of nodes from the surfaces that they stand for.

    Attributes
    ----------
    is_slender : (m,) bool array
    """

    def __init__(
        self, nodes: Array, triangles: Array, across: Array, area: Array, normals: Array, label: Array, tolerance: float
    ) -> None:
        self._nodes, self._triangles, self._across = nodes, triangles, across
        self._area, self._normals, self._label, self._tolerance = area, normals, label, tolerance
        m = len(triangles)
        self._queue, self._mark, self._stamp = np.empty(m, np.int32), np.zeros(m, np.int32), 0
        corners = nodes[triangles]
        sides = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
        self._longest = sides.max(axis=1)
        self.is_slender = self._longest >= _SLENDER * sides.min(axis=1)

    def at(self, seed: int, most: int, least: int) -> Iterator[Array]:
        """Rows of bands that a facet may be on, of a number of facets from ``least`` to ``most``.

        The normals on two sides of what lies flat with it, and its own, tell an axis.
        """
        beside = np.empty((_BESIDE, 3))
        self._stamp += 1
        count = patch_growth.beside(
            seed, self._normals, self._across, self._label, self._queue, self._mark, self._stamp, beside
        )
        unsure = self._tolerance * self._longest[seed] / self._area[seed]  # of the turn, for nodes are off
        for one, two in combinations(beside[:count] - self._normals[seed], 2):
            reach = _ONE_ANGLE * min(float(np.linalg.norm(one)), float(np.linalg.norm(two)))
            axis = np.cross(one, two)
            size = float(np.linalg.norm(axis))
            if not size > 0 or reach < unsure:
                continue
            self._stamp += 1
            count = patch_growth.alike(
                seed, most, axis / size, reach, self._nodes, self._triangles, self._normals, self._across,
                self._label, self._queue, self._mark, self._stamp,
            )  # fmt: skip
            if count >= least:
                yield self._queue[:count].copy()

    def stand_out(self, facets: Array) -> bool:
        """Whether facets are more than one of many bands of something smooth: longer than others, or beside a kink."""
        self._stamp += 1
        self._mark[facets] = self._stamp
        beyond = self._across[facets].ravel()
        row = np.repeat(facets, 3)
        free = (beyond >= 0) & (self._label[beyond] < 0) & (self._mark[beyond] != self._stamp)
        row, beyond = row[free], beyond[free]
        cosine = np.einsum("ij,ij->i", self._normals[row], self._normals[beyond])
        ends = (cosine <= np.cos(np.radians(_KINK))) | (self._area[row] >= _LONGER * self._area[beyond])
        return bool(ends.sum() >= _MOSTLY * len(ends))
