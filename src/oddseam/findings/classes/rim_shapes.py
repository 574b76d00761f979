"""What rims are: how long and wide, and whether they are the outer border of a sheet or an opening in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.shapes.loops import circle_of
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim

#: Cosine of the angle to the plane of a rim within which the facets beside it run on inwards.
_INWARD = 0.5
#: Least over largest radius of a rim that is round: its length and width are its diameter.
_ROUND = 0.95
#: A sheet whose nodes are this near to the plane of its border, over the size of that, lies in it.
_IN_PLANE = 0.05


@dataclass(frozen=True)
class RimShape:
    """The shape of a closed rim.

    Attributes
    ----------
    length, width : float
        Sides of the smallest rectangle round it in its plane; the diameter of one that is round.
    is_outer : bool
        Whether the sheet lies within it: its outer border, and no opening.
    is_flat : bool
        Whether that sheet lies in its plane, so that a lid would lie on the sheet.
    """

    length: float
    width: float
    is_outer: bool
    is_flat: bool

    @property
    def is_lid(self) -> bool:
        """Whether a fill would lie on the sheet itself."""
        return self.is_outer and self.is_flat


def rim_shape(mesh: Mesh, rim: Rim) -> RimShape:
    """The shape of a rim; linear in its nodes, and in its piece where it is an outer border."""
    points = mesh.nodes[rim.nodes]
    centre, axis, radii = circle_of(points)
    if radii.min() >= _ROUND * radii.max():
        length = width = 2.0 * float(radii.mean())
    else:
        length, width = _rectangle(points - centre, axis)
    c, t = mesh.connectivity, mesh.triangulation
    faces = c.face[rim.corners]
    ends = mesh.nodes[np.stack([mesh.faces.node[rim.corners], mesh.faces.node[c.next[rim.corners]]])]
    beside = _middles(mesh, faces) - ends.mean(axis=0)
    inward = centre - ends.mean(axis=0)
    inward -= np.outer(inward @ axis, axis)
    size = np.linalg.norm(beside, axis=1) * np.linalg.norm(inward, axis=1)
    weight = np.linalg.norm(ends[1] - ends[0], axis=1)
    cosine = np.einsum("ij,ij->i", beside, inward) / np.where(size > 0, size, 1.0)
    is_outer = float(np.average(cosine, weights=weight)) > _INWARD
    is_flat = False
    if is_outer:
        piece = c.piece[faces[0]]
        nodes = np.unique(t.triangles[c.piece[_face_of(mesh, t.element)] == piece])
        is_flat = bool(np.abs((mesh.nodes[nodes] - centre) @ axis).max() <= _IN_PLANE * length)
    return RimShape(length, width, is_outer, is_flat)


def rim_lengths(mesh: Mesh) -> Array:
    """(r,) how long every rim is: the longer side of the smallest rectangle round it."""
    return np.array([rim_shape(mesh, rim).length for rim in mesh.connectivity.rims])


def _middles(mesh: Mesh, faces: Array) -> Array:
    """(k, 3) means of the corners of faces."""
    first, node = mesh.faces.first, mesh.faces.node
    return np.array([mesh.nodes[node[first[k] : first[k + 1]]].mean(axis=0) for k in faces.tolist()])


def _face_of(mesh: Mesh, element: Array) -> Array:
    """The face of every element given."""
    row = np.zeros(mesh.n_elements, np.int64)
    row[mesh.faces.element] = np.arange(len(mesh.faces.element))
    return np.asarray(row[element])


def _rectangle(away: Array, axis: Array) -> tuple[float, float]:
    """Sides of the smallest rectangle round points, seen along an axis."""
    from scipy.spatial import ConvexHull, QhullError

    other = np.eye(3)[int(np.argmin(np.abs(axis)))]
    u = np.cross(axis, other)
    u /= np.linalg.norm(u)
    flat = np.column_stack([away @ u, away @ np.cross(axis, u)])
    try:
        hull = flat[ConvexHull(flat).vertices]
    except (QhullError, ValueError):  # all in a line
        return float(np.linalg.norm(np.ptp(flat, axis=0))), 0.0
    step = np.roll(hull, -1, axis=0) - hull
    along = step / np.linalg.norm(step, axis=1, keepdims=True)
    one = np.ptp(hull @ along.T, axis=0)
    two = np.ptp(hull @ np.column_stack([-along[:, 1], along[:, 0]]).T, axis=0)
    k = int(np.argmin(one * two))
    return float(max(one[k], two[k])), float(min(one[k], two[k]))
