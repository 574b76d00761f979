"""Element types, boundary kinds and units of CGNS, as its standard interface data structures name them."""

from __future__ import annotations

from oddseam.formats.decks import HEX_ORDER, WEDGE_ORDER

#: Type number, name, our kind, nodes in the file, and where our local nodes stand among them.
_ROWS: list[tuple[int, str, str, int, tuple[int, ...]]] = [
    (2, "NODE", "point", 1, (0,)), (3, "BAR_2", "line", 2, (0, 1)), (4, "BAR_3", "line3", 3, (0, 1, 2)),
    (5, "TRI_3", "tri", 3, tuple(range(3))), (6, "TRI_6", "tri6", 6, tuple(range(6))),
    (7, "QUAD_4", "quad", 4, tuple(range(4))), (8, "QUAD_8", "quad8", 8, tuple(range(8))),
    (10, "TETRA_4", "tet", 4, tuple(range(4))), (11, "TETRA_10", "tet10", 10, tuple(range(10))),
    (12, "PYRA_5", "pyramid", 5, tuple(range(5))), (14, "PENTA_6", "wedge", 6, tuple(range(6))),
    (15, "PENTA_15", "wedge15", 15, WEDGE_ORDER), (17, "HEXA_8", "hex", 8, tuple(range(8))),
    (18, "HEXA_20", "hex20", 20, HEX_ORDER), (21, "PYRA_13", "pyramid13", 13, tuple(range(13))),
    (9, "QUAD_9", "quad8", 9, tuple(range(8))), (16, "PENTA_18", "wedge15", 18, WEDGE_ORDER),
    (19, "HEXA_27", "hex20", 27, HEX_ORDER), (13, "PYRA_14", "pyramid13", 14, tuple(range(13))),
]  # fmt: skip
TYPES = {number: (name, kind, size, order) for number, name, kind, size, order in _ROWS}
NUMBER_OF = {kind: number for number, _, kind, _, _ in reversed(_ROWS)}
MIXED = 20
#: What the names of regions end with, which nodes of a zone must not share with sections.
REGION = " [group]"

#: Our boundary kinds, by what the types of boundary condition begin with.
BOUNDARIES = {
    "BCWall": "wall", "BCInflow": "inlet", "BCTunnelInflow": "inlet", "BCOutflow": "outlet",
    "BCTunnelOutflow": "outlet", "BCSymmetry": "symmetry",
}  # fmt: skip
BOUNDARY_TYPE = {"wall": "BCWall", "inlet": "BCInflow", "outlet": "BCOutflow", "symmetry": "BCSymmetryPlane"}
UNITS = {"Meter": "m", "Centimeter": "cm", "Millimeter": "mm", "Foot": "ft", "Inch": "in"}


def boundary_kind(name: str) -> str | None:
    """Our kind for a type of boundary condition."""
    return next((kind for begins, kind in BOUNDARIES.items() if name.startswith(begins)), None)
