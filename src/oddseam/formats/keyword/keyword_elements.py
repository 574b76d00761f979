"""Element types of the keyword deck, and how they count nodes and sides."""

from __future__ import annotations

#: Keywords that give elements their properties.
SECTIONS = ("SHELL SECTION", "SOLID SECTION", "BEAM SECTION", "MEMBRANE SECTION")
_LINE3 = (0, 2, 1)  # the deck has the middle node between the ends

#: Element type to element kind; of types for the same kind the first is the one that is written.
TYPES = {
    "S3": "tri", "S4": "quad", "S6": "tri6", "S8": "quad8", "S4R": "quad", "S8R": "quad8",
    "C3D4": "tet", "C3D6": "wedge", "C3D8": "hex", "C3D10": "tet10", "C3D15": "wedge15", "C3D20": "hex20",
    "F3D4": "tet", "F3D6": "wedge", "F3D8": "hex", "C3D8R": "hex", "C3D8I": "hex", "C3D20R": "hex20", "C3D10T": "tet10",
    "T3D2": "line", "B31": "line", "B31R": "line", "T3D3": "line3", "B32": "line3", "B32R": "line3",
    "M3D3": "tri", "M3D4": "quad", "M3D4R": "quad", "M3D6": "tri6", "M3D8": "quad8", "M3D8R": "quad8",
    "CPS3": "tri", "CPS4": "quad", "CPS4R": "quad", "CPS6": "tri6", "CPS8": "quad8", "CPS8R": "quad8",
    "CPE3": "tri", "CPE4": "quad", "CPE4R": "quad", "CPE6": "tri6", "CPE8": "quad8", "CPE8R": "quad8",
    "CAX3": "tri", "CAX4": "quad", "CAX4R": "quad", "CAX6": "tri6", "CAX8": "quad8", "CAX8R": "quad8",
}  # fmt: skip
TYPE_OF = {kind: name for name, kind in reversed(TYPES.items())}


def node_order(kind: str, size: int) -> tuple[int, ...]:
    """Where our local nodes stand in the deck; the same for all kinds but a line with a middle."""
    return _LINE3 if kind == "line3" else tuple(range(size))


def side_number(kind: str, label: str) -> int:
    """Our local side for a label such as ``S2`` or ``SPOS``; -1 for one that is not known."""
    if kind.startswith(("tri", "quad")):
        return {"SPOS": 0, "SNEG": 1}.get(label, -1)
    return int(label[1:]) - 1 if label[:1] == "S" and label[1:].isdecimal() else -1


def side_label(kind: str, side: int) -> str:
    """The deck's label for a local side; empty for an edge of a shell."""
    if kind.startswith(("tri", "quad")):
        return ("SPOS", "SNEG")[side] if side < 2 else ""
    return f"S{side + 1}"
