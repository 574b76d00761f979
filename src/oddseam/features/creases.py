"""Creases by dihedral angle."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import turn_angles


def sharp_pairs(normals: Array, pairs: Array, agrees: Array, angle: float) -> Array:
    """(p,) bool: which pairs of faces turn by more than ``angle`` degrees.

    Parameters
    ----------
    normals : (f, 3) array
        Unit normals of the faces; zero where a face has none.
    pairs : (p, 2) int array
        Faces on both sides of an edge.
    agrees : (p,) bool array
        Whether both run along the edge in opposite directions.
    """
    one, two = normals[pairs[:, 0]], normals[pairs[:, 1]]
    two = np.where(agrees[:, None], two, -two)
    known = (np.abs(one).sum(axis=1) > 0) & (np.abs(two).sum(axis=1) > 0)
    sharp: Array = known & (turn_angles(one, two) > angle)
    return sharp
