"""Which cards are understood: elements, properties, and what refers to nodes and elements."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from oddseam.formats.decks import HEX_ORDER, WEDGE_ORDER
from oddseam.formats.nastran.fields import Card


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

#: What a reference is to.
NODES, ELEMENTS_REFERRED = "node", "element"
Reference = tuple[str, int]


def _numbers(card: Card, fields: range) -> list[int]:
    """Whole numbers in some fields, ranges with THRU expanded to their ends' neighbours."""
    found: list[int] = []
    words = [card.text(k) for k in fields]
    for k, word in enumerate(words):
        if word.isdigit():
            found.append(int(word))
        elif word.upper() == "THRU" and found and k + 1 < len(words) and words[k + 1].isdigit():
            found += range(found[-1] + 1, int(words[k + 1]))
    return found


def _some(kind: str, *fields: int) -> Callable[[Card], Iterator[Reference]]:
    def refer(card: Card) -> Iterator[Reference]:
        for field in fields:
            if card.text(field).isdigit():
                yield kind, int(card.text(field))

    return refer


def _from(kind: str, first: int) -> Callable[[Card], Iterator[Reference]]:
    def refer(card: Card) -> Iterator[Reference]:
        for number in _numbers(card, range(first, len(card.fields) + 1)):
            yield kind, number

    return refer


def _every(kind: str, first: int, step: int) -> Callable[[Card], Iterator[Reference]]:
    def refer(card: Card) -> Iterator[Reference]:
        for field in range(first, len(card.fields) + 1, step):
            if card.text(field).isdigit():
                yield kind, int(card.text(field))

    return refer


def _pload4(card: Card) -> Iterator[Reference]:
    if card.text(7).upper() == "THRU":
        for number in _numbers(card, range(2, 3)):
            last = int(card.text(8)) if card.text(8).isdigit() else number
            for element in range(number, last + 1):
                yield ELEMENTS_REFERRED, element
        return
    yield from _some(ELEMENTS_REFERRED, 2)(card)
    yield from _some(NODES, 7, 8)(card)


def _rbe2(card: Card) -> Iterator[Reference]:
    yield from _some(NODES, 2)(card)
    yield from _from(NODES, 4)(card)


def _rbe3(card: Card) -> Iterator[Reference]:
    """The reference node, and the nodes behind each weight and its components."""
    yield from _some(NODES, 3)(card)
    behind = 0
    for word in card.fields[4:]:
        if "." in word or not word.isdigit():
            behind = 0 if word else behind
            if word and not word[0].isalpha():
                behind = 1
            elif word:
                return  # UM, ALPHA: further data of other kinds
        elif behind == 1:
            behind = 2  # the components
        elif behind == 2:
            yield NODES, int(word)


#: What carried cards refer to, by name.
REFERENCES: dict[str, Callable[[Card], Iterator[Reference]]] = {
    "SPC": _some(NODES, 2, 5), "SPC1": _from(NODES, 3), "SPCD": _some(NODES, 2, 5),
    "MPC": _every(NODES, 2, 4), "SUPORT": _every(NODES, 1, 2), "ASET": _every(NODES, 1, 2), "ASET1": _from(NODES, 2),
    "FORCE": _some(NODES, 2), "MOMENT": _some(NODES, 2), "FORCE1": _some(NODES, 2, 4, 5),
    "MOMENT1": _some(NODES, 2, 4, 5), "PLOAD": _some(NODES, 3, 4, 5, 6), "PLOAD1": _some(ELEMENTS_REFERRED, 2),
    "PLOAD2": _from(ELEMENTS_REFERRED, 3), "PLOAD4": _pload4, "TEMP": _some(NODES, 2, 4, 6),
    "TEMPP1": _some(ELEMENTS_REFERRED, 2), "RBE1": _some(NODES, 2, 4, 6), "RBE2": _rbe2, "RBE3": _rbe3,
    "RBAR": _some(NODES, 2, 3), "RROD": _some(NODES, 2, 3), "CONM1": _some(NODES, 2), "CONM2": _some(NODES, 2),
    "CMASS2": _some(NODES, 3, 5), "CELAS1": _some(NODES, 3, 5), "CELAS2": _some(NODES, 3, 5),
    "CBUSH": _some(NODES, 3, 4), "CDAMP1": _some(NODES, 3, 5), "CDAMP2": _some(NODES, 3, 5),
    "CGAP": _some(NODES, 3, 4), "CORD1R": _some(NODES, 2, 3, 4), "CORD1C": _some(NODES, 2, 3, 4),
    "CORD1S": _some(NODES, 2, 3, 4), "BSET1": _from(NODES, 2), "QSET1": _from(NODES, 2),
}  # fmt: skip
