"""Parts: named groups of elements with the data a solver wants of them."""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.errors import MeshError
from oddseam.inputs import Given

#: What a boundary is for most flow solvers.
BOUNDARY_KINDS = ("wall", "inlet", "outlet", "symmetry")


@dataclass(frozen=True)
class Material(Given):
    """A linear, isotropic material, in the units of the model.

    Attributes
    ----------
    young : float or None
        Young's modulus.
    poisson : float or None
        Poisson's ratio.
    density : float or None
        Mass density.
    """

    id: int
    young: float | None = None
    poisson: float | None = None
    density: float | None = None
    name: str = ""


@dataclass(frozen=True)
class Part(Given):
    """A named group of elements: a property, a boundary, a solid of a file.

    Attributes
    ----------
    name : str
        Shown to people.
    id : int
        Property number in a deck.
    boundary : str or None
        One of :data:`BOUNDARY_KINDS`, or a word of your own.
    thickness : float or None
        Of a shell.
    material : Material or None
        What it is made of.
    """

    name: str
    id: int
    boundary: str | None = None
    thickness: float | None = None
    material: Material | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.boundary is not None and not self.boundary.strip():
            raise MeshError(f"part {self.name!r}: its boundary kind is empty")
        if self.thickness is not None and not self.thickness > 0:
            raise MeshError(f"part {self.name!r}: thickness {self.thickness} is not positive")
