"""Creases by dihedral angle."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_shares
from oddseam.geometry.triangles import turn_angles

#: Degrees.
_SMALL = 0.5


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

    def run(start: int, stop: int) -> Array:
        one, two = (normals[pairs[start:stop, k]] for k in (0, 1))
        known = one.any(axis=1) & two.any(axis=1)
        if angle < _SMALL:  # a cosine does not tell small angles apart
            two = np.where(agrees[start:stop, None], two, -two)
            return np.asarray(known & (turn_angles(one, two) > angle))
        cosine = np.einsum("ij,ij->i", one, two) * np.where(agrees[start:stop], 1.0, -1.0)
        return np.asarray(known & (cosine < np.cos(np.radians(angle))))

    return np.concatenate(in_shares(run, len(pairs), least=50_000, most=50_000))
