"""The simple surface that a recognised patch lies on."""

from __future__ import annotations

import numpy as np

from oddseam.geometry.shapes.primitives import Primitive
from oddseam.model import Patch


def primitive_of(patch: Patch) -> Primitive | None:
    """The simple surface that a patch lies on, or ``None``."""
    if patch.kind == "free-form" or patch.centre is None:
        return None
    axis = np.array(patch.axis if patch.axis is not None else (0.0, 0.0, 1.0))
    return Primitive(patch.kind, np.array(patch.centre), axis, patch.radius or 0.0, patch.tube or 0.0)
