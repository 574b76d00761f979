"""Limits that a survey judges by, each with its reason."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Limits:
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
    crumb: float = 0.005
    rim: float = 0.05
