"""What a mesh *is*: nodes, elements, parts, groups, and the connectivity derived from them."""

from oddseam.model.elements import Elements
from oddseam.model.groups import Groups
from oddseam.model.kinds import KINDS, ElementKind
from oddseam.model.mesh import Mesh
from oddseam.model.parts import Material, Part
from oddseam.model.shape import Creases, Patch, Patches
from oddseam.model.source import Source

__all__ = [
    "KINDS",
    "Creases",
    "ElementKind",
    "Elements",
    "Groups",
    "Material",
    "Mesh",
    "Part",
    "Patch",
    "Patches",
    "Source",
]
