"""Writing of a deck: what did not change goes back byte for byte."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array, IdIndex, listed
from oddseam.errors import FormatError
from oddseam.formats.dangling import list_dangling
from oddseam.formats.decks import PLAIN, Care, check_ids, check_properties, real_text
from oddseam.formats.files import write_whole
from oddseam.formats.heirs import Heirs, heirs_of
from oddseam.formats.includes import as_one
from oddseam.formats.loads import loads_of
from oddseam.formats.losses import Remarks, losses
from oddseam.formats.nastran.bulk_loads import load_cards
from oddseam.formats.nastran.bulk_trimming import trimmed_cards
from oddseam.formats.nastran.cards import ELEMENTS
from oddseam.formats.nastran.fields import LARGE, MOST_ID, SMALL, card_text, parse_card
from oddseam.formats.nastran.likeness import ShellExtras, carried_pressures, line_card
from oddseam.formats.nastran.points import (
    frames_of,
    grid_card,
    held_records,
    moved_grid,
    new_grids,
    nodes_changed,
    places_read,
    replaced,
)
from oddseam.formats.nastran.scanning import INCLUDE, Scan
from oddseam.formats.nastran.sums import drop_empty_sums
from oddseam.formats.rewriting import Differences, Rewriting, differences
from oddseam.model import KINDS, Material, Mesh, Part
from oddseam.model.source import ELEMENT, END, MATERIAL, NODE, PROPERTY, Records

#: The card that a new element of each kind is written on; lines only where they came on one.
_CARD_OF = {
    kind: name
    for name, card in reversed(ELEMENTS.items())
    for kind in (card.linear, card.quadratic)
    if kind not in ("", "line")
}


# ---------------------------------------------------------------------- cards


def _in_order(name: str, nodes: list[int]) -> list[int]:
    """Node ids as the card has them, from our order."""
    order = ELEMENTS[name].order
    if len(order) != len(nodes):
        return nodes
    placed = [0] * len(nodes)
    for here, there in enumerate(order):
        placed[there] = nodes[here]
    return placed


@cache
def _form(name: str, size: int) -> tuple[str, tuple[int, ...]]:
    """Template of a small-field card with so many nodes, and which of our nodes stands where."""
    order = _in_order(name, list(range(size)))
    cells = ["{:<8}"] * (2 + size)
    rows = ["".join(cells[k : k + 8]) for k in range(0, len(cells), 8)]
    return name.ljust(8) + ("\n" + " " * 8).join(rows), tuple(order)


def _element(kind: str, number: int, pid: int, nodes: list[int]) -> str:
    form, order = _form(_CARD_OF[kind], len(nodes))
    return form.format(number, pid, *(nodes[k] for k in order)).rstrip() + "\n"


def _pshell(part: Part) -> str:
    material = part.material
    assert material is not None and part.thickness is not None
    mid = str(material.id)
    return card_text("PSHELL", [str(part.id), mid, real_text(part.thickness, 8), mid, "", mid], SMALL)


def _psolid(part: Part) -> str:
    assert part.material is not None
    return card_text("PSOLID", [str(part.id), str(part.material.id)], SMALL)


def _mat1(material: Material) -> str:
    values = (material.young, None, material.poisson, material.density)
    return card_text("MAT1", [str(material.id), *("" if v is None else real_text(v, 16) for v in values)], LARGE)


def write(mesh: Mesh, path: Path, care: Care = PLAIN) -> Remarks:
    """Write a deck; the result says what it cannot hold."""
    records = held_records(mesh)
    known = set() if records is None else set(records.key[records.role == PROPERTY].tolist())
    if not any(kind in _CARD_OF for kind in mesh.elements) and records is None:
        raise FormatError(str(path), "the mesh has no shell or solid elements that a deck could hold")
    check_properties(mesh, path, _CARD_OF, known)
    check_ids(mesh, path, MOST_ID)
    held = [*_CARD_OF, *(["line"] if records is not None else [])]
    said = losses(mesh, kinds=held, holds={"unit in a comment", "parts", "ids", "properties", "groups"})
    lines = _new_deck(mesh, said) if records is None else _changed_deck(mesh, records, path, said, care)

    def fill(file: BinaryIO) -> None:
        file.writelines(lines)

    write_whole(path, fill)
    return said


def _element_cards(mesh: Mesh, kind: str, rows: Array) -> list[str]:
    """Cards of some elements of one kind."""
    block = mesh.elements[kind]
    pids = np.array([part.id for part in mesh.parts])[block.part[rows]].tolist()
    nodes = mesh.node_ids[block.connectivity[rows]].tolist()
    return [_element(kind, *row) for row in zip(block.ids[rows].tolist(), pids, nodes, strict=True)]


def _new_deck(mesh: Mesh, said: Remarks) -> list[bytes]:
    used = [part for index, part in enumerate(mesh.parts) if (mesh.element_part == index).any()]
    materials = {part.material.id: part.material for part in used if part.material is not None}
    on = np.zeros(mesh.n_nodes, bool)
    for kind, block in mesh.elements.items():
        if kind in _CARD_OF:
            on[block.connectivity] = True
    loads = loads_of(mesh)
    said.take(loads)
    head, cards = load_cards(mesh, loads.cases)
    text = ["$ written by Odd Seam\n", f"$ unit of length: {mesh.unit_name}\n"]
    text += [*(["SOL 101\nCEND\n", *head] if head else []), "BEGIN BULK\n"]
    for part in used:
        text.append(_named(part))
    text += [_mat1(material) for material in materials.values()]
    text += [_pshell(part) if part.thickness else _psolid(part) for part in used if part.material is not None]
    ids: list[int] = mesh.node_ids[on].tolist()
    text += [grid_card(number, xyz) for number, xyz in zip(ids, mesh.nodes[on].tolist(), strict=True)]
    for kind, block in mesh.elements.items():
        if kind in _CARD_OF:
            text += _element_cards(mesh, kind, np.arange(len(block)))
    text += [*_sets(mesh, on, said), *cards, "ENDDATA\n"]
    return [line.encode("utf-8") for line in text]


def _sets(mesh: Mesh, on: Array, said: Remarks) -> Iterator[str]:
    """Groups of elements, and of nodes as far as these are in the deck, as numbered sets with names in comments."""
    groups, number = mesh.groups, 0
    written = np.repeat([kind in _CARD_OF for kind in mesh.elements], [len(b) for b in mesh.elements.values()])
    for what, held, ids, there in (
        ("node", groups.nodes, mesh.node_ids, on),
        ("element", groups.elements, mesh.element_ids, written),
    ):
        for name, its in held.items():
            members = its[there[its]]
            if len(members) < len(its):
                said.lost.append(
                    f"{len(its) - len(members):,} {what}s of the group {name!r}, which are not in the deck"
                )
            if len(members):
                number += 1
                yield f"$ {what} set {number}: {name}\n"
                yield card_text("SET1", [str(number), *map(str, ids[members].tolist())], SMALL)
    if number:
        said.converted.append(f"names of {number:,} groups, to comments over their SET1 cards")
    if groups.sides:
        said.lost.append(f"{len(groups.sides):,} groups of sides")


def _named(part: Part) -> str:
    """A comment with the name of a part, from which it is read again."""
    return f"$ property {part.id}: {' '.join(part.name.split())}".encode()[:120].decode("utf-8", "ignore") + "\n"


def _changed_deck(mesh: Mesh, records: Records, path: Path, said: Remarks, care: Care) -> list[bytes]:
    """The deck with the cards rewritten that changed, and new ones before ENDDATA."""
    kinds = [*_CARD_OF, "line"]
    found = differences(mesh, records, nodes_changed(mesh), kinds, by_part=True)
    new = Rewriting(records)
    frames = frames_of(records)
    number = np.cumsum(records.role == NODE) - 1
    for record, row in found.moved.tolist():
        frame, given = frames.get(int(records.node_frame[number[record]])), records.node_given[number[record]]
        new.replace(record, moved_grid(new.record(record), mesh.nodes[row], frame, given))
    for record, kind, row in found.changed:
        block = mesh.elements[kind]
        its = mesh.node_ids[block.connectivity[row]].tolist()
        part = mesh.parts[int(block.part[row])].id
        new.replace(record, _reelement(new.record(record), (kind, int(block.ids[row]), part, its)))
    for gone, _ in found.gone.values():
        for record in gone.tolist():
            new.replace(record, b"")
    added = _changed_properties(mesh, records, new)
    added += new_grids(mesh, records, found.new_nodes)
    changed = set[int]()
    if found.new_elements or care != PLAIN:
        heirs = heirs_of(mesh, records, places_read(records), found, _kind_of(new))
        if found.new_elements:
            added += _new_elements(mesh, records, found, heirs, new, said)
        more, changed = _taken_care_of(mesh, records, found, heirs, new, said, care)
        added += more
    ends = np.flatnonzero(records.role == END)
    new.insert(int(ends[0]) if len(ends) else len(records.role), "".join(added))
    list_dangling(mesh, said, changed)
    return new.pieces(path, INCLUDE, said)


def _kind_of(new: Rewriting) -> Callable[[int], str]:
    """Gives the linear kind of the element in a record."""

    def kind(record: int) -> str:
        name = new.record(record)[:8].split(b",")[0].rstrip(b"* \t").upper().decode("latin-1")
        return ELEMENTS[name].linear if name in ELEMENTS else ""

    return kind


def _taken_care_of(
    mesh: Mesh, records: Records, found: Differences, heirs: Heirs, new: Rewriting, said: Remarks, care: Care
) -> tuple[list[str], set[int]]:
    """New cards of pressures, and which records were changed besides."""
    if care == PLAIN or mesh.source is None or mesh.source.references is None:
        return [], set()
    scan = Scan(as_one(records.text.tobytes()))
    cards, changed = list[str](), set[int]()
    if care.carry_loads and len(heirs.ids):
        keys = np.where(records.role == ELEMENT, records.key, -1)
        cards, changed = carried_pressures(scan, heirs, found.gone["element"][1], keys, new, said)
    if care.trim_references:
        gone = {what: ids for what, (_, ids) in found.gone.items()}
        left = {"node": mesh.node_ids, "element": mesh.element_ids}
        trimmed = trimmed_cards(scan, mesh.source.references, gone, left, heirs.successors(mesh, records), changed)
        said.listed += drop_empty_sums(scan, trimmed)
        for record, text in trimmed.texts.items():
            new.replace(record, text)
        said.carried += trimmed.kept()
        said.lost += trimmed.lost()
        changed |= set(trimmed.texts)
    return cards, changed


def _new_elements(
    mesh: Mesh, records: Records, found: Differences, heirs: Heirs, new: Rewriting, said: Remarks
) -> list[str]:
    """Cards of new elements, with what the cards of those they are like say besides property and nodes."""
    like = dict(zip(heirs.ids.tolist(), heirs.record.tolist(), strict=True))
    lies = dict(zip(heirs.ids.tolist(), heirs.on.tolist(), strict=True))
    extras, cards, lost = ShellExtras(new), [], list[int]()
    where = _Corners(records)
    for kind, rows in found.new_elements:
        block = mesh.elements[kind]
        ids = block.ids[rows].tolist()
        if kind == "line":
            for number, nodes in zip(ids, mesh.node_ids[block.connectivity[rows]].tolist(), strict=True):
                if like.get(number, -1) < 0:
                    lost.append(number)
                else:
                    cards.append(line_card(new.record(like[number]).decode("latin-1"), number, nodes))
            continue
        texts = _element_cards(mesh, kind, rows)
        if kind in ("tri", "quad"):
            for k, (number, row) in enumerate(zip(ids, rows.tolist(), strict=True)):
                record = like.get(number, -1)
                if record >= 0:
                    old = where.of(record) if lies[number] else None
                    texts[k] = extras.with_extras(texts[k], record, mesh.nodes[block.connectivity[row]], old)
        cards += texts
    if lost:
        said.lost.append(f"{len(lost):,} line elements, for no other one of their part is near: {listed(lost)}")
    said.lost += [f"{what} on new elements {listed(ids)}" for what, ids in extras.left.items()]
    return cards


class _Corners:
    """Where the nodes of elements in records were."""

    def __init__(self, records: Records) -> None:
        self._records = records
        self._index = IdIndex(records.key[records.role == NODE])
        self._placed = places_read(records)
        self._number = np.cumsum(records.role == ELEMENT) - 1

    def of(self, record: int) -> Array | None:
        """(c, 3) the nodes of one, or ``None`` if any is not there."""
        k = int(self._number[record])
        nodes = self._records.element_nodes[self._records.element_first[k] : self._records.element_first[k + 1]]
        row, missing = self._index.of(nodes)
        return None if missing.any() else self._placed[row]


def _changed_properties(mesh: Mesh, records: Records, new: Rewriting) -> list[str]:
    """Rewrite properties and materials that changed; the cards of new ones."""
    assert mesh.source is not None
    part_before = {part.id: part for part in mesh.source.parts}
    parts = {part.id: part for part in mesh.parts}
    material_before = {p.material.id: p.material for p in mesh.source.parts if p.material is not None}
    materials = {p.material.id: p.material for p in mesh.parts if p.material is not None}
    seen: set[tuple[int, int]] = set()
    for k in np.flatnonzero(np.isin(records.role, (PROPERTY, MATERIAL))).tolist():
        role, key = int(records.role[k]), int(records.key[k])
        seen.add((role, key))
        if role == PROPERTY and key in parts and parts[key] != part_before.get(key):
            name, material = _name(new.record(k)), parts[key].material
            mid = str(material.id) if material else ""
            if name == "PSHELL":
                new.replace(k, replaced(new.record(k), {2: mid, 3: real_text(parts[key].thickness or 0.0, 8)}))
            elif name == "PSOLID" and mid:
                new.replace(k, replaced(new.record(k), {2: mid}))
        elif role == MATERIAL and key in materials and materials[key] != material_before.get(key):
            new.replace(k, _mat1(materials[key]))
    added = [_mat1(m) for number, m in materials.items() if (MATERIAL, number) not in seen]
    named = {part.id: part.name for part in mesh.source.parts}
    shells = {int(k) for kind, b in mesh.elements.items() if KINDS[kind].dimension == 2 for k in np.unique(b.part)}
    for row, part in enumerate(mesh.parts):
        if (PROPERTY, part.id) in seen:
            added += [_named(part)] if part.name != named.get(part.id, part.name) else []
        elif part.material is not None and (part.thickness or row not in shells):
            added += [_named(part), _pshell(part) if part.thickness else _psolid(part)]
    return added


def _name(text: bytes) -> str:
    return parse_card(text.decode("latin-1").splitlines()).name


def _reelement(text: bytes, row: tuple[str, int, int, list[int]]) -> bytes:
    kind, number, pid, nodes = row
    name = _name(text)
    card = ELEMENTS.get(name)
    if card is None or kind not in (card.linear, card.quadratic):
        return _element(kind, number, pid, nodes).encode()
    first = card.nodes + 1
    changes = {first + k: str(node) for k, node in enumerate(_in_order(name, nodes))}
    return replaced(text, {2: str(pid), **changes} if card.has_property else changes)
