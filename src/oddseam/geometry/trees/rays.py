"""What rays from facets meet: first along their normals, walls and gaps; or all on the way."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.geometry.threads import in_shares
from oddseam.geometry.trees.boxtree import Boxes, boxes_in_order
from oddseam.geometry.triangles import unit_normals


class RayTree:
    """Boxes round triangles, for rays that start on one of them.

    Parameters
    ----------
    nodes : (n, 3) float64 array
    triangles : (m, 3) int32 array
        At least one.
    """

    def __init__(self, nodes: Array, triangles: Array, boxes: Boxes | None = None) -> None:
        self._nodes, self._triangles = for_kernels(nodes), triangles
        self._order, self._box = boxes_in_order(nodes, triangles) if boxes is None else boxes
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
        from oddseam.compiled import announce
        from oddseam.geometry.kernels.ray_casts import cast_rays

        announce(cast_rays)
        distance, row = np.full(len(facets), limit), np.full(len(facets), -1, np.int64)

        def run(start: int, stop: int) -> None:
            mine = facets[start:stop]
            corners = self._nodes[self._triangles[mine]]
            origins, directions = corners.mean(axis=1), sense * unit_normals(corners)
            cast_rays(
                origins, directions, self._rank[mine], self._nodes, self._sorted, self._box,
                distance[start:stop], row[start:stop],
            )  # fmt: skip

        in_shares(run, len(facets), most=50_000)
        distance[row < 0] = np.inf
        return distance, np.where(row >= 0, self._order[row], -1)

    def all_along(self, origins: Array, direction: Array, facets: Array) -> tuple[Array, Array]:
        """All that is met on the way from points in one direction, except for the facet that each point lies in.

        Parameters
        ----------
        origins : (k, 3) float array
        direction : (3,) float array
        facets : (k,) int array
            Rows of the triangles.

        Returns
        -------
        ray, triangle : (h,) int64 arrays
            Row of ``origins`` and row that is met.
        """
        from oddseam.compiled import announce
        from oddseam.geometry.kernels.ray_casts import follow_ray

        announce(follow_ray)
        directions, own = np.tile(direction, (len(facets), 1)), self._rank[facets]
        met = np.empty(64, np.int64)
        found = []
        for k in range(len(facets)):
            count = int(follow_ray(k, origins, directions, own, self._nodes, self._sorted, self._box, met))
            if count > len(met):
                met = np.empty(2 * count, np.int64)
                follow_ray(k, origins, directions, own, self._nodes, self._sorted, self._box, met)
            found.append(self._order[met[:count]])
        return np.repeat(np.arange(len(facets)), [len(rows) for rows in found]), np.concatenate(found)
