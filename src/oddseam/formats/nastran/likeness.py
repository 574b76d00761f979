"""Cards of new elements after the cards of those they are like: offsets, angles, orientations, pressures."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, listed
from oddseam.formats.decks import real_text
from oddseam.formats.heirs import Heirs
from oddseam.formats.losses import Remarks
from oddseam.formats.nastran.cards import ELEMENTS
from oddseam.formats.nastran.fields import LARGE, SMALL, Card, card_text, parse_card
from oddseam.formats.nastran.scanning import Scan
from oddseam.formats.rewriting import Rewriting

#: Fields of a shell card behind its nodes: angle or frame, offset, and the thicknesses at the nodes.
_BEHIND = {"CTRIA3": (6, 7, (11, 12, 13)), "CQUAD4": (7, 8, (11, 12, 13, 14))}


def line_card(template: str, number: int, nodes: list[int]) -> str:
    """The card of a line element after another one: what it says of orientation, offsets and releases."""
    card = parse_card(template.splitlines())
    fields = list(card.fields)
    first = ELEMENTS[card.name].nodes
    fields[0], fields[first], fields[first + 1] = str(number), str(nodes[0]), str(nodes[1])
    return card_text(card.name, fields, card.style)


#: Whether these thicknesses are relative.
_FLAG = 10


class ShellExtras:
    """What shell cards say besides property and nodes, for new elements that are like them.

    Parameters
    ----------
    rewriting : Rewriting
    """

    def __init__(self, rewriting: Rewriting) -> None:
        self._rewriting = rewriting
        self.left: dict[str, list[int]] = {}

    def with_extras(self, text: str, record: int, corners: Array, template_corners: Array | None) -> str:
        """A new card with frame, offset and thickness as on the card of a record.

        An angle from the first side is kept as a direction in space, if it is known where the other one was.
        """
        like = parse_card(self._rewriting.record(record).decode("latin-1").splitlines())
        if like.name not in _BEHIND or not any(like.fields[_BEHIND[like.name][0] - 1 :]):
            return text
        card = parse_card(text.splitlines())
        angle, offset, thick = _BEHIND[like.name]
        own_angle, own_offset, own_thick = _BEHIND[card.name]
        fields = card.fields + [""] * (own_thick[-1] - len(card.fields))
        said = like.text(angle)
        if said.isdecimal():
            fields[own_angle - 1] = said
        elif said:
            turned = None if template_corners is None else _turned(like.real(angle) or 0.0, template_corners, corners)
            if turned is None:
                self.left.setdefault("the angle of the material", []).append(int(card.text(1)))
            else:
                fields[own_angle - 1] = real_text(turned, 8)
        fields[own_offset - 1] = like.text(offset)
        fields[_FLAG - 1] = like.text(_FLAG)
        values = [like.text(k) for k in thick]
        if len(set(values)) == 1:
            for k in own_thick:
                fields[k - 1] = values[0]
        else:
            self.left.setdefault("thicknesses that differ at the nodes", []).append(int(card.text(1)))
        return card_text(card.name, fields, LARGE if max(map(len, fields)) > 8 else SMALL)


def _turned(angle: float, old: Array, new: Array) -> float | None:
    """The angle from the first side of a new element for a direction at an angle from that of an old one."""
    frames = []
    for corners in (old, new):
        side = corners[1] - corners[0]
        normal = np.cross(corners[1] - corners[0], corners[-1] - corners[0])
        length = float(np.linalg.norm(side)), float(np.linalg.norm(normal))
        if min(length) == 0:
            return None
        side, normal = side / length[0], normal / length[1]
        frames.append((side, np.cross(normal, side)))
    turn = np.radians(angle)
    direction = np.cos(turn) * frames[0][0] + np.sin(turn) * frames[0][1]
    return float(np.degrees(np.arctan2(direction @ frames[1][1], direction @ frames[1][0])))


class _Pressures:
    """The pressures of a deck on its elements.

    ``on`` has the texts of cards, without their element, by element; ``card`` the card of each text; ``uneven`` are
    elements whose nodes have different ones; ``changed`` texts of records without the elements that are ``lost``;
    ``strange`` the number of cards that are not understood.
    """

    def __init__(self, scan: Scan, lost: set[int]) -> None:
        self.on: dict[int, list[str]] = {}
        self.card: dict[str, Card] = {}
        self.uneven: set[int] = set()
        self.changed: dict[int, str] = {}
        self.strange = 0
        for name in ("PLOAD2", "PLOAD4"):
            for record, card in scan.cards(name):
                try:
                    self._take(record, card, lost)
                except ValueError:
                    self.strange += 1

    def _take(self, record: int, card: Card, lost: set[int]) -> None:
        elements, is_even = _loaded(card), card.name == "PLOAD2" or _is_even(card)
        if not is_even:
            self.uneven.update(elements)
            return
        text = _on(card, "")
        self.card[text] = card
        for number in elements:
            self.on.setdefault(number, []).append(text)
        if lost.isdisjoint(elements) or "THRU" in [word.upper() for word in card.fields]:
            return
        stays = [str(number) for number in elements if number not in lost]
        fields = [card.text(1), card.text(2), *stays]
        self.changed[record] = card_text("PLOAD2", fields, card.style) if stays else ""


def carried_pressures(
    scan: Scan, heirs: Heirs, gone: Array, keys: Array, rewriting: Rewriting, said: Remarks
) -> tuple[list[str], set[int]]:
    """Cards of pressures on new elements as on those that they lie on; those on elements that are gone are dropped.

    New elements that lie where nothing was, as in an opening that was filled, get what all those that they hang
    together with have.

    Parameters
    ----------
    scan : Scan
    heirs : Heirs
    gone : (g,) int64 array
        Ids of elements that are no more.
    keys : (r,) int64 array
        Ids of the elements in records.
    rewriting : Rewriting
    said : Remarks
        Told of what is carried over, and of what could not be.

    Returns
    -------
    cards : list of str
    changed : set of int
        Records that are dropped or say less.
    """
    its = _Pressures(scan, set(gone.tolist()))
    loads = [tuple(its.on.get(int(keys[r]), ())) if r >= 0 else () for r in heirs.record.tolist()]
    of_piece: dict[int, set[tuple[str, ...]]] = {}
    for piece, load, lies in zip(heirs.piece.tolist(), loads, heirs.on.tolist(), strict=True):
        of_piece.setdefault(piece, set()).update({load} if lies else ())
    cards, open_, count = [], [], 0
    for number, r, piece, load, lies in zip(
        heirs.ids.tolist(), heirs.record.tolist(), heirs.piece.tolist(), loads, heirs.on.tolist(), strict=True
    ):
        if r < 0:
            continue
        if not lies and of_piece[piece] != {load}:
            if load or any(of_piece[piece]):
                open_.append(number)
            continue
        if int(keys[r]) in its.uneven:
            open_.append(number)
        cards += [_on(its.card[text], str(number)) for text in load]
        count += bool(load)
    for record, text in its.changed.items():
        rewriting.replace(record, text)
    if its.strange:
        said.listed.append(f"{its.strange:,} PLOAD2 and PLOAD4 card(s) are not understood, and stay as they were")
    if count:
        said.carried.append(f"pressures on what is gone, to {count:,} new elements in its place")
    if open_:
        said.lost.append(f"pressures on the new elements {listed(open_)}: it is not clear which")
    return cards, set(its.changed)


def _loaded(card: Card) -> list[int]:
    """Ids of the elements that a pressure acts on."""
    if card.name == "PLOAD4":
        first = card.whole(2)
        last = card.whole(8, first) if card.text(7).upper() == "THRU" else first
        return list(range(first, last + 1))
    words = card.fields[2:]
    if len(words) > 2 and words[1].upper() == "THRU":
        return list(range(int(words[0]), int(words[2]) + 1))
    return [int(word) for word in words if word.isdecimal()]


def _is_even(card: Card) -> bool:
    """Whether a pressure is the same at all nodes of a shell."""
    values = [card.real(3), *(card.real(k, None) for k in (4, 5, 6))]
    return all(value in (None, values[0]) for value in values[1:])


def _on(card: Card, element: str) -> str:
    """The same pressure on another element."""
    if card.name == "PLOAD2":
        return card_text("PLOAD2", [card.text(1), card.text(2), element], card.style)
    fields = list(card.fields)
    fields += [""] * (8 - len(fields))
    fields[1], fields[6], fields[7] = element, "", ""
    return card_text("PLOAD4", fields, card.style)
