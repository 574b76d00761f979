"""Writing of a keyword deck: what did not change goes back byte for byte."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.dangling import list_dangling
from oddseam.formats.decks import PLAIN, Care, changed_nodes, check_ids, check_properties, rounded_nodes
from oddseam.formats.files import write_whole
from oddseam.formats.heirs import heirs_of
from oddseam.formats.includes import as_one
from oddseam.formats.keyword.keyword_changes import PartSets, changed_parts, more_members
from oddseam.formats.keyword.keyword_elements import TYPE_OF, TYPES
from oddseam.formats.keyword.keyword_lines import INCLUDE, Lines
from oddseam.formats.keyword.keyword_loads import load_lines
from oddseam.formats.keyword.keyword_trimming import Trimmed, trimmed_lines
from oddseam.formats.keyword.texts import (
    WIDTH,
    element_lines,
    id_rows,
    material_lines,
    node_line,
    section_lines,
    set_names,
    surface_lines,
)
from oddseam.formats.loads import loads_of
from oddseam.formats.losses import Remarks, losses
from oddseam.formats.rewriting import Differences, Rewriting, differences
from oddseam.model import KINDS, Mesh
from oddseam.model.source import ELEMENT, NODE, Records

#: Ids have nine digits at most.
_MOST_ID = 999_999_999


def _held_records(mesh: Mesh) -> Records | None:
    return mesh.source.records if mesh.source is not None and mesh.source.format == "keyword" else None


def rounded(mesh: Mesh) -> Mesh:
    """The mesh with the coordinates that the deck holds: twenty characters each."""
    records = _held_records(mesh)
    changed = changed_nodes(mesh, records, None if records is None else records.node_given)
    return rounded_nodes(mesh, changed, WIDTH)


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


# ---------------------------------------------------------------------- a new deck


def _new_deck(mesh: Mesh, said: Remarks) -> Iterator[str]:
    used = mesh.parts_used
    names = set_names(part.name for part in used)
    if any(names[part.name] != part.name.upper() for part in used):
        said.converted.append("names of parts, to capitals without blanks")
    yield f"** written by Odd Seam; unit of length: {mesh.unit_name}\n*HEADING\nOdd Seam\n*NODE, NSET=NALL\n"
    yield from (node_line(n, xyz) for n, xyz in zip(mesh.node_ids.tolist(), mesh.nodes.tolist(), strict=True))
    written = [kind for kind in mesh.elements if kind in TYPE_OF and KINDS[kind].dimension > 1]
    shells: set[int] = set()
    for kind in written:
        block = mesh.elements[kind]
        for index in np.unique(block.part).tolist():
            rows = block.part == index
            yield f"*ELEMENT, TYPE={TYPE_OF[kind]}, ELSET={names[mesh.parts[index].name]}\n"
            nodes = mesh.node_ids[block.connectivity[rows]].tolist()
            yield from (element_lines(kind, n, its) for n, its in zip(block.ids[rows].tolist(), nodes, strict=True))
            if KINDS[kind].dimension == 2:
                shells.add(index)
    yield from _sets(mesh, said)
    materials = {part.material.id: part.material for part in used if part.material is not None}
    called = {number: (m.name or f"MATERIAL_{number}") for number, m in materials.items()}
    called = {number: set_names([name])[name] for number, name in called.items()}
    for number, material in materials.items():
        yield from material_lines(called[number], material)
    for index, part in enumerate(mesh.parts):
        if part in used and part.material is not None:
            yield section_lines(names[part.name], called[part.material.id], part, index in shells)
    loads = loads_of(mesh)
    said.take(loads)
    held = {index for kind in written for index in np.unique(mesh.elements[kind].part).tolist()}
    yield from load_lines(mesh, [names[mesh.parts[index].name] for index in sorted(held)], loads.cases, said)


def _sets(mesh: Mesh, said: Remarks) -> Iterator[str]:
    """Groups as sets and surfaces."""
    groups = mesh.groups
    names = set_names([*groups.nodes, *groups.elements, *groups.sides])
    for keyword, held, ids in (("NSET", groups.nodes, mesh.node_ids), ("ELSET", groups.elements, mesh.element_ids)):
        for name, members in held.items():
            if len(members):
                numbers = ids[members].tolist()
                yield f"*{keyword}, {keyword}={names[name]}\n"
                yield from id_rows(numbers)
    for name, pairs in groups.sides.items():
        yield from surface_lines(mesh, names[name], pairs, said)


# ---------------------------------------------------------------------- a changed deck


def _changed_deck(mesh: Mesh, records: Records, path: Path, said: Remarks, care: Care) -> list[bytes]:
    """The deck with the lines rewritten that changed, and new ones behind the last of their kind."""
    found = differences(
        mesh, records, changed_nodes(mesh, records, records.node_given), [*mesh.elements], by_part=False
    )
    new = Rewriting(records)
    for record, row in found.moved.tolist():
        new.replace(record, node_line(int(records.key[record]), mesh.nodes[row].tolist()))
    for record, kind, row in found.changed:
        nodes = mesh.node_ids[mesh.elements[kind].connectivity[row]].tolist()
        new.replace(record, element_lines(kind, int(records.key[record]), nodes))
    for gone, _ in found.gone.values():
        for record in gone.tolist():
            new.replace(record, b"")
    if len(found.new_nodes):
        ids, xyz = mesh.node_ids[found.new_nodes].tolist(), mesh.nodes[found.new_nodes].tolist()
        added = ["*NODE\n", *(node_line(n, its) for n, its in zip(ids, xyz, strict=True))]
        new.insert(_after_last(records, NODE), "".join(added))
    lines = Lines(as_one(records.text.tobytes()))
    record = np.searchsorted(records.start, lines.start, side="right") - 1
    sets = PartSets(mesh, lines)
    rows, more = changed_parts(mesh, records, sets, lines, said)
    members = more_members(mesh, records, said)
    trimmed = Trimmed() if care == PLAIN else _taken_care_of(mesh, records, found, lines, record, care)
    for row, text in (rows | trimmed.rows).items():
        new.replace(int(record[row]), text)
    said.carried += trimmed.carried
    said.lost += trimmed.lost
    added = [*sets.new_elements(found.new_elements), *more, *members, *trimmed.more]
    new.insert(_after_last(records, ELEMENT), "".join(added))
    changed = {int(record[row]) for row in trimmed.rows}
    list_dangling(mesh, said, changed)
    return new.pieces(path, INCLUDE, said)


def _taken_care_of(
    mesh: Mesh, records: Records, found: Differences, lines: Lines, record: Array, care: Care
) -> Trimmed:
    """What is done with lines that name what is gone; ``record`` is that of every line."""
    kinds = {
        int(record[row]): KINDS[TYPES[type_]].linear
        for block in lines.blocks
        if block.name == "ELEMENT" and (type_ := block.options.get("TYPE", "").upper()) in TYPES
        for row in lines.data_rows(block).tolist()
    }
    heirs = heirs_of(mesh, records, records.node_given, found, lambda row: kinds.get(row, ""))
    gone = {what: ids for what, (_, ids) in found.gone.items()}
    left = {"node": mesh.node_ids, "element": mesh.element_ids}
    return trimmed_lines(lines, gone, left, heirs.successors(mesh, records), care)


def _after_last(records: Records, role: int) -> int:
    """The record after the last of a role; the end, if there is none."""
    rows = np.flatnonzero(records.role == role)
    return int(rows[-1]) + 1 if len(rows) else len(records.role)
