"""Limits that a survey judges by, each with its reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace

from oddseam.errors import Refusal
from oddseam.inputs import Given


@dataclass(frozen=True)
class Limits(Given):
    """Limits of element quality and of size; all can be set.

    Attributes
    ----------
    radius_ratio : float
        Below 0.2 the stiffness matrix of a triangle is about ten times worse conditioned than
        that of the equilateral one.
    aspect_ratio : float
        Above 12 a linear element is several times stiffer across than along.
    minimum_angle : float
        Degrees; below 12 gradients lose a digit, since their error grows with 1 / sin.
    skewness : float
        Above 0.8; says the same of obtuse corners, which the smallest angle does not see.
    scaled_jacobian : float
        Below 0.2 the corner of a quad or a solid is nearly flat, and the mapping of the element
        loses a digit there.
    warpage : float
        Degrees; above 15 the halves of a quad lie so far from one plane that a flat shell
        formulation is off by several percent (1 - cos 15 = 3 %).
    height : float
        Shortest altitude of a tet over its longest edge; below 0.1 it is flat whatever its
        radius ratio says.
    crumb : float
        Box diagonal of a floating piece, over that of the whole, below which it is a crumb;
        half a percent is less than any feature that a part of this size is meshed for.
    rim : float
        Diameter of a rim, over the diagonal of the whole, up to which it is small: damage
        rather than an opening.
    """

    radius_ratio: float = 0.2
    aspect_ratio: float = 12.0
    minimum_angle: float = 12.0
    skewness: float = 0.8
    scaled_jacobian: float = 0.2
    warpage: float = 15.0
    height: float = 0.1
    crumb: float = 0.005
    rim: float = 0.05


#: All limits, or some by name, which count instead of the usual ones.
LimitsLike = Limits | Mapping[str, float]
#: What values each can have: no element is better than one end of it.
RANGES = {
    "radius_ratio": (0.0, 1.0), "aspect_ratio": (1.0, 1e12), "minimum_angle": (0.0, 90.0), "skewness": (0.0, 1.0),
    "scaled_jacobian": (-1.0, 1.0), "warpage": (0.0, 180.0), "height": (0.0, 1.0), "crumb": (0.0, 1.0),
    "rim": (0.0, 1.0),
}  # fmt: skip


def by_name(limits: LimitsLike | None) -> dict[str, float]:
    """The limits that are given.

    Raises
    ------
    Refusal
        If there is no such limit, or its value makes no sense.
    """
    given = {one.name: getattr(limits, one.name) for one in fields(limits)} if isinstance(limits, Limits) else limits
    for name, value in (given or {}).items():
        if name not in RANGES:
            raise Refusal(f"there is no limit {name!r}; there are {', '.join(RANGES)}")
        low, high = RANGES[name]
        if not low <= value <= high:
            raise Refusal(f"the limit {value:g} of {name} makes no sense: it lies between {low:g} and {high:g}")
    return dict(given or {})


def limits_with(limits: LimitsLike | None) -> Limits:
    """The limits of quality, with those that are given."""
    return replace(Limits(), **by_name(limits))
