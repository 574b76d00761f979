"""Reading of a deck: cut into records, interpret those we know, carry the others.

Nodes and elements are read by the column; the few cards of other kinds one by one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.errors import FormatError
from oddseam.formats.columns import Columns
from oddseam.formats.files import Data
from oddseam.formats.includes import Expanded, expand
from oddseam.formats.nastran import frames as fr
from oddseam.formats.nastran.cards import ELEMENTS, PROPERTIES, ElementCard
from oddseam.formats.nastran.fields import Card
from oddseam.formats.nastran.scanning import INCLUDE, Scan
from oddseam.model import KINDS, Elements, Material, Mesh, Part, Source
from oddseam.model.source import ELEMENT, END, MATERIAL, NODE, PROPERTY, Records

#: A comment with the name of a property.
PROPERTY_NAME = re.compile(rb"^\$[ \t]*property[ \t]+(\d{1,8}):[ \t]*([^\r\n]*)", re.IGNORECASE | re.MULTILINE)
#: More than any id has digits for.
_MOST = 2**62


@dataclass
class _Deck:
    """What the few cards say."""

    shells: dict[int, tuple[float | None, int | None]] = field(default_factory=dict)
    properties: dict[int, str] = field(default_factory=dict)
    materials: dict[int, Material] = field(default_factory=dict)
    frames: dict[int, tuple[int, int, Array]] = field(default_factory=dict)
    default_frame: int = 0


@dataclass(frozen=True, eq=False)
class _Block:
    """The elements of one card and kind: records, ids, properties and node ids in our order."""

    kind: str
    record: Array
    id: Array
    part: Array
    nodes: Array


def read(path: Path, data: Data) -> Mesh:
    """Read a deck."""
    text = bytes(data[:])
    if b"\0" in text[:4096]:
        raise FormatError(str(path), "not a text file")
    whole = expand(path, text, INCLUDE)
    scan = Scan(whole)
    role, key = np.zeros(len(scan.name), np.int8), np.zeros(len(scan.name), np.int64)
    deck = _Deck()
    _take_few(scan, deck, role, key)
    grids = scan.of("GRID")
    columns = scan.fields(grids, 7)
    ids = _checked_ids(scan, grids, columns, "GRID")
    frame = columns.whole(1, "GRID", deck.default_frame)
    given = np.column_stack([columns.real(k, "GRID") for k in (2, 3, 4)]) if len(grids) else np.zeros((0, 3))
    role[grids], key[grids] = NODE, ids
    partial = _of_grids(columns)
    blocks = [block for name, card in ELEMENTS.items() for block in _element_blocks(scan, name, card, partial)]
    for block in blocks:
        role[block.record], key[block.record] = ELEMENT, block.id
    if not len(grids) and not blocks:
        raise FormatError(str(path), "no GRID card and no element in it")
    if not blocks and not any(name.startswith(("C", "R")) and not name.startswith("CORD") for name in scan.names):
        raise FormatError(
            str(path), f"holds {len(grids):,} nodes and no element: it is cut short, or a piece that others include"
        )
    role[scan.of("ENDDATA")] = END
    return _mesh(path, whole, scan, deck, (ids, frame, given), blocks, (role, key), partial)


def _of_grids(columns: Columns) -> dict[str, int]:
    """What cards of nodes say besides where they are, with counts."""
    told = {"frames for output on GRID cards": 5, "constraints on GRID cards": 6}
    return {what: count for what, k in told.items() if (count := int((columns.numbers(k)[0] > 0).sum()))}


@contextmanager
def _placed(scan: Scan, record: int) -> Iterator[None]:
    """Turn a plain complaint into one that names the line."""
    try:
        yield
    except ValueError as error:
        scan.fail(record, str(error))


def _take_few(scan: Scan, deck: _Deck, role: Array, key: Array) -> None:
    """Properties, materials and frames."""
    for name in PROPERTIES:
        for record, card in scan.cards(name):
            with _placed(scan, record):
                role[record], key[record] = PROPERTY, _property(deck, card)
    for record, card in scan.cards("MAT1"):
        with _placed(scan, record):
            role[record], key[record] = MATERIAL, _mat1(deck, card)
    for name in fr.KINDS:
        for record, card in scan.cards(name):
            with _placed(scan, record):
                points = np.array([card.real(k) for k in range(3, 12)], float).reshape(3, 3)
                number = card.whole(1)
                if number in deck.frames:
                    raise ValueError(f"frame {number} is given twice")
                deck.frames[number] = (fr.KINDS[name], card.whole(2, 0), points)
    for record, card in scan.cards("GRDSET"):
        with _placed(scan, record):
            deck.default_frame = card.whole(2, 0)


def _positive(card: Card, number: int, blank: int | None = None) -> int:
    value = card.whole(number, blank)
    if not 0 < value <= _MOST:
        raise ValueError(f"field {number + 1}: the id {value} is not a positive number of sensible size")
    return value


def _property(deck: _Deck, card: Card) -> int:
    number = _positive(card, 1)
    if number in deck.properties and card.name == deck.properties[number]:
        raise ValueError(f"{card.name} {number} is given twice")
    deck.properties.setdefault(number, card.name)
    thickness = card.real(3, None) if card.name == "PSHELL" else _plies(card) if card.name == "PCOMP" else None
    if card.name == "PSHELL" and thickness is not None and not 0 < thickness < np.inf:
        raise ValueError(f"PSHELL {number}: the thickness {thickness} is not positive")
    material = card.whole(2, 0) or None if card.name in ("PSHELL", "PSOLID") else None
    deck.shells.setdefault(number, (thickness, material))
    return number


def _plies(card: Card) -> float | None:
    """Thickness of a laminate: its plies, twice if it is symmetric; a blank one repeats the last."""
    total, last = 0.0, None
    for k in range(9, len(card.fields) + 1, 4):
        if not any(card.text(k + j) for j in range(4)):
            continue
        last = card.real(k + 1, last)
        total += last or 0.0
    total *= 2.0 if card.text(8).upper() == "SYM" else 1.0
    return total if 0 < total < np.inf else None


def _mat1(deck: _Deck, card: Card) -> int:
    number = _positive(card, 1)
    if number in deck.materials:
        raise ValueError(f"MAT1 {number} is given twice")
    young, shear, poisson, density = (card.real(k, None) for k in (2, 3, 4, 5))
    if poisson is None and young and shear:
        poisson = young / (2.0 * shear) - 1.0
    deck.materials[number] = Material(number, young, poisson, density)
    return number


# ---------------------------------------------------------------------- columns


def _checked_ids(scan: Scan, records: Array, columns: Columns, name: str) -> Array:
    """The ids in the first field: positive, all different."""
    ids = columns.whole(0, name)
    _refuse(
        scan,
        records,
        np.asarray((ids <= 0) | (ids > _MOST)),
        f"{name}: the id is not a positive number of sensible size",
    )
    order = np.argsort(ids, kind="stable")
    again = np.zeros(len(ids), bool)
    again[order[1:]] = ids[order[1:]] == ids[order[:-1]]
    if again.any():
        row = int(np.argmax(again))
        scan.fail(int(records[row]), f"{name} {ids[row]} is given twice")
    return ids


def _refuse(scan: Scan, records: Array, wrong: Array, reason: str) -> None:
    if wrong.any():
        scan.fail(int(records[np.argmax(wrong)]), reason)


def _refuse_nodes(scan: Scan, records: Array, nodes: Array, name: str) -> None:
    wrong = np.asarray(((nodes <= 0) | (nodes > _MOST)).any(axis=1))
    _refuse(scan, records, wrong, f"{name}: a node is not a positive number")


def _element_blocks(scan: Scan, name: str, card: ElementCard, partial: dict[str, int]) -> Iterator[_Block]:
    """The elements of one card: those with all midside nodes, and those without; ``partial`` counts what is neither."""
    records = scan.of(name)
    if not len(records):
        return
    corners = KINDS[card.linear].size
    size = KINDS[card.quadratic].size if card.quadratic else corners
    columns = scan.fields(records, card.nodes + size)
    ids = _checked_ids(scan, records, columns, name)
    part = columns.whole(1, name, 0) if card.has_property else np.zeros(len(ids), np.int64)
    part = np.where(part == 0, ids, part) if card.has_property else part
    _refuse(scan, records, (part < 0) | (part > _MOST), f"{name}: the property is not a positive number")
    middle = [columns.given(card.nodes + k) for k in range(corners, size)]
    whole = np.logical_and.reduce(middle) if middle else np.zeros(len(ids), bool)
    some = int((np.logical_or.reduce(middle) & ~whole).sum()) if middle else 0
    if some:
        partial[f"{name} with some of its midside nodes, read by its corners"] = some
    nodes = np.column_stack([columns.whole(card.nodes + k, name) for k in range(corners)])
    _refuse_nodes(scan, records, nodes, name)
    if not whole.all():
        plain = ~whole
        yield _Block(card.linear, records[plain], ids[plain], part[plain], nodes[plain])
    if whole.any():
        rows = records[whole]
        more = scan.fields(rows, card.nodes + size)
        table = np.column_stack([more.whole(card.nodes + k, name) for k in card.order])
        _refuse_nodes(scan, rows, table, name)
        yield _Block(card.quadratic, rows, ids[whole], part[whole], table)


# ---------------------------------------------------------------------- the mesh


def _mesh(
    path: Path,
    whole: Expanded,
    scan: Scan,
    deck: _Deck,
    grid: tuple[Array, Array, Array],
    blocks: list[_Block],
    of_records: tuple[Array, Array],
    partial: dict[str, int],
) -> Mesh:
    try:
        frames = fr.resolve(deck.frames)
    except ValueError as error:
        raise FormatError(str(path), str(error)) from error
    node_ids, node_frame, given = grid
    missing = ~np.isin(node_frame, list(frames))
    if missing.any():
        row = int(np.argmax(missing))
        what = f"GRID {node_ids[row]} is given in frame {node_frame[row]}"
        scan.fail(int(scan.of("GRID")[row]), f"{what}, which is not there as CORD2R, CORD2C or CORD2S")
    parts = _parts(deck, blocks, _names(whole.text))
    elements = _elements(scan, node_ids, blocks, np.array([part.id for part in parts], np.int64))
    used = sorted(set(frames) - {0})
    record = np.concatenate([np.zeros(0, np.int64), *(b.record for b in blocks)])
    in_order = np.argsort(record, kind="stable")
    of_part = np.concatenate([np.zeros(0, np.int64), *(b.part for b in blocks)])
    flat = np.concatenate([np.zeros(0, np.int64), *(b.nodes.ravel() for b in blocks)])
    size = np.concatenate([np.zeros(0, np.int64), *(np.full(len(b.id), b.nodes.shape[1]) for b in blocks)])
    begin = np.cumsum(size) - size
    first = np.concatenate([[0], np.cumsum(size[in_order])])
    take = np.repeat(begin[in_order] - first[:-1], size[in_order]) + np.arange(first[-1])
    records = Records(
        text=scan.data,
        start=scan.start,
        role=of_records[0],
        key=of_records[1],
        node_frame=node_frame,
        node_given=given,
        element_part=of_part[in_order],
        element_first=first,
        element_nodes=flat[take],
        frame_id=np.array(used, np.int64),
        frame_kind=np.array([frames[k].kind for k in used], np.int64),
        frame_axes=np.array([np.vstack([frames[k].origin, frames[k].axes]) for k in used]).reshape(-1, 4, 3),
        **whole.as_records(),
    )
    xyz = fr.to_basic(given, node_frame, frames)
    source = Source("nastran", path.name, 1e-7, {**_carried(scan), **partial}, records, parts)
    return Mesh(xyz, elements, parts, node_ids, source=source)


def _elements(scan: Scan, node_ids: Array, blocks: list[_Block], part_ids: Array) -> dict[str, Elements]:
    of_nodes, of_parts = IdIndex(node_ids), IdIndex(part_ids)
    made: dict[str, list[Elements]] = {}
    for block in blocks:
        index, wrong = of_nodes.of(block.nodes)
        if wrong.any():
            row, column = np.argwhere(wrong)[0].tolist()
            scan.fail(
                int(block.record[row]),
                f"element {block.id[row]} refers to GRID {block.nodes[row, column]}, which is not there",
            )
        part, _ = of_parts.of(block.part)
        made.setdefault(block.kind, []).append(Elements(index.astype(np.int32), block.id, part.astype(np.int32)))
    return {
        kind: Elements(
            np.concatenate([b.connectivity for b in some]),
            np.concatenate([b.ids for b in some]),
            np.concatenate([b.part for b in some]),
        )
        for kind, some in made.items()
    }


def _parts(deck: _Deck, blocks: list[_Block], names: dict[int, str]) -> tuple[Part, ...]:
    """One part for each property, then one for each that an element uses but no card gives."""
    used = {int(n) for block in blocks for n in np.unique(block.part).tolist()}
    parts = []
    for number, (thickness, material) in deck.shells.items():
        if number in used or deck.properties[number] == "PSHELL":
            held = None if material is None else deck.materials.get(material)
            parts.append(Part(names.get(number, f"property {number}"), number, None, thickness, held))
    for n in sorted(used - deck.shells.keys()):
        parts.append(Part(names.get(n, f"property {n}") if n else "rods without a property", n))
    return tuple(parts)


def _names(text: bytes) -> dict[int, str]:
    """Names of properties in comments such as ours: ``$ property 4: flange``."""
    found = ((int(number), name.decode("utf-8", "replace").strip()) for number, name in PROPERTY_NAME.findall(text))
    names: dict[int, str] = {}
    for number, name in dict(found).items():  # of several for one number the last
        if name and name not in names.values():
            names[number] = name
    return names


def _carried(scan: Scan) -> dict[str, int]:
    """Cards that are not interpreted, with counts."""
    known = {"GRID", "PSHELL", "PSOLID", "MAT1", "ENDDATA", *ELEMENTS}
    carried = {name: count for name, count in scan.counts().items() if name and name not in known}
    return carried
