"""Moving single nodes where elements are distorted too much, see :mod:`oddseam.morphing.kernels.mesh_relaxing`."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.geometry.threads import in_shares
from oddseam.morphing.follows.simplices import around

#: A uniform compression to a half has this distortion; nodes of elements that are distorted more are moved.
_ENOUGH = 1.3
#: Rounds through the nodes.
_SWEEPS = 20


def relaxed(points: Array, start: Array, simplices: Array, nodes: Array, normal: Array | None = None) -> int:
    """Move nodes (r,) in place so that no simplex at them is distorted much against ``start``; the number of moves.

    Parameters
    ----------
    points, start : (n, 3) arrays
    simplices : (s, 3) or (s, 4) int32 array
    nodes : (r,) int array
    normal : (r, 3) array, optional
        On triangles a node moves across its normal only.
    """
    if not len(nodes) or not len(simplices):
        return 0
    from oddseam.compiled import announce
    from oddseam.morphing.kernels import mesh_relaxing

    announce(mesh_relaxing.relax)
    row, first, of = around(simplices, nodes, len(points))
    across = np.zeros((len(nodes), 3)) if normal is None else normal
    nodes = np.ascontiguousarray(nodes, np.int64)
    return int(
        mesh_relaxing.relax(
            points, for_kernels(start), across, np.ascontiguousarray(simplices), nodes, row, first, of, _ENOUGH, _SWEEPS
        )
    )


def distortion(points: Array, start: Array, simplices: Array) -> Array:
    """(s,) distortion of simplices against ``start``; infinite where a tet is inverted or flat."""
    from oddseam.morphing.kernels import mesh_relaxing

    simplices, out = np.ascontiguousarray(simplices), np.empty(len(simplices))
    was = for_kernels(start)
    in_shares(lambda i, j: mesh_relaxing.distortions(i, j, points, was, simplices, out), len(simplices))
    return out
