"""Planes as they are said: ``"x=12.5"``, six numbers, or a point and a normal."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal

#: A plane: ``"x=12.5"``, or a point on it and its normal.
Plane = str | tuple[tuple[float, float, float], tuple[float, float, float]]


def as_plane(said: Plane, what: str = "cut") -> tuple[Array, Array]:
    """A point on the plane and its unit normal; ``what`` it is for.

    Raises
    ------
    Refusal
        If it cannot be understood.
    """
    if isinstance(said, str):
        axis, _, value = said.partition("=")
        words = [axis.strip(), value] if value else said.split(",")
        try:
            if words[0] in ("x", "y", "z") and len(words) == 2:
                normal = np.eye(3)["xyz".index(words[0])]
                return normal * float(words[1]), normal
            point, normal = np.array(words, float).reshape(2, 3)
        except ValueError:
            raise Refusal(f"{what} {said!r}: say x=NUMBER (or y, z), or six numbers: a point and a normal") from None
    else:
        point, normal = (np.array(one, float) for one in said)
    size = np.linalg.norm(normal)
    if not (np.isfinite(point).all() and np.isfinite(size) and size > 0):
        raise Refusal(f"{what} {said!r}: a plane has a finite point and a normal that is not zero")
    return point, normal / size
