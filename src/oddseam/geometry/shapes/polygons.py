"""Cutting polygons into triangles.

Ears are clipped in the plane of the polygon (Meisters, 1975, "Polygons have ears"), so that
concave ones come out without folds.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, for_kernels


def triangulate_polygons(points: Array, first: Array) -> Array:
    """Triangles of polygons.

    Parameters
    ----------
    points : (c, 3) float64 array
        Corners of all polygons, one after the other.
    first : (p + 1,) int array
        Corners of polygon i are ``first[i]`` to ``first[i + 1] - 1``, three or more.

    Returns
    -------
    (t, 3) int64 array
        Rows of ``points``; n - 2 for a polygon of n corners, in the order of the polygons.

    Notes
    -----
    O(n) for a convex polygon of n corners, O(n**2) at most for a plain one.
    """
    from oddseam.compiled import announce
    from oddseam.geometry.kernels.ears import clip_ears

    announce(clip_ears)
    first = np.ascontiguousarray(first, np.int64)
    triangles = np.empty((int(first[-1] - first[0]) - 2 * (len(first) - 1), 3), np.int64)
    clip_ears(for_kernels(points), first, triangles)
    return triangles
