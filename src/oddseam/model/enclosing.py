"""Whether points lie in the space that a mesh encloses."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_shares
from oddseam.model.mesh import Mesh


def is_inside(mesh: Mesh, points: Array) -> Array:
    """(k,) bool: which points lie in the space that a mesh encloses, by winding number.

    O(k m) for k points in the box of its m facets.
    """
    from oddseam.compiled import announce
    from oddseam.geometry.solid_angle_kernels import add_turns

    announce(add_turns)
    corners = np.ascontiguousarray(mesh.nodes[mesh.triangulation.triangles])
    low, high = mesh.box
    rows = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
    near = np.ascontiguousarray(points[rows])
    turns = np.zeros(len(rows))
    in_shares(lambda start, stop: add_turns(near[start:stop], corners, turns[start:stop]), len(rows), most=2_000)
    found = np.zeros(len(points), bool)
    found[rows[np.abs(turns) > 0.5]] = True
    return found
