"""OBJ, the text format of polygons (its polygonal part).

``v``, ``f``, ``l`` and ``p`` statements become nodes and elements; objects and groups become
parts, materials become element groups.  Nodes are never joined: the file states its connectivity.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.facets import Polygons, elements_of
from oddseam.formats.files import Data, write_whole
from oddseam.formats.losses import Remarks, losses, refuse_bare
from oddseam.formats.text import ObjStatements, as_bytes, line_of, obj_statements, text_begins
from oddseam.model import Elements, Groups, Mesh, Part, Source

_NODE = re.compile(rb"^[ \t]*v[ \t]+[-+.\dnNiI]", re.MULTILINE)
_FACE, _LINE, _POINT = 2, 3, 4
#: Relative spacing of coordinates whose digits the file does not tell.
_PRECISION = 2.0**-23


def recognises(data: Data) -> bool:
    """Text with a ``v`` statement near its beginning."""
    head = data[:65536]
    return b"\0" not in head and _NODE.search(head.replace(b"\r", b"\n")) is not None


def read(path: Path, data: Data) -> Mesh:
    """Read an OBJ file."""
    text = as_bytes(data)
    said = obj_statements(text, text_begins(data), path)
    if not len(said.xyz):
        raise FormatError(str(path), "holds no node")
    labels = _Labels(text, said.others)
    label = labels.at(said.state)
    part_label = label[:, 0]
    used, part = np.unique(part_label[said.kind == _FACE], return_inverse=True)
    extra = np.setdiff1d(part_label, used)
    names = [labels.parts[k] for k in [*used.tolist(), *extra.tolist()]]
    part_of = np.zeros(len(labels.parts), np.int32)
    part_of[[*used.tolist(), *extra.tolist()]] = np.arange(len(names))

    def place(face: int) -> str:
        return line_of(text, int(said.place[np.flatnonzero(said.kind == _FACE)[face]]))

    first, corner = _statements_of(said, _FACE)
    elements, face_of, changed = elements_of(path, said.xyz, Polygons(first, corner, part.astype(np.int32)), place)
    others = _lines_and_points(path, said, elements, part_of[part_label])
    groups = _materials(others, face_of, labels.materials, label[said.kind == _FACE, 1])
    parts = tuple(Part(name or path.stem, number) for number, name in enumerate(names, 1))
    carried = {**_ignored(said, labels), **changed}
    return Mesh(said.xyz, others | elements, parts, groups=groups, source=Source("obj", path.name, _PRECISION, carried))


class _Labels:
    """Which part and which material the statements between the faces select."""

    def __init__(self, text: Array, starts: Array) -> None:
        self.parts: list[str] = [""]
        self.materials: list[str] = [""]
        self.unknown: dict[str, int] = {}
        self._table = np.zeros((len(starts) + 1, 2), np.int64)
        number = ({"": 0}, {"": 0})
        current = {"o": "", "g": ""}
        now = [0, 0]
        for row, start in enumerate(starts.tolist(), 1):
            words = text[start : start + 1000].tobytes().splitlines()[0].decode("utf-8", "replace").split()
            key, rest = words[0], " ".join(words[1:])
            if key in current:
                current[key] = rest
                if key == "o":
                    current["g"] = ""
                name = " / ".join(dict.fromkeys(filter(None, current.values())))
                now[0] = number[0].setdefault(name, len(number[0]))
            elif key == "usemtl":
                now[1] = number[1].setdefault(rest, len(number[1]))
            elif key != "s":
                self.unknown[key[:20]] = self.unknown.get(key[:20], 0) + 1
            self._table[row] = now
        self.parts, self.materials = list(number[0]), list(number[1])

    def at(self, state: Array) -> Array:
        """(f, 2) part and material in force after so many statements."""
        return np.asarray(self._table[state])


def _statements_of(said: ObjStatements, kind: int) -> tuple[Array, Array]:
    """First corners and corners of the statements of one kind."""
    mine = said.kind == kind
    size = np.diff(said.first)
    corner = said.corner[np.repeat(mine, size)]
    return np.concatenate([[0], np.cumsum(size[mine])]).astype(np.int64), corner


def _lines_and_points(path: Path, said: ObjStatements, taken: dict[str, Elements], part: Array) -> dict[str, Elements]:
    """Line elements of the l statements, point elements of the p statements."""
    next_id = 1 + max(int(block.ids.max(initial=0)) for block in taken.values())
    made: dict[str, Elements] = {}
    for kind, name in ((_POINT, "point"), (_LINE, "line")):
        first, corner = _statements_of(said, kind)
        if len(corner) and corner.max() >= len(said.xyz):
            raise FormatError(str(path), f"a {name} refers to node {corner.max() + 1}, but there are {len(said.xyz):,}")
        owner = np.repeat(part[said.kind == kind], np.diff(first))
        rows = np.arange(len(corner))
        if kind == _LINE:
            rows = np.setdiff1d(rows, first[1:] - 1)
        nodes = corner[rows[:, None] + np.arange(2 if kind == _LINE else 1)]
        made[name] = Elements(nodes.astype(np.int32), next_id + np.arange(len(nodes)), owner[rows])
        next_id += len(nodes)
    return made


def _materials(others: dict[str, Elements], face_of: dict[str, Array], names: list[str], of_face: Array) -> Groups:
    """One element group for each material that faces name."""
    before = sum(len(block) for block in others.values())
    material = np.concatenate([np.zeros(before, np.int64), of_face[face_of["tri"]], of_face[face_of["quad"]]])
    groups = {f"material {names[k]}": np.flatnonzero(material == k) for k in np.unique(material).tolist() if k}
    return Groups(elements={name: rows.astype(np.int32) for name, rows in groups.items()})


def _ignored(said: ObjStatements, labels: _Labels) -> dict[str, int]:
    """What was not read, with counts."""
    vt, vn = int(said.counts[5]), int(said.counts[6])
    what = {
        "texture coordinates": vt,
        "stored normals": vn,
        "weights of nodes": int(said.extra[1]),
        "colours of nodes": int(said.extra[2:].sum()),
        **{f"{key} statements": count for key, count in labels.unknown.items()},
    }
    return {name: count for name, count in what.items() if count}


# ---------------------------------------------------------------------- writing

_KINDS = ("point", "line", "tri", "quad")


def rounded(mesh: Mesh) -> Mesh:
    """Text holds every digit."""
    return mesh


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write an OBJ file, a group for each part, with every digit; the result says what it cannot hold."""
    said = losses(mesh, kinds=_KINDS, holds={"parts"})
    blocks = {name: block for name, block in mesh.elements.items() if _written_as(name)[1]}
    if not blocks:
        refuse_bare(mesh, path, "no surface, lines or points that an OBJ could hold")
    names = ["_".join(part.name.split()) for part in mesh.parts]
    if any(name != part.name for name, part in zip(names, mesh.parts, strict=True)):
        said.converted.append("blanks in the names of parts, to underscores")

    def fill(file: BinaryIO) -> None:
        file.write(f"# written by Odd Seam; unit of length: {mesh.unit_name}\n".encode())
        file.write("".join("v {!r} {!r} {!r}\n".format(*xyz) for xyz in mesh.nodes.tolist()).encode())
        for index, name in enumerate(names):
            lines = [f"g {name}\n"]
            for kind, block in blocks.items():
                key, size = _written_as(kind)
                form = key + " {}" * size + "\n"
                rows = block.connectivity[block.part == index, :size] + 1
                lines += [form.format(*row) for row in rows.tolist()]
            if len(lines) > 1:
                file.write("".join(lines).encode())

    write_whole(path, fill)
    return said


def _written_as(kind: str) -> tuple[str, int]:
    """Statement and number of nodes for an element kind; nothing for one that is not held."""
    table = {"point": ("p", 1), "line": ("l", 2), "line3": ("l", 2), "tri": ("f", 3), "tri6": ("f", 3),
             "quad": ("f", 4), "quad8": ("f", 4)}  # fmt: skip
    return table.get(kind, ("", 0))
