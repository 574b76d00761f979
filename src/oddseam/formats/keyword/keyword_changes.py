"""What has become of parts and groups of a keyword deck, as lines of it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.formats.decks import real_text
from oddseam.formats.keyword.keyword_elements import SECTIONS, TYPE_OF, TYPES
from oddseam.formats.keyword.keyword_lines import Block, Lines
from oddseam.formats.keyword.read_keyword import read
from oddseam.formats.keyword.texts import (
    WIDTH,
    element_lines,
    id_rows,
    material_lines,
    section_lines,
    set_names,
    surface_lines,
)
from oddseam.formats.losses import Remarks
from oddseam.model import KINDS, Mesh, Part
from oddseam.model.source import ELEMENT, Records

_FAMILY = re.compile(r"[A-Z]+(?:3D)?")


class PartSets:
    """The sets that parts stand for in the deck, those of new parts included.

    Parameters
    ----------
    mesh : Mesh
    lines : Lines
    """

    def __init__(self, mesh: Mesh, lines: Lines) -> None:
        assert mesh.source is not None
        self._mesh = mesh
        self.old = {part.id: part for part in mesh.source.parts}
        fresh = set_names(part.name for part in mesh.parts if part.id not in self.old)
        taken = {part.name.upper() for part in mesh.source.parts}
        self._names = {
            part.id: self.old[part.id].name if part.id in self.old else _unlike(fresh[part.name], taken)
            for part in mesh.parts
        }
        self._types: dict[str, set[str]] = {}
        for block in lines.blocks:
            if block.name == "ELEMENT" and (type_ := block.options.get("TYPE", "").upper()) in TYPES:
                self._types.setdefault(block.options.get("ELSET", "").upper(), set()).add(type_)

    def name(self, part: int) -> str:
        """The set of a part, by its row."""
        return self._names[self._mesh.parts[part].id]

    def type_of(self, part: int, kind: str) -> str:
        """The element type that a new element of a kind has in a part: of the family that is there."""
        there = self._types.get(self.name(part).upper(), set())
        same = sorted(type_ for type_ in there if TYPES[type_] == kind)
        if same:
            return same[0]
        families = {_FAMILY.match(type_)[0] for type_ in there}  # type: ignore[index]
        akin = (type_ for type_, its in TYPES.items() if its == kind and _FAMILY.match(type_)[0] in families)  # type: ignore[index]
        return next(akin, TYPE_OF[kind])

    def new_elements(self, blocks: list[tuple[str, Array]]) -> Iterator[str]:
        """New elements, in blocks by kind and part."""
        for kind, rows in blocks:
            block = self._mesh.elements[kind]
            for part in np.unique(block.part[rows]).tolist():
                its = rows[block.part[rows] == part]
                yield f"*ELEMENT, TYPE={self.type_of(part, kind)}, ELSET={self.name(part)}\n"
                nodes = self._mesh.node_ids[block.connectivity[its]].tolist()
                yield from (element_lines(kind, n, own) for n, own in zip(block.ids[its].tolist(), nodes, strict=True))


def _unlike(name: str, taken: set[str]) -> str:
    """A name that is not taken yet, which it is then."""
    number, unlike = 2, name
    while unlike.upper() in taken:
        unlike, number = f"{name}_{number}", number + 1
    taken.add(unlike.upper())
    return unlike


def changed_parts(
    mesh: Mesh, records: Records, sets: PartSets, lines: Lines, said: Remarks
) -> tuple[dict[int, str], list[str]]:
    """Sections that say otherwise, and lines for parts that are new or have lost elements to others.

    Returns
    -------
    rows : dict of int to str
        New texts of rows of the deck.
    more : list of str
        Lines behind the elements.
    """
    rows, more = dict[int, str](), list[str]()
    moved = _moved(mesh, records)
    shells = {
        int(part) for kind, b in mesh.elements.items() if KINDS[kind].dimension == 2 for part in np.unique(b.part)
    }
    poorer = {int(part) for part in records.element_part[np.isin(records.key[records.role == ELEMENT], moved)].tolist()}
    sections = {block.options.get("ELSET", "").upper(): block for block in lines.blocks if block.name in SECTIONS}
    for index, part in enumerate(mesh.parts):
        name, old = sets.name(index), sets.old.get(part.id)
        if old is not None and part.name != old.name:
            said.converted.append(f"the name {part.name!r} of a part: its set is {old.name}, which the deck refers to")
        block = sections.get(name.upper()) if old is not None else None
        its = mesh.element_ids[mesh.element_part == index]
        if block is not None and old is not None:
            rest = ""
            if part.id in poorer:
                rest = f"{name}_REST"
                more += [f"*ELSET, ELSET={rest}\n", *id_rows(its.tolist())]
                said.converted.append(
                    f"the part {part.name!r}, to the set {rest}: {name}, which the deck names, keeps what others took"
                )
            rows |= _section_rows(lines, block, part, old, rest, more)
        elif old is None and len(its):
            at = np.isin(its, moved)
            more += [f"*ELSET, ELSET={name}\n", *id_rows(its[at].tolist())] if at.any() else []
            if part.material is not None:
                called = f"OF_{name}"
                more += [*material_lines(called, part.material), section_lines(name, called, part, index in shells)]
    return rows, more


def _moved(mesh: Mesh, records: Records) -> Array:
    """Ids of elements of the deck that are in another part now."""
    part_ids = np.array([part.id for part in mesh.parts], np.int64)
    held = records.key[records.role == ELEMENT]
    row, unknown = IdIndex(held).of(mesh.element_ids)
    now = part_ids[mesh.element_part] if len(part_ids) else np.zeros(0, np.int64)
    return np.asarray(mesh.element_ids[~unknown & (records.element_part[row] != now)])


def _section_rows(lines: Lines, block: Block, part: Part, old: Part, rest: str, more: list[str]) -> dict[int, str]:
    """The lines of a section with another thickness, material or set."""
    rows: dict[int, str] = {}
    if part.thickness != old.thickness and block.name == "SHELL SECTION":
        row, words = next(iter(lines.words(block)))
        rows[row] = ", ".join([real_text(part.thickness or 0.0, WIDTH), *words[1:]]) + "\n"
    text = before = "".join(lines.text(row) for row in range(block.line, block.first))
    if part.material != old.material and part.material is not None:
        called = f"OF_{part.name}"
        more += material_lines(called, part.material)
        text = re.sub(r"(MATERIAL\s*=\s*)[^,\r\n]*", rf"\g<1>{called}", text, flags=re.IGNORECASE)
        text = text if "MATERIAL" in text.upper() else text.rstrip() + f", MATERIAL={called}\n"
    if rest:
        text = re.sub(r"(ELSET\s*=\s*)[^,\r\n]*", rf"\g<1>{rest}", text, flags=re.IGNORECASE)
    if text != before:
        rows |= {block.line: text, **dict.fromkeys(range(block.line + 1, block.first), "")}
    return rows


def more_members(mesh: Mesh, records: Records, said: Remarks) -> list[str]:
    """Groups that the deck has not, and members that its sets have not, in blocks of their own."""
    assert mesh.source is not None
    groups = mesh.groups
    if not len(groups):
        return []
    old = read(Path(mesh.source.name), records.text.tobytes())
    more: list[str] = []
    for keyword, held, its, ids, old_ids in (
        ("NSET", groups.nodes, old.groups.nodes, mesh.node_ids, old.node_ids),
        ("ELSET", groups.elements, old.groups.elements, mesh.element_ids, old.element_ids),
    ):
        for name, members in held.items():
            before = old_ids[its[name]] if name in its else old_ids[:0]
            now = ids[members]
            new, gone = np.setdiff1d(now, before), np.intersect1d(np.setdiff1d(before, now), ids)
            if len(gone):
                what = "nodes" if keyword == "NSET" else "elements"
                said.lost.append(f"that {len(gone):,} {what} are no more in {name!r}: the deck's set keeps them")
            if len(new):
                more += [f"*{keyword}, {keyword}={name if name in its else set_names([name])[name]}\n"]
                more += id_rows(new.tolist())
    return [*more, *_new_surfaces(mesh, old, said)]


def _new_surfaces(mesh: Mesh, old: Mesh, said: Remarks) -> Iterator[str]:
    """Groups of sides that the deck has not."""
    for name, pairs in mesh.groups.sides.items():
        if name in old.groups.sides:
            before = {(int(old.element_ids[e]), s) for e, s in old.groups.sides[name].tolist()}
            now = {(int(mesh.element_ids[e]), s) for e, s in pairs.tolist()}
            if now - before:
                said.lost.append(f"{len(now - before):,} sides more in {name!r}: the deck's surface stays as it is")
            continue
        yield from surface_lines(mesh, set_names([name])[name], pairs, said)
