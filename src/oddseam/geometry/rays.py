"""What rays meet first: along the normals of facets walls and gaps, from pieces what lies about them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.boxtree import boxes_in_order
from oddseam.geometry.threads import in_shares
from oddseam.geometry.triangles import unit_normals

#: As good as no end; what is not met is infinitely far.
_FAR = float(np.finfo(float).max)


class RayTree:
    """Boxes round triangles, for rays that start on one of them.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int32 array
        At least one.
    """

    def __init__(self, nodes: Array, triangles: Array) -> None:
        self._nodes, self._triangles = nodes, triangles
        self._order, self._box = boxes_in_order(nodes, triangles)
        self._sorted = triangles[self._order]
        self._rank = np.empty(len(triangles), np.int64)
        self._rank[self._order] = np.arange(len(triangles))

    def along_normals(self, facets: Array, sense: float, limit: float) -> tuple[Array, Array]:
        """What is met first on the way along the normals of facets.

        Parameters
        ----------
        facets : (k,) int array
            Rows of the triangles; each ray starts in the middle of its own and does not meet it.
        sense : float
            1 along the normals, -1 against them.
        limit : float
            Rays end here.

        Returns
        -------
        distance : (k,) float array
            Infinite where nothing is met.
        triangle : (k,) int64 array
            Row that is met; -1 for none.
        """

        def rays(start: int, stop: int) -> tuple[Array, Array]:
            corners = self._nodes[self._triangles[facets[start:stop]]]
            return corners.mean(axis=1), sense * unit_normals(corners)

        return self._cast(rays, facets, limit)

    def along(self, origins: Array, direction: Array, facets: Array) -> tuple[Array, Array]:
        """What is met first from points (k, 3) on in one direction; as above, each but for its own facet."""
        return self._cast(
            lambda start, stop: (origins[start:stop], np.tile(direction, (stop - start, 1))), facets, _FAR
        )

    def _cast(
        self, rays: Callable[[int, int], tuple[Array, Array]], facets: Array, limit: float
    ) -> tuple[Array, Array]:
        from oddseam.compiled import announce
        from oddseam.geometry.ray_kernels import cast_rays

        announce(cast_rays)
        distance, row = np.full(len(facets), limit), np.full(len(facets), -1, np.int64)

        def run(start: int, stop: int) -> None:
            cast_rays(
                *rays(start, stop), self._rank[facets[start:stop]], self._nodes, self._sorted, self._box,
                distance[start:stop], row[start:stop],
            )  # fmt: skip

        in_shares(run, len(facets), most=50_000)
        distance[row < 0] = np.inf
        return distance, np.where(row >= 0, self._order[row], -1)
