"""Sets of loads and constraints that other cards and the case control choose by number: none of them empty."""

from __future__ import annotations

from collections.abc import Iterator

from oddseam.formats.nastran.bulk_trimming import Trimmed
from oddseam.formats.nastran.fields import Card, card_text
from oddseam.formats.nastran.scanning import Scan

_LOADS = ("FORCE", "MOMENT", "FORCE1", "MOMENT1", "FORCE2", "MOMENT2", "PLOAD", "PLOAD1", "PLOAD2", "PLOAD4", "GRAV",
          "RFORCE", "RFORCE1", "SLOAD", "ACCEL", "ACCEL1", "SPCD", "TEMP", "PLOADX1", "PLOADB3")  # fmt: skip
#: Cards that add sets: by the cards of these, the field of the first number, and how many fields each takes.
_ADDING = {"SPCADD": (("SPC", "SPC1"), 2, 1), "MPCADD": (("MPC",), 2, 1), "LOAD": (_LOADS, 4, 2)}


def drop_empty_sums(scan: Scan, trimmed: Trimmed) -> list[str]:
    """Take sets of which no card is left out of the cards that add them; lines of the case control that choose one."""
    if not trimmed.dropped:
        return []
    empty: dict[str, set[str]] = {}
    for name, (of, first, width) in _ADDING.items():
        lost = _emptied(scan, trimmed, of)
        for record, card in scan.cards(name):
            numbers = {card.text(k) for k in range(first, len(card.fields) + 1, width)}
            if numbers & lost:
                text = _without(card, lost, first, width)
                trimmed.put(record, name, text, f"set {card.text(1)}, which adds nothing any more")
        empty[name] = lost | (_emptied(scan, trimmed, (name,)) - _left(scan, trimmed, of))
    head = scan.data[: scan.start[1]].tobytes().decode("latin-1") if scan.name[:1].tolist() == [-1] else ""
    found = []
    for line in head.splitlines():
        word, _, value = (part.strip() for part in line.partition("="))
        of_word = {"SPC": "SPCADD", "MPC": "MPCADD", "LOAD": "LOAD"}.get(word.upper())
        if of_word and value in empty[of_word] - _left(scan, trimmed, (of_word,)):
            found.append(f"`{line.strip()}` in the case control chooses a set of which no card is left")
    return found


def _cards(scan: Scan, names: tuple[str, ...]) -> Iterator[tuple[int, Card]]:
    for name in names:
        yield from scan.cards(name)


def _left(scan: Scan, trimmed: Trimmed, names: tuple[str, ...]) -> set[str]:
    """Numbers of sets of which a card is left."""
    return {card.text(1) for record, card in _cards(scan, names) if trimmed.texts.get(record, "left")}


def _emptied(scan: Scan, trimmed: Trimmed, names: tuple[str, ...]) -> set[str]:
    """Numbers of sets of which cards were dropped and none is left."""
    gone = {card.text(1) for record, card in _cards(scan, names) if not trimmed.texts.get(record, "left")}
    return gone - _left(scan, trimmed, names)


def _without(card: Card, lost: set[str], first: int, width: int) -> str:
    """The card without some sets; an empty text where it adds nothing any more."""
    start = first - width + 1
    rest = card.fields[start - 1 :]
    groups = [rest[k : k + width] for k in range(0, len(rest), width)]
    kept = [word for group in groups if group[-1] and group[-1] not in lost for word in group]
    return card_text(card.name, [*card.fields[: start - 1], *kept], card.style) if kept else ""
