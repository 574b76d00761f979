"""Writing of a deck: what did not change goes back byte for byte."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.decks import changed_nodes, check_ids, check_properties, listed, real_text, rounded_nodes
from oddseam.formats.files import write_whole
from oddseam.formats.losses import losses
from oddseam.formats.nastran.cards import ELEMENTS, REFERENCES
from oddseam.formats.nastran.fields import LARGE, MOST_ID, SMALL, card_text, parse_card
from oddseam.formats.nastran.frames import Frame, to_basic
from oddseam.formats.nastran.scanning import Scan
from oddseam.model import Material, Mesh, Part
from oddseam.model.source import ELEMENT, END, MATERIAL, NODE, PROPERTY, Records

#: The card that a new element of each kind is written on; lines only where they came on one.
_CARD_OF = {
    kind: name
    for name, card in reversed(ELEMENTS.items())
    for kind in (card.linear, card.quadratic)
    if kind not in ("", "line")
}


def _held_records(mesh: Mesh) -> Records | None:
    return mesh.source.records if mesh.source is not None and mesh.source.format == "nastran" else None


def _frames(records: Records) -> dict[int, Frame]:
    table = zip(records.frame_id.tolist(), records.frame_kind.tolist(), records.frame_axes, strict=True)
    return {number: Frame(kind, axes[0], axes[1:]) for number, kind, axes in table}


def _as_read(records: Records) -> Array:
    """Where the node records put their nodes, in the basic system."""
    return to_basic(records.node_given, records.node_frame, _frames(records))


def _changed_nodes(mesh: Mesh) -> Array:
    records = _held_records(mesh)
    return changed_nodes(mesh, records, None if records is None else _as_read(records))


def rounded(mesh: Mesh) -> Mesh:
    """The mesh with the coordinates that the cards hold: sixteen characters each."""
    return rounded_nodes(mesh, _changed_nodes(mesh), 16)


# ---------------------------------------------------------------------- cards


def _grid(number: int, frame: int, xyz: list[float]) -> str:
    x, y, z = (real_text(value, 16) for value in xyz)
    return f"GRID*   {number:<16}{frame or '':<16}{x:<16}{y}".rstrip() + f"\n*       {z}\n"


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


def write(mesh: Mesh, path: Path) -> list[str]:
    """Write a deck; the result says what it cannot hold."""
    records = _held_records(mesh)
    known = set() if records is None else set(records.key[records.role == PROPERTY].tolist())
    if not any(kind in _CARD_OF for kind in mesh.elements) and records is None:
        raise FormatError(str(path), "the mesh has no shell or solid elements that a deck could hold")
    check_properties(mesh, path, _CARD_OF, known)
    check_ids(mesh, path, MOST_ID)
    held = [*_CARD_OF, *(["line"] if records is not None else [])]
    notes = losses(mesh, kinds=held, holds={"parts", "ids", "properties"})
    if mesh.unit is not None:
        notes[0] += ", but for a comment"
    lines = _new_deck(mesh) if records is None else _changed_deck(mesh, records, notes)

    def fill(file: BinaryIO) -> None:
        file.writelines(lines)

    write_whole(path, fill)
    return notes


def _element_rows(mesh: Mesh) -> list[tuple[str, int, int, list[int]]]:
    """(kind, id, property id, node ids) of every element that a deck holds."""
    rows = []
    pids = [part.id for part in mesh.parts]
    for kind, block in mesh.elements.items():
        if kind in _CARD_OF or kind == "line":
            node_ids = mesh.node_ids[block.connectivity].tolist()
            table = zip(block.ids.tolist(), block.part.tolist(), node_ids, strict=True)
            rows += [(kind, number, pids[part], nodes) for number, part, nodes in table]
    return rows


def _new_deck(mesh: Mesh) -> list[bytes]:
    used = [part for index, part in enumerate(mesh.parts) if (mesh.element_part == index).any()]
    materials = {part.material.id: part.material for part in used if part.material is not None}
    on = np.zeros(mesh.n_nodes, bool)
    for kind, block in mesh.elements.items():
        if kind in _CARD_OF:
            on[block.connectivity] = True
    text = ["$ written by Odd Seam\n", f"$ unit of length: {mesh.unit_name}\n", "BEGIN BULK\n"]
    for part in used:
        text.append(f"$ property {part.id}: {' '.join(part.name.split())}\n"[:72].rstrip("\n") + "\n")
    text += [_mat1(material) for material in materials.values()]
    text += [_pshell(part) if part.thickness else _psolid(part) for part in used if part.material is not None]
    ids: list[int] = mesh.node_ids[on].tolist()
    text += [_grid(number, 0, xyz) for number, xyz in zip(ids, mesh.nodes[on].tolist(), strict=True)]
    text += [_element(*row) for row in _element_rows(mesh) if row[0] in _CARD_OF]
    text.append("ENDDATA\n")
    return [line.encode("latin-1", "replace") for line in text]


def _changed_deck(mesh: Mesh, records: Records, notes: list[str]) -> list[bytes]:
    """The records in their order, those that changed rewritten, new ones before ENDDATA."""
    raw = records.text.tobytes()
    bounds = records.start.tolist()
    frames = _frames(records)
    moved = _changed_nodes(mesh)
    row_of_node = {number: row for row, number in enumerate(mesh.node_ids.tolist())}
    elements = {row[1]: row for row in _element_rows(mesh)}
    as_read = {}
    firsts = records.element_first.tolist()
    for k, number in enumerate(records.key[records.role == ELEMENT].tolist()):
        nodes = records.element_nodes[firsts[k] : firsts[k + 1]].tolist()
        as_read[number] = (int(records.element_part[k]), nodes)
    assert mesh.source is not None
    part_before = {part.id: part for part in mesh.source.parts}
    parts = {part.id: part for part in mesh.parts}
    material_before = {p.material.id: p.material for p in mesh.source.parts if p.material is not None}
    materials = {p.material.id: p.material for p in mesh.parts if p.material is not None}

    out: list[bytes] = []
    gone: dict[str, list[int]] = {"node": [], "element": []}
    end = len(records.role)
    nodes_seen = 0
    seen: set[tuple[int, int]] = set()
    for k, (role, key) in enumerate(zip(records.role.tolist(), records.key.tolist(), strict=True)):
        text = raw[bounds[k] : bounds[k + 1]]
        seen.add((role, key))
        if role == END:
            end = len(out)
        elif role == NODE:
            frame = int(records.node_frame[nodes_seen])
            nodes_seen += 1
            row = row_of_node.get(key)
            if row is None:
                gone["node"].append(key)
                continue
            if moved[row]:
                xyz = mesh.nodes[row]
                local = xyz if frame == 0 else frames[frame].from_basic(xyz[None])[0]
                text = _regrid(text, local.tolist())
        elif role == ELEMENT:
            row_now = elements.get(key)
            if row_now is None:
                gone["element"].append(key)
                continue
            if (row_now[2], row_now[3]) != as_read[key]:
                text = _reelement(text, row_now)
        elif role == PROPERTY and key in parts and parts[key] != part_before.get(key):
            if _name(text) == "PSHELL":
                material = parts[key].material
                text = _replaced(text, {2: str(material.id) if material else "",
                                        3: real_text(parts[key].thickness or 0.0, 8)})  # fmt: skip
        elif role == MATERIAL and key in materials and materials[key] != material_before.get(key):
            text = _mat1(materials[key]).encode()
        out.append(text)
    end = min(end, len(out))
    new: list[str] = []
    new += [_mat1(m) for number, m in materials.items() if (MATERIAL, number) not in seen]
    new += [_pshell(p) for p in mesh.parts if (PROPERTY, p.id) not in seen and p.thickness and p.material]
    new += [
        _grid(number, 0, mesh.nodes[row].tolist()) for number, row in row_of_node.items() if (NODE, number) not in seen
    ]
    new += [_element(*row) for n, row in elements.items() if (ELEMENT, n) not in seen and row[0] in _CARD_OF]
    if new and end and not out[end - 1].endswith((b"\n", b"\r")):
        out[end - 1] += b"\n"
    out[end:end] = [line.encode() for line in new]
    _report_gone(raw, gone, notes)
    return out


def _report_gone(raw: bytes, gone: dict[str, list[int]], notes: list[str]) -> None:
    """List what is gone, and the carried cards that still refer to it."""
    if not any(gone.values()):
        return
    what = " and ".join(f"{len(ids):,} {name}s" for name, ids in gone.items() if ids)
    notes.append(f"{what} of the original deck")
    lost = {(kind, number) for kind, ids in gone.items() for number in ids}
    scan = Scan(raw)
    for name, refer in REFERENCES.items():
        cards, found = 0, set[int]()
        for _, card in scan.cards(name):
            hit = {number for kind, number in refer(card) if (kind, number) in lost}
            cards += bool(hit)
            found |= hit
        if cards:
            notes.append(f"{cards:,} {name} card(s), written as they were, refer to what is gone: {listed(found)}")


def _name(text: bytes) -> str:
    return parse_card(text.decode("latin-1").splitlines()).name


def _replaced(text: bytes, changes: dict[int, str]) -> bytes:
    """The card with some fields changed, in its own style if the values fit."""
    card = parse_card(text.decode("latin-1").splitlines())
    fields = list(card.fields)
    for number, value in changes.items():
        fields += [""] * (number - len(fields))
        fields[number - 1] = value
    style = card.style
    if style == SMALL and any(len(value) > 8 for value in fields):
        style = LARGE
    return card_text(card.name, fields, style).encode("latin-1")


def _regrid(text: bytes, xyz: list[float]) -> bytes:
    return _replaced(text, {3: real_text(xyz[0], 16), 4: real_text(xyz[1], 16), 5: real_text(xyz[2], 16)})


def _reelement(text: bytes, row: tuple[str, int, int, list[int]]) -> bytes:
    kind, number, pid, nodes = row
    name = _name(text)
    card = ELEMENTS.get(name)
    if card is None or kind not in (card.linear, card.quadratic):
        return _element(kind, number, pid, nodes).encode()
    first = card.nodes + 1
    changes = {first + k: str(node) for k, node in enumerate(_in_order(name, nodes))}
    return _replaced(text, {2: str(pid), **changes} if card.has_property else changes)
