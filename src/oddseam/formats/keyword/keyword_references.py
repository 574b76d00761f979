"""What the lines of a keyword deck name, by the table of keywords."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import cache

import numpy as np

from oddseam.formats.includes import as_one
from oddseam.formats.keyword.keyword_elements import SECTIONS, TYPES
from oddseam.formats.keyword.keyword_lines import Block, Lines
from oddseam.formats.keyword.keyword_reference_table import RULES
from oddseam.model.references import ELEMENT_IDS, NODE_IDS, Mention, References, Tie, id_of
from oddseam.model.source import Records

_RULE = re.compile(r"([neNE])(\d+)(?:([-/])(\d+)|(\+))?|([ne]):(.+?)(?= [ne]\d| [ne]:|$)")
#: Keywords that are understood, and those whose lines hold values alone, or names alone.
_UNDERSTOOD = {"NODE", "HEADING", "MATERIAL", "ELASTIC", "DENSITY", "STEP", "END STEP", *SECTIONS}
#: Keywords that hold nodes together, rigidly or by their mean.
_TYING = {"RIGID BODY", "COUPLING", "KINEMATIC COUPLING", "DISTRIBUTING COUPLING", "MPC"}
#: What a line of initial conditions begins with, where that is an element.
_BY_ELEMENT = {"STRESS", "PLASTIC STRAIN", "HARDENING", "SOLUTION", "REF COORDINATE", "CONTACT"}


@cache
def _parsed(rules: str) -> tuple[tuple[str, bool, int, str, int, str], ...]:
    """Of every rule: what, whether it is given, the first field, the form, its number, and the parameter."""
    found = []
    for match in _RULE.finditer(rules):
        letter, first, form, number, lists, of, parameter = match.groups()
        letter = letter or of
        what = NODE_IDS if letter in "nN" else ELEMENT_IDS
        found.append((what, letter.isupper(), int(first or 0), form or lists or "", int(number or 0), parameter or ""))
    return tuple(found)


Found = Iterator[tuple[int, Mention]]


def mentions(lines: Lines, block: Block) -> Found:
    """What a keyword and its lines name, with the rows of the lines."""
    rules = RULES.get(block.name, "")
    special = _SPECIAL.get(rules)
    yield from special(lines, block) if special is not None else _by_rules(lines, block, rules)


def _by_rules(lines: Lines, block: Block, rules: str) -> Found:
    of_lines = []
    for rule in _parsed(rules):
        *_, parameter = rule
        value = block.options.get(parameter, "") if parameter else ""
        if number := id_of(value):
            yield block.line, Mention(rule[0], number, number)
        elif not parameter:
            of_lines.append(rule)
    if not of_lines:
        return
    for row, words in lines.words(block):
        for what, gives, first, form, span, _ in of_lines:
            until = {"": first, "-": span}.get(form, len(words))
            for field in range(first, min(until, len(words)) + 1, span if form == "/" else 1):
                if number := id_of(words[field - 1]):
                    yield row, Mention(what, number, number, 1, gives, field)


def _set(lines: Lines, block: Block) -> Found:
    what = NODE_IDS if block.name == "NSET" else ELEMENT_IDS
    if "GENERATE" not in block.options:
        yield from _by_rules(lines, block, "n1+" if what == NODE_IDS else "e1+")
        return
    for row, words in lines.words(block):
        if run := _run(words, what, gives=False):
            yield row, run


def _run(words: list[str], what: str, *, gives: bool) -> Mention | None:
    """First, last and step."""
    numbers = [id_of(word) for word in words[:3] if word.isdecimal()]
    if len(numbers) < 2 or not 0 < numbers[0] <= numbers[1]:
        return None
    step = max(numbers[2], 1) if len(numbers) > 2 else 1
    return Mention(what, numbers[0], numbers[0] + (numbers[1] - numbers[0]) // step * step, step, gives, 1)


def _made_nodes(lines: Lines, block: Block) -> Found:
    yield from _by_rules(lines, block, "n1 n2")
    for row, words in lines.words(block):
        if run := _run(words, NODE_IDS, gives=True):
            yield row, run


def _surface(lines: Lines, block: Block) -> Found:
    kind = block.options.get("TYPE", "ELEMENT").upper()
    return _by_rules(lines, block, {"NODE": "n1", "ELEMENT": "e1"}.get(kind, ""))


def _initial(lines: Lines, block: Block) -> Found:
    return _by_rules(lines, block, "e1" if block.options.get("TYPE", "").upper() in _BY_ELEMENT else "n1")


def _orientation(lines: Lines, block: Block) -> Found:
    by_nodes = block.options.get("DEFINITION", "").upper() == "NODES"
    return _by_rules(lines, block, "n1-3" if by_nodes else "")


def _static(lines: Lines, block: Block) -> Found:
    return _by_rules(lines, block, "n6" if "RIKS" in block.options else "")


def _equation(lines: Lines, block: Block) -> Found:
    """A line with the number of terms, then as many of node, freedom and coefficient, four to a line."""
    left = 0
    for row, words in lines.words(block):
        if left <= 0:
            left = id_of(words[0])
            continue
        for field in range(1, len(words) + 1, 3):
            if value := id_of(words[field - 1]):
                yield row, Mention(NODE_IDS, value, value, 1, False, field)
            left -= 1


def _elements(lines: Lines, block: Block) -> Found:
    """Elements of types that are carried; a line that ends with a comma goes on in the next."""
    if block.options.get("TYPE", "").upper() in TYPES:
        return
    goes_on = False
    for row in lines.data_rows(block).tolist():
        text = lines.text(row).rstrip()
        words = [word.strip() for word in text.split(",")]
        for field, word in enumerate(words, 1):
            if value := id_of(word):
                gives = field == 1 and not goes_on
                yield row, Mention(ELEMENT_IDS if gives else NODE_IDS, value, value, 1, gives, field)
        goes_on = text.endswith(",")


_SPECIAL: dict[str, Callable[[Lines, Block], Found]] = {
    "NSET": _set,
    "ELSET": _set,
    "SURFACE": _surface,
    "INITIAL CONDITIONS": _initial,
    "ORIENTATION": _orientation,
    "STATIC": _static,
    "EQUATION": _equation,
    "NGEN": _made_nodes,
    "ELEMENT": _elements,
}


def find_references(records: Records) -> References:
    """All that the carried lines of a deck name; a few microseconds a line."""
    lines = Lines(as_one(records.text.tobytes()))
    record = np.searchsorted(records.start, lines.start, side="right") - 1  # a record may have several lines
    found: list[tuple[int, str, Mention]] = []
    unsearched: dict[str, int] = {}
    loose: set[int] = set()
    for block in lines.blocks:
        if block.name in RULES:
            found += [(int(record[row]), f"*{block.name}", mention) for row, mention in mentions(lines, block)]
        elif block.name not in _UNDERSTOOD:
            unsearched[f"*{block.name}"] = unsearched.get(f"*{block.name}", 0) + 1
            loose |= {id_of(word) for _, words in lines.words(block) for word in words}
    return References.of(found, unsearched, loose, _ties(lines))


def _ties(lines: Lines) -> Iterator[Tie]:
    """What rigid bodies and couplings hold together."""
    hubs: dict[str, list[int]] = {}  # nodes of elements of carried types, by set
    for block in lines.blocks:
        name = block.options.get("ELSET", "").upper()
        if block.name == "ELEMENT" and name and block.options.get("TYPE", "").upper() not in TYPES:
            hubs.setdefault(name, []).extend(m.first for _, m in _elements(lines, block) if m.what == NODE_IDS)
    for block in lines.blocks:
        if block.name not in _TYING:
            continue
        ids = [m.first for _, m in mentions(lines, block) if m.what == NODE_IDS]
        sets = [block.options["NSET"].upper()] if "NSET" in block.options else []
        if block.name == "DISTRIBUTING COUPLING":
            ids += hubs.get(block.options.get("ELSET", "").upper(), [])
        if block.name in ("DISTRIBUTING COUPLING", "KINEMATIC COUPLING", "MPC"):
            words = [word for _, words in lines.words(block) for word in words[: None if block.name == "MPC" else 1]]
            sets += [word.upper() for word in words if word and not word[0].isdecimal()]
        surfaces = (block.options["SURFACE"].upper(),) if "SURFACE" in block.options else ()
        yield Tie(block.name, tuple(ids), tuple(sets), surfaces)
