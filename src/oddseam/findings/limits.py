"""Limits that a survey judges by, each with its reason."""

from __future__ import annotations

from dataclasses import dataclass

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
