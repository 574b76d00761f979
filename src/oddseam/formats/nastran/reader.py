"""Reading of a deck: cut into records, interpret those we know, carry the others."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from oddseam.errors import FormatError
from oddseam.formats.files import Data
from oddseam.formats.nastran import frames as fr
from oddseam.formats.nastran.fields import Card, is_continuation, parse_card, starts_card
from oddseam.model import Elements, Material, Mesh, Part, Source
from oddseam.model.source import CARRIED, ELEMENT, END, MATERIAL, NODE, PROPERTY, Records

#: Element cards that are interpreted: element kind and number of nodes.
SHELLS = {"CTRIA3": ("tri", 3), "CQUAD4": ("quad", 4)}
#: Property cards; those other than PSHELL are carried, but known to be there.
PROPERTIES = ("PSHELL", "PCOMP", "PCOMPG", "PSOLID")

_BEGIN = re.compile(r"\s*BEGIN\s+BULK", re.IGNORECASE)


@dataclass
class _Deck:
    """What has been understood so far."""

    name: str
    start: list[int] = field(default_factory=list)
    role: list[int] = field(default_factory=list)
    key: list[int] = field(default_factory=list)
    carried: dict[str, int] = field(default_factory=dict)
    node_ids: dict[int, int] = field(default_factory=dict)
    node_frame: list[int] = field(default_factory=list)
    given: list[tuple[float, float, float]] = field(default_factory=list)
    elements: dict[int, tuple[str, int, list[int], int]] = field(default_factory=dict)
    shells: dict[int, tuple[float | None, int | None]] = field(default_factory=dict)
    properties: set[int] = field(default_factory=set)
    materials: dict[int, Material] = field(default_factory=dict)
    frames: dict[int, tuple[int, int, np.ndarray]] = field(default_factory=dict)
    default_frame: int = 0


def read(path: Path, data: Data) -> Mesh:
    """Read a deck."""
    text = bytes(data[:])
    if b"\0" in text[:4096]:
        raise FormatError(str(path), "not a text file")
    deck = _Deck(path.name)
    for first_line, offset, lines in _records(text, deck):
        deck.start.append(offset)
        try:
            role, key = _take(deck, lines)
        except ValueError as error:
            raise FormatError(str(path), str(error), f"line {first_line}") from error
        deck.role.append(role)
        deck.key.append(key)
    deck.start.append(len(text))
    if not deck.node_ids and not deck.elements:
        raise FormatError(str(path), "no GRID card and no shell element in it")
    return _mesh(path, deck, text)


def _records(text: bytes, deck: _Deck) -> list[tuple[int, int, list[str]]]:
    """Cut into (first line number, byte offset, lines); everything up to BEGIN BULK is one record."""
    raw = text.splitlines(keepends=True)
    lines = [line.decode("latin-1") for line in raw]
    begin = next((k + 1 for k, line in enumerate(lines) if _BEGIN.match(line)), 0)
    ends = np.concatenate([[0], np.cumsum([len(line) for line in raw])]).tolist()
    records: list[tuple[int, int, list[str]]] = []
    if begin:
        records.append((1, 0, []))
    card = -1  # index of the last record that holds a card
    ended = False
    for k in range(begin, len(lines)):
        line = lines[k]
        if not ended and is_continuation(line) and card >= 0:
            merged = [one for record in records[card:] for one in record[2]]
            records[card] = (records[card][0], records[card][1], [*merged, line])
            del records[card + 1 :]
            continue
        records.append((k + 1, ends[k], [line]))
        if not ended and starts_card(line):
            card = len(records) - 1
            ended = line[:7].upper() == "ENDDATA"
            if ended:
                card = -1
        elif ended:
            records[-1] = (k + 1, ends[k], [])
    return records


def _take(deck: _Deck, lines: list[str]) -> tuple[int, int]:
    """Interpret one record: its role and its id."""
    if not lines or not starts_card(lines[0]):
        return CARRIED, 0
    card = parse_card(lines)
    if card.name == "GRID":
        return NODE, _grid(deck, card)
    if card.name in SHELLS:
        return ELEMENT, _shell(deck, card)
    if card.name in PROPERTIES:
        return PROPERTY, _property(deck, card)
    if card.name == "MAT1":
        return MATERIAL, _mat1(deck, card)
    if card.name == "ENDDATA":
        return END, 0
    if card.name in fr.KINDS:
        points = np.array([card.real(k) for k in range(3, 12)], float).reshape(3, 3)
        number = card.whole(1)
        if number in deck.frames:
            raise ValueError(f"frame {number} is given twice")
        deck.frames[number] = (fr.KINDS[card.name], card.whole(2, 0), points)
    elif card.name == "GRDSET":
        deck.default_frame = card.whole(2, 0)
    deck.carried[card.name] = deck.carried.get(card.name, 0) + 1
    return CARRIED, 0


def _positive(card: Card, number: int, blank: int | None = None) -> int:
    value = card.whole(number, blank)
    if value <= 0 or value > 2**62:
        raise ValueError(f"field {number + 1}: the id {value} is not a positive number of sensible size")
    return value


def _grid(deck: _Deck, card: Card) -> int:
    number = _positive(card, 1)
    if number in deck.node_ids:
        raise ValueError(f"GRID {number} is given twice")
    xyz = (card.real(3) or 0.0, card.real(4) or 0.0, card.real(5) or 0.0)
    if not np.isfinite(xyz).all():
        raise ValueError(f"GRID {number} has a coordinate that is not a finite number")
    deck.node_ids[number] = len(deck.given)
    frame = card.whole(2, deck.default_frame)
    if abs(frame) > 2**62:
        raise ValueError(f"GRID {number}: frame {frame} is not there")
    deck.node_frame.append(frame)
    deck.given.append(xyz)
    return number


def _shell(deck: _Deck, card: Card) -> int:
    number = _positive(card, 1)
    if number in deck.elements:
        raise ValueError(f"element {number} is given twice")
    kind, size = SHELLS[card.name]
    nodes = [_positive(card, 3 + k) for k in range(size)]
    deck.elements[number] = (kind, _positive(card, 2, number), nodes, len(deck.start) - 1)
    return number


def _property(deck: _Deck, card: Card) -> int:
    number = _positive(card, 1)
    deck.properties.add(number)
    if card.name == "PSHELL":
        if number in deck.shells:
            raise ValueError(f"PSHELL {number} is given twice")
        thickness = card.real(3, None)
        if thickness is not None and not 0 < thickness < np.inf:
            raise ValueError(f"PSHELL {number}: the thickness {thickness} is not positive")
        deck.shells[number] = (thickness, card.whole(2, 0) or None)
    else:
        deck.carried[card.name] = deck.carried.get(card.name, 0) + 1
    return number


def _mat1(deck: _Deck, card: Card) -> int:
    number = _positive(card, 1)
    if number in deck.materials:
        raise ValueError(f"MAT1 {number} is given twice")
    young, shear, poisson, density = (card.real(k, None) for k in (2, 3, 4, 5))
    if poisson is None and young and shear:
        poisson = young / (2.0 * shear) - 1.0
    deck.materials[number] = Material(number, young, poisson, density)
    return number


def _mesh(path: Path, deck: _Deck, text: bytes) -> Mesh:
    try:
        frames = fr.resolve(deck.frames)
    except ValueError as error:
        raise FormatError(str(path), str(error)) from error
    node_frame = np.array(deck.node_frame, np.int64)
    missing = set(np.unique(node_frame).tolist()) - frames.keys()
    if missing:
        number = next(n for n, f in zip(deck.node_ids, deck.node_frame, strict=True) if f in missing)
        raise FormatError(
            str(path), f"GRID {number} is given in frame {min(missing)}, which is not there as CORD2R, CORD2C or CORD2S"
        )
    given = np.array(deck.given, np.float64).reshape(-1, 3)
    parts = _parts(deck)
    part_index = {part.id: k for k, part in enumerate(parts)}
    rows: dict[str, list[tuple[int, int, list[int]]]] = {}
    for number, (kind, pid, nodes, record) in deck.elements.items():
        index = [deck.node_ids.get(node, -1) for node in nodes]
        if -1 in index:
            line = text[: deck.start[record]].count(b"\n") + 1
            node = nodes[index.index(-1)]
            raise FormatError(str(path), f"element {number} refers to GRID {node}, which is not there", f"line {line}")
        rows.setdefault(kind, []).append((number, part_index[pid], index))
    elements = {
        kind: Elements(
            np.array([row[2] for row in table], np.int32),
            np.array([row[0] for row in table], np.int64),
            np.array([row[1] for row in table], np.int32),
        )
        for kind, table in rows.items()
    }
    xyz = fr.to_basic(given, node_frame, frames)
    used = sorted(set(frames) - {0})
    sizes = [len(e[2]) for e in deck.elements.values()]
    records = Records(
        text=np.frombuffer(text, np.uint8),
        start=np.array(deck.start),
        role=np.array(deck.role, np.int8),
        key=np.array(deck.key, np.int64),
        node_frame=node_frame,
        node_given=given,
        element_part=np.array([e[1] for e in deck.elements.values()], np.int64),
        element_first=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64),
        element_nodes=np.array([n for e in deck.elements.values() for n in e[2]], np.int64),
        frame_id=np.array(used, np.int64),
        frame_kind=np.array([frames[k].kind for k in used], np.int64),
        frame_axes=np.array([np.vstack([frames[k].origin, frames[k].axes]) for k in used]).reshape(-1, 4, 3),
    )
    source = Source("nastran", deck.name, 1e-7, deck.carried, records, parts)
    return Mesh(xyz, elements, parts, np.array(list(deck.node_ids), np.int64), source=source)


def _parts(deck: _Deck) -> tuple[Part, ...]:
    """One part for each PSHELL, then one for each other property that a shell uses."""
    parts = []
    for number, (thickness, material) in deck.shells.items():
        held = None if material is None else deck.materials.get(material)
        parts.append(Part(f"property {number}", number, None, thickness, held))
    others = {e[1] for e in deck.elements.values()} - deck.shells.keys()
    parts += [Part(f"property {number}", number) for number in sorted(others)]
    return tuple(parts)
