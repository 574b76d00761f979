"""A plane beneath a piece of surface: from the plane to the surface and back, along one direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.geometry.threads import in_blocks
from oddseam.inputs import PointLike

#: A point this share of an edge outside of a triangle is taken to be within.
_WITHIN = 1e-9


def unit(direction: PointLike, what: str = "direction") -> Array:
    """(3,) a direction as a unit vector.

    Raises
    ------
    Refusal
        If it has no length, or not three numbers.
    """
    vector = np.array(direction, float)
    size = float(np.linalg.norm(vector)) if vector.shape == (3,) else 0.0
    if not 0 < size < np.inf:
        raise Refusal(f"{what} {direction} is not a direction")
    return np.asarray(vector / size)


@dataclass(frozen=True, eq=False)
class Chart:
    """A frame: ``origin`` (3,), and the unit vectors ``u``, ``v`` and ``normal``, right-handed.

    The normal points to the side that the surface looks to.
    """

    origin: Array
    u: Array
    v: Array
    normal: Array

    @classmethod
    def along(cls, origin: Array, normal: Array) -> Chart:
        """With u near to the axis x, or y where the normal is along that."""
        axis = np.eye(3)[0 if abs(normal[0]) < 0.9 else 1]
        u = axis - (axis @ normal) * normal
        u /= np.linalg.norm(u)
        return cls(origin, u, np.cross(normal, u), normal)

    def flat(self, points: Array) -> Array:
        """(k, 2) where points lie in the plane."""
        away = points - self.origin
        return np.stack([away @ self.u, away @ self.v], axis=-1)

    def raised(self, places: Array) -> Array:
        """(k, 3) places of the plane in space."""
        return np.asarray(self.origin + places[:, :1] * self.u + places[:, 1:] * self.v)

    def lifted(self, places: Array, nodes: Array, triangles: Array) -> tuple[Array, Array]:
        """Points of triangles above or below places of the plane.

        Parameters
        ----------
        places : (k, 2) array
        nodes : (n, 3) array
        triangles : (m, 3) int array
            Of which no two lie above one another.

        Returns
        -------
        points : (k, 3) array
        row : (k,) int array
            The triangle; -1 where there is none.
        """
        corners = self.flat(nodes)[triangles]
        a, ab, ac = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        det = ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0]
        safe = np.where(det > 0, det, 1.0)

        def found(its: Array) -> Array:
            """Row, two shares, and how deep within it, of each place."""
            away = its[:, None, :] - a
            s = (away[..., 0] * ac[:, 1] - away[..., 1] * ac[:, 0]) / safe
            t = (ab[:, 0] * away[..., 1] - ab[:, 1] * away[..., 0]) / safe
            depth = np.where(det > 0, np.minimum(np.minimum(s, t), 1.0 - s - t), -np.inf)
            row, every = np.argmax(depth, axis=1), np.arange(len(its))
            return np.column_stack([row, s[every, row], t[every, row], depth[every, row]])

        row, s, t, depth = in_blocks(found, places, len(a)).reshape(-1, 4).T
        row = row.astype(np.int64)
        points = np.einsum("ik,ikd->id", np.column_stack([1.0 - s - t, s, t]), nodes[triangles[row]])
        return points, np.where(depth >= -_WITHIN, row, -1)
