"""What the cards of a deck name, by the table of cards."""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Callable, Collection, Iterator
from functools import cache

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.includes import as_one
from oddseam.formats.nastran.bulk_reference_table import RULES
from oddseam.formats.nastran.cards import ELEMENTS, PROPERTIES
from oddseam.formats.nastran.fields import Card
from oddseam.formats.nastran.frames import KINDS as FRAMES
from oddseam.formats.nastran.scanning import Scan
from oddseam.model import KINDS
from oddseam.model.references import ELEMENT_IDS, NODE_IDS, Mention, References, Singles, Tie, id_of
from oddseam.model.source import Records

_RULE = re.compile(r"([neNE])(\d+)(?:([-/%])(\d+)|(\+))?")
#: A set of nodes or elements for output; which of both depends on what asks for it.
_CASE_SET = re.compile(rb"^[ \t]*SET[ \t]+\d+[ \t]*=", re.IGNORECASE | re.MULTILINE)
#: Cards that are understood in full: what they name is in the mesh, or is no node and no element.
_UNDERSTOOD = {"GRID", "GRDSET", "MAT1", "ENDDATA", *ELEMENTS, *PROPERTIES, *FRAMES}
#: Cards that give properties, whose numbers are all of one kind, and materials.
_NUMBERED = {
    "property": (
        "PACABS", "PACBAR", "PBAR", "PBARL", "PBCOMP", "PBEAM", "PBEAM3", "PBEAML", "PBEND", "PBMSECT", "PBRSECT",
        "PBUSH", "PBUSH1D", "PBUSHT", "PCOMP", "PCOMPF", "PCOMPG", "PCOMPLS", "PCOMPS", "PCONEAX", "PDAMP", "PDAMP5",
        "PDAMPT", "PELAS", "PELAST", "PFAST", "PGAP", "PLCOMP", "PLPLANE", "PLSOLID", "PMASS", "PRAC2D", "PRAC3D",
        "PROD", "PSEAM", "PSHEAR", "PSHELL", "PSHLN1", "PSLDN1", "PSOLID", "PTUBE", "PVISC", "PWELD",
    ),
    "material": (
        "MAT1", "MAT2", "MAT3", "MAT4", "MAT5", "MAT8", "MAT9", "MAT10", "MAT10C", "MAT11", "MATF", "MATG", "MATHE",
        "MATHP", "MATPE1", "MATS1", "MATT1",
    ),
}  # fmt: skip
#: No tie names longer runs.
_MOST_TIED = 1_000_000
#: Cards that hold nodes together, rigidly or by their mean.
_TYING = {"RBAR", "RBAR1", "RBE1", "RBE2", "RBE3", "RTRPLT", "RTRPLT1"}


def _number(card: Card, field: int) -> int:
    return id_of(card.text(field))


@cache
def _parsed(rules: str) -> tuple[tuple[str, bool, int, str, int], ...]:
    """Of every rule: what, whether it is given, the first field, the form and its number."""
    found = []
    for rule in rules.split():
        match = _RULE.fullmatch(rule)
        assert match is not None, rule
        letter, first, form, number, lists = match.groups()
        what = NODE_IDS if letter in "nN" else ELEMENT_IDS
        found.append((what, letter.isupper(), int(first), form or lists or "", int(number or 0)))
    return tuple(found)


def list_first(name: str) -> int | None:
    """The field at which the list of a card begins, if it has one."""
    return {"SET3": 3, "NSM1": 4, "NSML1": 4}.get(
        name, next((first for *_, first, form, _ in _parsed(RULES[name]) if form == "+"), None)
        if RULES[name] not in _SPECIAL else None,
    )  # fmt: skip


def mentions(card: Card) -> Iterator[Mention]:
    """What one card names; nothing for a card that is in no table."""
    rules = RULES.get(card.name, "")
    special = _SPECIAL.get(rules)
    yield from special(card) if special is not None else _by_rules(card, rules)


def _by_rules(card: Card, rules: str) -> Iterator[Mention]:
    last = len(card.fields)
    for what, gives, first, form, number in _parsed(rules):
        if form == "+":
            for mention in _list(card, what, first):
                yield Mention(mention.what, mention.first, mention.last, mention.step, gives, mention.field)
            continue
        end, step = {"": (first, 1), "-": (number, 1), "/": (last, number), "%": (last, number)}[form]
        for field in range(first, min(end, last) + 1, step):
            if value := _number(card, field):
                yield Mention(what, value, value, 1, gives, field)


def _list(card: Card, what: str, first: int) -> Iterator[Mention]:
    """A list of numbers, with ``THRU``, ``BY`` and ``EXCEPT``."""
    words = [(field, card.text(field).upper()) for field in range(first, len(card.fields) + 1) if card.text(field)]
    k = 0
    while k < len(words):
        field, word = words[k]
        k += 1
        low = high = id_of(word)
        if not low:
            continue
        step, without = 1, set[int]()
        if k + 1 < len(words) and words[k][1] == "THRU" and id_of(words[k + 1][1]):
            high = id_of(words[k + 1][1])
            k += 2
            if k + 1 < len(words) and words[k][1] == "BY" and id_of(words[k + 1][1]):
                step = id_of(words[k + 1][1])
                k += 2
            if k < len(words) and words[k][1] == "EXCEPT":
                k += 1
                while k < len(words) and 0 < id_of(words[k][1]) <= high:
                    without.add(id_of(words[k][1]))
                    k += 1
        yield from _run(what, low, high, step, without, field)


def _run(what: str, low: int, high: int, step: int, without: set[int], field: int) -> Iterator[Mention]:
    """A run without some of its ids, as runs."""
    at = low
    for gap in sorted(number for number in without if low <= number <= high and (number - low) % step == 0):
        if at <= gap - step:
            yield Mention(what, at, gap - step, step, False, field)
        at = gap + step
    if at <= high:
        yield Mention(what, at, at + (high - at) // step * step, step, False, field)


# ---------------------------------------------------------------------- cards with rules of their own


def _pload4(card: Card) -> Iterator[Mention]:
    """One element and two nodes of its face, or a run of elements."""
    first, last = _number(card, 2), _number(card, 8)
    if card.text(7).upper() == "THRU" and first and last >= first:
        yield Mention(ELEMENT_IDS, first, last, field=2)
        return
    yield from _by_rules(card, "e2 n7 n8")


def _rbe3(card: Card) -> Iterator[Mention]:
    """The reference node, the nodes behind each weight and its components, and those of ``UM``."""
    yield from _by_rules(card, "E1 n3")
    behind = 0
    for field in range(5, len(card.fields) + 1):
        word = card.text(field)
        if not word:
            continue
        if word.upper() == "UM":
            yield from _um(card, field + 1)
            return
        if word[0].isalpha():
            return  # ALPHA and so on: no nodes
        if not word.isdecimal():
            behind = 1  # a weight
        elif behind == 1:
            behind = 2  # its components
        elif behind == 2 and (value := id_of(word)):
            yield Mention(NODE_IDS, value, value, 1, False, field)


def _um(card: Card, first: int) -> Iterator[Mention]:
    """Nodes and their components by turns, behind a blank at the head of every line."""
    for field in range(first, len(card.fields) + 1):
        text, place = card.text(field), (field - 1) % 8
        if text and not text.isdecimal():
            return
        if place in (1, 3, 5) and (value := id_of(text)):
            yield Mention(NODE_IDS, value, value, 1, False, field)


def _set3(card: Card) -> Iterator[Mention]:
    what = {"GRID": NODE_IDS, "POINT": NODE_IDS, "ELEM": ELEMENT_IDS}.get(card.text(2).upper())
    return _list(card, what, 3) if what else iter(())


def _when(field: int, rules: dict[str, str]) -> Callable[[Card], Iterator[Mention]]:
    """Rules that a word in a field chooses."""

    def chosen(card: Card) -> Iterator[Mention]:
        return _by_rules(card, rules.get(card.text(field).upper(), rules.get("", "")))

    return chosen


def _dmig(card: Card) -> Iterator[Mention]:
    """A column of a matrix; its head has a zero where that has a node."""
    return iter(()) if card.text(2) == "0" else _by_rules(card, "n2 n5 n9/4")


_SPECIAL: dict[str, Callable[[Card], Iterator[Mention]]] = {
    "PLOAD4": _pload4,
    "RBE3": _rbe3,
    "SET3": _set3,
    "DMIG": _dmig,
    "CFAST": _when(3, {"ELEM": "E1 e4 e5 n6-8", "": "E1 n6-8"}),
    "CWELD": _when(
        4, {"ELPAT": "E1 n3 n5 n6 e9 e10", "ELEMID": "E1 n3 e9 e10", "GRIDID": "E1 n3 n9-24", "": "E1 n3 n5 n6"}
    ),
    "RSSCON": _when(2, {"ELEM": "E1 e3-8", "": "E1 n3-8"}),
    "NSM": _when(2, {"ELEMENT": "e3/2"}),
    "NSM1": _when(2, {"ELEMENT": "e4+"}),
    "PARAM": _when(1, {"GRDPNT": "n2"}),
}


# ---------------------------------------------------------------------- a deck


def find_references(records: Records) -> References:
    """All that the carried cards of a deck name; a few microseconds a card."""
    scan = Scan(as_one(records.text.tobytes()))
    found: list[tuple[int, str, Mention]] = []
    unsearched: dict[str, int] = {}
    loose: set[int] = set()
    singles: list[Singles] = []
    for name, count in scan.counts().items():
        if name in RULES and (fields := _single_fields(name)):
            rest = _by_column(scan, name, fields, singles)
            found += [(record, name, mention) for record in rest.tolist() for mention in mentions(scan.card(record))]
        elif name in RULES:
            found += [(record, name, mention) for record, card in scan.cards(name) for mention in mentions(card)]
        elif name and name not in _UNDERSTOOD:
            unsearched[name] = count
            loose |= {id_of(text) for _, card in scan.cards(name) for text in card.fields}
    sets = len(_CASE_SET.findall(scan.data[: scan.start[1]].tobytes())) if scan.name[:1].tolist() == [-1] else 0
    if sets:
        unsearched["SET of the case control"] = sets
    found += _stray_midsides(scan)
    tied = [(int(r), s.name, Mention(s.what, int(k), int(k), 1, s.gives)) for s in singles if s.name in _TYING
            for r, k in zip(s.record, s.ids, strict=True) if k]  # fmt: skip
    told = References.of(found, unsearched, loose, _ties([*found, *tied]), singles)
    return dataclasses.replace(told, taken={what: _numbers(scan, cards) for what, cards in _NUMBERED.items()})


def _numbers(scan: Scan, cards: Collection[str]) -> frozenset[int]:
    """Numbers in the first field of cards of some names."""
    found = (scan.fields(scan.of(name), 1).numbers(0)[0].tolist() for name in scan.names if name in cards)
    return frozenset(number for its in found for number in its if number)


def _single_fields(name: str) -> list[tuple[str, bool, int]]:
    """What, whether it is given, and the field, of a card that names single ids alone; nothing for other cards."""
    rules = {"PLOAD4": "e2 n7 n8"}.get(name, RULES[name])
    if rules in _SPECIAL or any(form not in ("", "-") for *_, form, _ in _parsed(rules)):
        return []
    return [
        (what, gives, field)
        for what, gives, first, form, last in _parsed(rules)
        for field in range(first, (last if form else first) + 1)
    ]


def _by_column(scan: Scan, name: str, fields: list[tuple[str, bool, int]], singles: list[Singles]) -> Array:
    """Take the columns of cards; the records of those that have to be looked at one by one."""
    records = scan.of(name)
    columns = scan.fields(records, max(field for *_, field in fields))
    rest = np.zeros(len(records), bool)
    if name == "PLOAD4":  # a run of elements
        rest = columns.numbers(6)[1]
    for what, gives, field in fields:
        ids, _ = columns.numbers(field - 1)
        singles.append(Singles(name, what, gives, records, np.where(rest, 0, ids)))
    return np.asarray(records[rest])


def _stray_midsides(scan: Scan) -> Iterator[tuple[int, str, Mention]]:
    """Midside nodes on elements that do not have all of theirs, and were read by their corners."""
    for name, card in ELEMENTS.items():
        records = scan.of(name)
        if not card.quadratic or not len(records):
            continue
        first, size = card.nodes + KINDS[card.linear].size, card.nodes + KINDS[card.quadratic].size
        columns = scan.fields(records, size)
        given = np.column_stack([columns.given(field) for field in range(first, size)])
        for record in records[given.any(axis=1) & ~given.all(axis=1)].tolist():
            for mention in _by_rules(scan.card(record), f"n{first + 1}-{size}"):
                yield record, name, mention


def _ties(found: list[tuple[int, str, Mention]]) -> Iterator[Tie]:
    """What rigid and distributing elements hold together."""
    held: dict[int, tuple[str, list[int]]] = {}
    for record, name, mention in found:
        if name in _TYING and not mention.gives and mention.last - mention.first < _MOST_TIED:
            held.setdefault(record, (name, []))[1].extend(range(mention.first, mention.last + 1, mention.step))
    for name, ids in held.values():
        yield Tie(name, tuple(ids))
