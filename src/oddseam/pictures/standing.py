"""From where a part is looked at."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.inputs import PointLike

View = Literal["corner", "below", "behind", "front", "back", "left", "right", "top", "bottom"]
#: Towards the eye, in the order of the names.
_TOWARDS = (
    (1.0, -1.5, 0.9), (1.0, -1.5, -0.9), (-1.0, 1.5, 0.9), (0.0, -1.0, 0.0), (0.0, 1.0, 0.0), (-1.0, 0.0, 0.0),
    (1.0, 0.0, 0.0), (0.0, 0.0, 1.0), (0.0, 0.0, -1.0),
)  # fmt: skip


def eye_of(view: View | PointLike) -> Array:
    """A vector towards the eye.

    Raises
    ------
    Refusal
        If it has no direction.
    """
    if isinstance(view, str):
        return np.array(_TOWARDS[get_args(View).index(view)])
    if not np.any(view):
        raise Refusal("view has no direction: its three numbers are all 0")
    return np.array(view, float)
