"""The cells of VTK files and what stands where in them, for reading and for writing."""

from __future__ import annotations

#: Cell type of each element kind, and where our local nodes stand in its order; linear wedges are in use both ways.
CELLS: dict[str, tuple[int, list[int]]] = {
    "point": (1, [0]), "line": (3, [0, 1]), "tri": (5, [0, 1, 2]), "quad": (9, [0, 1, 2, 3]),
    "tet": (10, [0, 1, 2, 3]), "hex": (12, list(range(8))), "wedge": (13, list(range(6))),
    "pyramid": (14, list(range(5))), "line3": (21, [0, 1, 2]), "tri6": (22, list(range(6))),
    "quad8": (23, list(range(8))), "tet10": (24, list(range(10))), "hex20": (25, list(range(20))),
    "wedge15": (26, list(range(15))), "pyramid13": (27, list(range(13))),
}  # fmt: skip
KIND_OF = {number: kind for kind, (number, _) in CELLS.items()}
POLYLINE, STRIP, POLYGON, PIXEL, VOXEL = 4, 6, 7, 8, 11
TYPES = {"Int8": "i1", "UInt8": "u1", "Int16": "i2", "UInt16": "u2", "Int32": "i4", "UInt32": "u4",
          "Int64": "i8", "UInt64": "u8", "Float32": "f4", "Float64": "f8"}  # fmt: skip
#: Names of the arrays that hold what the format has no place for.
NODE_IDS, ELEMENT_IDS, PART, GROUP, PART_NAMES = "node id", "element id", "part", "group ", "part names"
#: Groups of sides: bit k of a cell is set where its local side k is a member.
SIDES = "sides "
