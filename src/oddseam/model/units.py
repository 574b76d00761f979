"""Units of length, and changing them."""

from __future__ import annotations

from typing import Literal

from oddseam.errors import Refusal

Unit = Literal["um", "mm", "cm", "m", "in", "ft"]
#: Metres in one unit of length.
METRES = {"um": 1e-6, "mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254, "ft": 0.3048}


def check_unit(unit: str | None) -> str | None:
    """The unit, if it is a known one; ``None`` stays unknown."""
    if unit is not None and unit not in METRES:
        raise Refusal(f"unit {unit!r} is not known; use one of {', '.join(METRES)}")
    return unit
