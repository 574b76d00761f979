"""Writing of a keyword deck: what did not change goes back byte for byte."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.dangling import list_dangling
from oddseam.formats.decks import PLAIN, Care, changed_nodes, check_ids, check_properties, real_text, rounded_nodes
from oddseam.formats.files import write_whole
from oddseam.formats.heirs import heirs_of
from oddseam.formats.includes import as_one
from oddseam.formats.keyword.elements import TYPE_OF, TYPES, node_order, side_label
from oddseam.formats.keyword.lines import INCLUDE, Lines
from oddseam.formats.keyword.trimming import trimmed_lines
from oddseam.formats.losses import Remarks, losses
from oddseam.formats.rewriting import Differences, Rewriting, differences
from oddseam.model import KINDS, Material, Mesh, Part
from oddseam.model.source import ELEMENT, NODE, Records

#: The solver reads the first twenty characters of a number, and ids of nine digits.
_WIDTH, _MOST_ID = 20, 999_999_999
_ON_A_LINE = 16


def _held_records(mesh: Mesh) -> Records | None:
    return mesh.source.records if mesh.source is not None and mesh.source.format == "keyword" else None


def rounded(mesh: Mesh) -> Mesh:
    """The mesh with the coordinates that the deck holds: twenty characters each."""
    records = _held_records(mesh)
    changed = changed_nodes(mesh, records, None if records is None else records.node_given)
    return rounded_nodes(mesh, changed, _WIDTH)


def write(mesh: Mesh, path: Path, care: Care = PLAIN) -> Remarks:
    """Write a deck; the result says what it cannot hold."""
    records = _held_records(mesh)
    if records is None and not any(kind in TYPE_OF and KINDS[kind].dimension > 1 for kind in mesh.elements):
        raise FormatError(str(path), "the mesh has no shell or solid elements that a deck could hold")
    solid = [kind for kind in TYPE_OF if KINDS[kind].dimension > 1]
    check_properties(mesh, path, solid, ())
    check_ids(mesh, path, _MOST_ID)
    holds = {"unit in a comment", "parts", "ids", "properties", "groups"}
    said = losses(mesh, kinds=TYPE_OF if records is not None else solid, holds=holds)
    lines = list(_new_deck(mesh, said)) if records is None else _changed_deck(mesh, records, path, said, care)

    def fill(file: BinaryIO) -> None:
        file.writelines(line if isinstance(line, bytes) else line.encode("utf-8") for line in lines)

    write_whole(path, fill)
    return said


# ---------------------------------------------------------------------- lines


def _node(number: int, xyz: list[float]) -> str:
    x, y, z = (real_text(value, _WIDTH) for value in xyz)
    return f"{number}, {x}, {y}, {z}\n"


def _row(values: Iterable[int]) -> str:
    """Numbers on as few lines as they take."""
    words = list(map(str, values))
    rows = [", ".join(words[k : k + _ON_A_LINE]) for k in range(0, len(words), _ON_A_LINE)]
    return ",\n".join(rows) + "\n"


def _element(kind: str, number: int, nodes: list[int]) -> str:
    order = node_order(kind, len(nodes))
    placed = [0] * len(nodes)
    for here, there in enumerate(order):
        placed[there] = nodes[here]
    return _row([number, *placed])


def _names(parts: Iterable[str]) -> dict[str, str]:
    """Set names that a deck allows, all different: no blanks, no commas, eighty characters."""
    names: dict[str, str] = {}
    for name in parts:
        plain = "".join(c if c.isalnum() or c in "_-." else "_" for c in name.upper())[:76] or "PART"
        plain = plain if plain[0].isalpha() else f"P_{plain}"[:76]
        number, unlike = 2, plain
        while unlike in names.values():
            unlike, number = f"{plain}_{number}", number + 1
        names[name] = unlike
    return names


def _material(name: str, material: Material) -> Iterator[str]:
    yield f"*MATERIAL, NAME={name}\n"
    if material.young is not None and material.poisson is not None:
        yield f"*ELASTIC\n{real_text(material.young, _WIDTH)}, {real_text(material.poisson, _WIDTH)}\n"
    if material.density is not None:
        yield f"*DENSITY\n{real_text(material.density, _WIDTH)}\n"


def _section(name: str, material: str, part: Part, is_shell: bool) -> str:
    if is_shell:
        return f"*SHELL SECTION, ELSET={name}, MATERIAL={material}\n{real_text(part.thickness or 0.0, _WIDTH)}\n"
    return f"*SOLID SECTION, ELSET={name}, MATERIAL={material}\n"


# ---------------------------------------------------------------------- a new deck


def _new_deck(mesh: Mesh, said: Remarks) -> Iterator[str]:
    used = mesh.parts_used
    names = _names(part.name for part in used)
    if any(names[part.name] != part.name.upper() for part in used):
        said.converted.append("names of parts, to capitals without blanks")
    yield f"** written by Odd Seam; unit of length: {mesh.unit_name}\n*HEADING\nOdd Seam\n*NODE, NSET=NALL\n"
    yield from (_node(n, xyz) for n, xyz in zip(mesh.node_ids.tolist(), mesh.nodes.tolist(), strict=True))
    written = [kind for kind in mesh.elements if kind in TYPE_OF and KINDS[kind].dimension > 1]
    shells: set[int] = set()
    for kind in written:
        block = mesh.elements[kind]
        for index in np.unique(block.part).tolist():
            rows = block.part == index
            yield f"*ELEMENT, TYPE={TYPE_OF[kind]}, ELSET={names[mesh.parts[index].name]}\n"
            nodes = mesh.node_ids[block.connectivity[rows]].tolist()
            yield from (_element(kind, n, its) for n, its in zip(block.ids[rows].tolist(), nodes, strict=True))
            if KINDS[kind].dimension == 2:
                shells.add(index)
    yield from _sets(mesh, said)
    materials = {part.material.id: part.material for part in used if part.material is not None}
    called = {number: (m.name or f"MATERIAL_{number}") for number, m in materials.items()}
    called = {number: _names([name])[name] for number, name in called.items()}
    for number, material in materials.items():
        yield from _material(called[number], material)
    for index, part in enumerate(mesh.parts):
        if part in used and part.material is not None:
            yield _section(names[part.name], called[part.material.id], part, index in shells)


def _sets(mesh: Mesh, said: Remarks) -> Iterator[str]:
    """Groups as sets and surfaces."""
    groups = mesh.groups
    names = _names([*groups.nodes, *groups.elements, *groups.sides])
    for keyword, held, ids in (("NSET", groups.nodes, mesh.node_ids), ("ELSET", groups.elements, mesh.element_ids)):
        for name, members in held.items():
            if len(members):
                numbers = ids[members].tolist()
                yield f"*{keyword}, {keyword}={names[name]}\n"
                yield from (_row(numbers[k : k + _ON_A_LINE]) for k in range(0, len(numbers), _ON_A_LINE))
    kind_of = [kind for kind, block in mesh.elements.items() for _ in range(len(block))] if groups.sides else []
    for name, pairs in groups.sides.items():
        yield f"*SURFACE, NAME={names[name]}, TYPE=ELEMENT\n"
        edges = 0
        for element, side in pairs.tolist():
            label = side_label(kind_of[element], side)
            edges += not label
            if label:
                yield f"{mesh.element_ids[element]}, {label}\n"
        if edges:
            said.lost.append(f"{edges:,} edges of shells in the group {name!r}")


# ---------------------------------------------------------------------- a changed deck


def _changed_deck(mesh: Mesh, records: Records, path: Path, said: Remarks, care: Care) -> list[bytes]:
    """The deck with the lines rewritten that changed, and new ones behind the last of their kind."""
    found = differences(
        mesh, records, changed_nodes(mesh, records, records.node_given), [*mesh.elements], by_part=False
    )
    new = Rewriting(records)
    for record, row in found.moved.tolist():
        new.replace(record, _node(int(records.key[record]), mesh.nodes[row].tolist()))
    for record, kind, row in found.changed:
        nodes = mesh.node_ids[mesh.elements[kind].connectivity[row]].tolist()
        new.replace(record, _element(kind, int(records.key[record]), nodes))
    for gone, _ in found.gone.values():
        for record in gone.tolist():
            new.replace(record, b"")
    if len(found.new_nodes):
        ids, xyz = mesh.node_ids[found.new_nodes].tolist(), mesh.nodes[found.new_nodes].tolist()
        added = ["*NODE\n", *(_node(n, its) for n, its in zip(ids, xyz, strict=True))]
        new.insert(_after_last(records, NODE), "".join(added))
    more, changed = _taken_care_of(mesh, records, found, new, said, care)
    new.insert(_after_last(records, ELEMENT), "".join([*_more(mesh, found.new_elements), *more]))
    list_dangling(mesh, said, changed)
    return new.pieces(path, INCLUDE, said)


def _taken_care_of(
    mesh: Mesh, records: Records, found: Differences, new: Rewriting, said: Remarks, care: Care
) -> tuple[list[str], set[int]]:
    """Lines behind the new elements, and which records were changed besides."""
    if care == PLAIN:
        return [], set()
    lines = Lines(as_one(records.text.tobytes()))
    record = np.searchsorted(records.start, lines.start, side="right") - 1
    kinds = {
        int(record[row]): KINDS[TYPES[type_]].linear
        for block in lines.blocks
        if block.name == "ELEMENT" and (type_ := block.options.get("TYPE", "").upper()) in TYPES
        for row in lines.data_rows(block).tolist()
    }
    heirs = heirs_of(mesh, records, records.node_given, found, lambda row: kinds.get(row, ""))
    gone = {what: ids for what, (_, ids) in found.gone.items()}
    left = {"node": mesh.node_ids, "element": mesh.element_ids}
    trimmed = trimmed_lines(lines, gone, left, heirs.successors(mesh, records), care)
    for row, text in trimmed.rows.items():
        new.replace(int(record[row]), text)
    said.carried += trimmed.carried
    said.lost += trimmed.lost
    return trimmed.more, {int(record[row]) for row in trimmed.rows}


def _after_last(records: Records, role: int) -> int:
    """The record after the last of a role; the end, if there is none."""
    rows = np.flatnonzero(records.role == role)
    return int(rows[-1]) + 1 if len(rows) else len(records.role)


def _more(mesh: Mesh, blocks: list[tuple[str, Array]]) -> Iterator[str]:
    """New elements, in blocks by kind and part; parts that the deck has not yet get their sections."""
    assert mesh.source is not None
    known = {part.name for part in mesh.source.parts}
    new: dict[int, str] = {}
    shells: set[int] = set()
    for kind, rows in blocks:
        block = mesh.elements[kind]
        for part in np.unique(block.part[rows]).tolist():
            name = mesh.parts[part].name
            name = name if name in known else new.setdefault(part, _names([name])[name])
            shells |= {part} if KINDS[kind].dimension == 2 else set()
            its = rows[block.part[rows] == part]
            yield f"*ELEMENT, TYPE={TYPE_OF[kind]}, ELSET={name}\n"
            nodes = mesh.node_ids[block.connectivity[its]].tolist()
            yield from (_element(kind, n, own) for n, own in zip(block.ids[its].tolist(), nodes, strict=True))
    for part, name in new.items():
        its_part = mesh.parts[part]
        if its_part.material is not None:
            yield from _material(f"OF_{name}", its_part.material)
            yield _section(name, f"OF_{name}", its_part, part in shells)
