"""Reading of a keyword deck."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.errors import FormatError
from oddseam.formats.files import Data
from oddseam.formats.includes import Expanded, expand
from oddseam.formats.keyword.keyword_elements import SECTIONS, TYPES, node_order, side_number
from oddseam.formats.keyword.keyword_lines import INCLUDE, Block, Lines
from oddseam.model import KINDS, Elements, Groups, Material, Mesh, Part, Source
from oddseam.model.source import ELEMENT, NODE, Records

_MOST = 2**62
_UNDERSTOOD = {"NODE", "ELEMENT", "NSET", "ELSET", "SURFACE", "MATERIAL", "ELASTIC", "DENSITY", "HEADING", *SECTIONS}


class _Nodes(NamedTuple):
    """Lines, ids and coordinates of nodes."""

    row: Array
    id: Array
    xyz: Array


@dataclass(frozen=True, eq=False)
class _Elements:
    """The elements of one keyword: kind, first line, ids, node ids in our order, and set."""

    kind: str
    row: Array
    id: Array
    nodes: Array
    set: str


@dataclass
class _Deck:
    """What has been understood so far; sets hold ids, and the names of other sets."""

    node_sets: dict[str, list[Array | range | str]] = field(default_factory=dict)
    element_sets: dict[str, list[Array | range | str]] = field(default_factory=dict)
    surfaces: dict[str, list[tuple[str, str]]] = field(default_factory=dict)
    sections: list[tuple[str, str, float | None]] = field(default_factory=list)
    materials: dict[str, Material] = field(default_factory=dict)
    carried: dict[str, int] = field(default_factory=dict)


def read(path: Path, data: Data) -> Mesh:
    """Read a keyword deck."""
    whole = expand(path, bytes(data[:]), INCLUDE)
    lines = Lines(whole)
    deck = _Deck()
    nodes: list[_Nodes] = []
    elements: list[_Elements] = []
    material = ""
    for block in lines.blocks:
        name = block.name
        if name == "NODE":
            nodes.append(_nodes(lines, block, deck))
        elif name == "ELEMENT":
            found = _elements(lines, block, deck)
            elements += [] if found is None else [found]
        elif name in ("NSET", "ELSET"):
            _set(lines, block, deck)
        elif name == "SURFACE" and block.options.get("TYPE", "ELEMENT").upper() == "ELEMENT":
            _surface(lines, block, deck)
        elif name in SECTIONS:
            _section(lines, block, deck)
        elif name == "MATERIAL":
            material = block.options.get("NAME", "").upper()
            deck.materials[material] = Material(len(deck.materials) + 1, name=block.options.get("NAME", ""))
        elif name in ("ELASTIC", "DENSITY") and material in deck.materials:
            _constants(lines, block, deck, material)
        if name not in _UNDERSTOOD:
            deck.carried[name] = deck.carried.get(name, 0) + 1
    if not nodes and not elements:
        raise FormatError(str(path), "no *NODE and no *ELEMENT that is understood in it")
    if not elements and not any(block.name in ("ELEMENT", "RIGID BODY", "INCLUDE") for block in lines.blocks):
        count = sum(len(ids) for _, ids, _ in nodes)
        raise FormatError(
            str(path), f"holds {count:,} nodes and no element: it is cut short, or a piece that others include"
        )
    return _mesh(path, whole, lines, deck, nodes, elements)


# ---------------------------------------------------------------------- blocks


def _nodes(lines: Lines, block: Block, deck: _Deck) -> _Nodes:
    rows = lines.data_rows(block)
    columns, _ = lines.fields(rows, 4)
    ids = _positive(lines, rows, columns.whole(0, "node"), "node")
    xyz = np.column_stack([columns.real(k, "node") for k in (1, 2, 3)]) if len(rows) else np.zeros((0, 3))
    if "NSET" in block.options:
        deck.node_sets.setdefault(block.options["NSET"].upper(), []).append(ids)
    return _Nodes(rows, ids, xyz)


def _positive(lines: Lines, rows: Array, ids: Array, what: str) -> Array:
    wrong = (ids <= 0) | (ids > _MOST)
    if wrong.any():
        lines.fail(int(rows[np.argmax(wrong)]), f"{what}: the id is not a positive number of sensible size")
    return ids


def _elements(lines: Lines, block: Block, deck: _Deck) -> _Elements | None:
    """Elements of a type that is known; others are carried."""
    type_ = block.options.get("TYPE", "").upper()
    kind = TYPES.get(type_)
    if kind is None:
        name = f"ELEMENT of type {type_ or 'unknown'}"
        deck.carried[name] = deck.carried.get(name, 0) + 1
        return None
    size = KINDS[kind].size
    rows = lines.data_rows(block)
    first, table, spare = _numbers(lines, rows, 1 + size, type_)
    if spare:
        what = f"further numbers behind the nodes of elements of type {type_}"
        deck.carried[what] = deck.carried.get(what, 0) + spare
    ids = _positive(lines, rows[first], table[:, 0], type_)
    _positive(lines, rows[first], table[:, 1:].min(axis=1, initial=_MOST), f"{type_}: a node")
    name = block.options.get("ELSET", "").upper()
    if name:
        deck.element_sets.setdefault(name, []).append(ids)
    nodes = table[:, 1:][:, list(node_order(kind, size))]
    return _Elements(kind, rows[first], ids, nodes, name)


def _numbers(lines: Lines, rows: Array, count: int, type_: str) -> tuple[Array, Array, int]:
    """So many numbers of each element: its first row, the numbers (m, count), and how many lines have more.

    An element goes on in the lines below until it has all; what a line has beyond that is not read, as solvers do.
    """
    columns, given = lines.fields(rows, count)
    if (given >= count).all():
        table = np.column_stack([columns.whole(k, type_) for k in range(count)])
        return np.arange(len(rows)), table, int((given > count).sum())
    spread = _spread(lines, rows, given, count, type_)
    return spread if spread is not None else _one_by_one(lines, rows, count, type_)


def _spread(lines: Lines, rows: Array, given: Array, count: int, type_: str) -> tuple[Array, Array, int] | None:
    """The same where all numbers of all lines count; ``None`` where they do not."""
    total, most = int(given.sum()), int(given.max(initial=0))
    at = np.cumsum(given) - given
    begin = np.arange(0, total, count)
    flat_row, flat = np.repeat(np.arange(len(rows)), given), np.zeros(total, np.int64)
    if total % count or most > count or (begin != at[flat_row[begin]]).any():
        return None
    for k in range(most):
        here = given > k
        part, _ = lines.fields(rows[here], k + 1)
        if not part.given(k).all():
            return None
        flat[at[here] + k] = part.whole(k, type_)
    return flat_row[begin], flat.reshape(-1, count), 0


def _one_by_one(lines: Lines, rows: Array, count: int, type_: str) -> tuple[Array, Array, int]:
    """The same, element by element."""
    first, table, spare = list[int](), list[list[int]](), 0
    held: list[int] = []
    for k, row in enumerate(rows.tolist()):
        words = [word.strip() for word in lines.text(row).split(",")]
        if not held:
            first.append(k)
        for word in (word for word in words if word):
            if not word.isdecimal():
                lines.fail(row, f"{type_}: {word!r} is not a whole number")
            held.append(int(word))
        spare += len(held) > count
        if len(held) >= count:
            table.append(held[:count])
            held = []
    if held:
        lines.fail(int(rows[first[-1]]), f"{type_}: {len(held)} numbers for an element, which takes {count}")
    return np.array(first, np.int64), np.array(table, np.int64).reshape(-1, count), spare


def _set(lines: Lines, block: Block, deck: _Deck) -> None:
    name = block.options.get(block.name, "").upper()
    if not name:
        lines.fail(block.line, f"*{block.name} has no name")
    held = (deck.node_sets if block.name == "NSET" else deck.element_sets).setdefault(name, [])
    for row, words in lines.words(block):
        try:
            if "GENERATE" in block.options:
                first, last, *step = (int(word) for word in words[:3])
                ids = range(first, last + 1, step[0] if step else 1)
                held += [ids] if ids and 0 < first <= _MOST and 0 < last <= _MOST else []
            else:
                numbers = [int(word) for word in words if word.lstrip("-").isdecimal()]
                held.append(np.array([n for n in numbers if 0 < n <= _MOST], np.int64))
                held += [word.upper() for word in words if word and not word.lstrip("-").isdecimal()]
        except ValueError:
            lines.fail(row, f"*{block.name} {name}: {', '.join(words[:3])!r} is not a range of ids")


def _surface(lines: Lines, block: Block, deck: _Deck) -> None:
    held = deck.surfaces.setdefault(block.options.get("NAME", "").upper(), [])
    for _, words in lines.words(block):
        held.append((words[0].upper(), words[1].upper() if len(words) > 1 else ""))


def _section(lines: Lines, block: Block, deck: _Deck) -> None:
    thickness = None
    if block.name == "SHELL SECTION":
        for row, words in lines.words(block):
            columns, _ = lines.fields(np.array([row]), 1)
            value = float(columns.real(0, "thickness")[0]) if words[0] else 0.0
            thickness = value if value > 0 else None
            break
    name = block.options.get("ELSET", "").upper()
    deck.sections.append((name, block.options.get("MATERIAL", "").upper(), thickness))


def _constants(lines: Lines, block: Block, deck: _Deck, material: str) -> None:
    """The first line of an isotropic material's constants."""
    rows = lines.data_rows(block)[:1]
    if not len(rows) or block.options.get("TYPE", "ISO").upper() not in ("ISO", "ISOTROPIC"):
        return
    columns, _ = lines.fields(rows, 2)
    old = deck.materials[material]
    one, two = float(columns.real(0, block.name)[0]), float(columns.real(1, block.name)[0])
    if block.name == "ELASTIC":
        deck.materials[material] = Material(old.id, one, two, old.density, old.name)
    else:
        deck.materials[material] = Material(old.id, old.young, old.poisson, one, old.name)


# ---------------------------------------------------------------------- the mesh


def _mesh(
    path: Path,
    whole: Expanded,
    lines: Lines,
    deck: _Deck,
    given: list[_Nodes],
    blocks: list[_Elements],
) -> Mesh:
    none = np.zeros(0, np.int64)
    empty = _Nodes(none, none, np.zeros((0, 3)))
    nodes = _Nodes(*(np.concatenate(its) for its in zip(empty, *given, strict=True)))
    _refuse_twice(lines, nodes.row, nodes.id, "node")
    _refuse_twice(
        lines,
        np.concatenate([none, *(b.row for b in blocks)]),
        np.concatenate([none, *(b.id for b in blocks)]),
        "element",
    )
    index = IdIndex(nodes.id)
    tables = []
    for block in blocks:
        at, wrong = index.of(block.nodes)
        if wrong.any():
            row, column = np.argwhere(wrong)[0].tolist()
            lines.fail(
                int(block.row[row]),
                f"element {block.id[row]} refers to node {block.nodes[row, column]}, which is not there",
            )
        tables.append(at)
    kinds = [kind for kind in KINDS if any(b.kind == kind for b in blocks)]
    ids = {kind: np.concatenate([b.id for b in blocks if b.kind == kind]) for kind in kinds}
    all_ids = np.concatenate([none, *ids.values()])
    elements_index = IdIndex(all_ids)
    members = {name: _members(deck.element_sets, name, elements_index) for name in deck.element_sets}
    parts, part = _parts(deck, members, blocks, len(all_ids), elements_index)
    elements, at_element = {}, 0
    for kind in kinds:
        table = np.concatenate([t for t, b in zip(tables, blocks, strict=True) if b.kind == kind])
        elements[kind] = Elements(
            table.astype(np.int32), ids[kind], part[at_element : at_element + len(table)].astype(np.int32)
        )
        at_element += len(table)
    groups = Groups(
        {name: _members(deck.node_sets, name, index) for name in deck.node_sets},
        members,
        _sides(deck, members, elements_index, kinds, ids),
    )
    records = _records(whole, lines, nodes, blocks, parts, part, elements_index)
    carried = deck.carried
    source = Source("keyword", path.name, 2.0**-52, carried, records, parts)
    return Mesh(nodes.xyz, elements, parts, nodes.id, groups, source=source)


def _refuse_twice(lines: Lines, rows: Array, ids: Array, what: str) -> None:
    order = np.argsort(ids, kind="stable")
    again = np.flatnonzero(ids[order][1:] == ids[order][:-1])
    if len(again):
        row = int(order[again[0] + 1])
        lines.fail(int(rows[row]), f"{what} {ids[row]} is given twice")


def _members(sets: dict[str, list[Array | range | str]], name: str, index: IdIndex) -> Array:
    """Indices of a set, other sets in it included, ids that are not there left out."""
    mark = np.zeros(len(index), bool)
    seen: set[str] = set()
    stack = [name]
    while stack:
        this = stack.pop()
        if this in seen:
            continue
        seen.add(this)
        for member in sets.get(this, ()):
            if isinstance(member, str):
                stack.append(member)
            elif isinstance(member, range):
                mark[index.within(member)] = True
            else:
                at, wrong = index.of(member)
                mark[at[~wrong]] = True
    return np.flatnonzero(mark).astype(np.int32)


def _parts(
    deck: _Deck, members: dict[str, Array], blocks: list[_Elements], count: int, index: IdIndex
) -> tuple[tuple[Part, ...], Array]:
    """A part for each section, then for each set or type of the elements that have none."""
    part = np.full(count, -1)
    parts: list[Part] = []
    for name, material, thickness in deck.sections:
        rows = members.get(name, np.zeros(0, np.int32))
        if name in [p.name for p in parts]:
            continue
        part[rows] = len(parts)
        parts.append(Part(name, len(parts) + 1, None, thickness, deck.materials.get(material)))
    for block in blocks:
        rows, _ = index.of(block.id)
        left = rows[part[rows] < 0]
        if len(left):
            name = block.set or block.kind
            known = next((k for k, p in enumerate(parts) if p.name == name), None)
            part[left] = len(parts) if known is None else known
            if known is None:
                parts.append(Part(name, len(parts) + 1))
    return tuple(parts), part


def _sides(
    deck: _Deck, members: dict[str, Array], index: IdIndex, kinds: list[str], ids: dict[str, Array]
) -> dict[str, Array]:
    kind_of = np.concatenate([np.zeros(0, np.int64), *(np.full(len(ids[k]), n) for n, k in enumerate(kinds))])
    sides: dict[str, Array] = {}
    for name, entries in deck.surfaces.items():
        found: list[Array] = []
        for of, label in entries:
            if of.isdecimal():
                at, wrong = index.of(np.array([int(of)]))
                rows = at[~wrong]
            else:
                rows = members.get(of, np.zeros(0, np.int64))
            for n in np.unique(kind_of[rows]).tolist():
                side = side_number(kinds[n], label)
                its = rows[kind_of[rows] == n]
                if 0 <= side < len(KINDS[kinds[n]].sides):
                    found.append(np.column_stack([its, np.full(len(its), side)]))
                else:
                    what = f"sides {label or '(none)'} of {kinds[n]} elements in *SURFACE {name}"
                    deck.carried[what] = deck.carried.get(what, 0) + len(its)
        sides[name] = np.concatenate([np.zeros((0, 2), np.int64), *found]).astype(np.int32)
    return sides


def _records(
    whole: Expanded, lines: Lines, nodes: _Nodes, blocks: list[_Elements],
    parts: tuple[Part, ...], part: Array, index: IdIndex,
) -> Records:  # fmt: skip
    """A record for each line; an element's further lines are carried by its first."""
    n = len(lines.start) - 1
    role, key = np.zeros(n, np.int8), np.zeros(n, np.int64)
    role[nodes.row], key[nodes.row] = NODE, nodes.id
    none = np.zeros(0, np.int64)
    row, ids = (np.concatenate([none, *(getattr(b, name) for b in blocks)]) for name in ("row", "id"))
    role[row], key[row] = ELEMENT, ids
    opens = np.ones(n, bool)
    for block in lines.blocks:
        if block.name == "ELEMENT" and block.options.get("TYPE", "").upper() in TYPES:
            rows = lines.data_rows(block)
            opens[rows] = role[rows] == ELEMENT
    order = np.argsort(row, kind="stable")
    size = np.concatenate([none, *(np.full(len(b.id), b.nodes.shape[1]) for b in blocks)])
    flat = np.concatenate([none, *(b.nodes.ravel() for b in blocks)])
    begin, first = np.cumsum(size) - size, np.concatenate([[0], np.cumsum(size[order])])
    take = np.repeat(begin[order] - first[:-1], size[order]) + np.arange(first[-1])
    at, _ = index.of(ids[order])
    part_ids = np.array([p.id for p in parts], np.int64)
    by_row = np.argsort(nodes.row, kind="stable")
    return Records(
        text=lines.data, start=np.append(lines.start[:-1][opens], len(whole.text)), role=role[opens], key=key[opens],
        node_frame=np.zeros(len(nodes.id), np.int64), node_given=nodes.xyz[by_row],
        element_part=part_ids[part[at]] if len(part_ids) else none, element_first=first, element_nodes=flat[take],
        frame_id=none, frame_kind=none, frame_axes=np.zeros((0, 4, 3)), **whole.as_records(),
    )  # fmt: skip
