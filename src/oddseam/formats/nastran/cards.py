"""Which cards are understood: elements, properties, and what refers to nodes and elements."""

from __future__ import annotations

from dataclasses import dataclass

from oddseam.formats.decks import HEX_ORDER, WEDGE_ORDER


@dataclass(frozen=True)
class ElementCard:
    """An element card.

    Attributes
    ----------
    linear, quadratic : str
        Element kinds; the quadratic one is empty where there is none.
    nodes : int
        Field of the first node (0 is the first after the name).
    order : tuple of int
        Where our local nodes of the quadratic kind stand in the card.
    has_property : bool
        Whether the field after the id is a property.
    """

    linear: str
    quadratic: str = ""
    nodes: int = 2
    order: tuple[int, ...] = ()
    has_property: bool = True


#: Element cards by name.  Of cards for the same kind the first is the one that is written.
ELEMENTS = {
    "CTRIA3": ElementCard("tri"),
    "CQUAD4": ElementCard("quad"),
    "CTRIA6": ElementCard("tri", "tri6", order=tuple(range(6))),
    "CQUAD8": ElementCard("quad", "quad8", order=tuple(range(8))),
    "CTETRA": ElementCard("tet", "tet10", order=tuple(range(10))),
    "CPYRAM": ElementCard("pyramid", "pyramid13", order=tuple(range(13))),
    "CPENTA": ElementCard("wedge", "wedge15", order=WEDGE_ORDER),
    "CHEXA": ElementCard("hex", "hex20", order=HEX_ORDER),
    "CROD": ElementCard("line"),
    "CBAR": ElementCard("line"),
    "CBEAM": ElementCard("line"),
    "CONROD": ElementCard("line", nodes=1, has_property=False),
    "CTRIAR": ElementCard("tri"),
    "CQUADR": ElementCard("quad"),
}

#: Property cards; those other than PSHELL and PCOMP are carried, but known to be there.
PROPERTIES = ("PSHELL", "PCOMP", "PCOMPG", "PSOLID", "PBAR", "PBARL", "PBEAM", "PBEAML", "PROD", "PTUBE", "PSHEAR")
