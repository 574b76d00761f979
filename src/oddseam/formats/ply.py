"""PLY, the polygon file format (Turk, 1994): text, and binary of either byte order.

Of ``vertex`` the coordinates are read, of ``face`` the corners, of ``edge`` the two ends; other
elements and properties are stepped over and listed.  Nodes are never joined.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array, places_in_runs
from oddseam.compiled import announce
from oddseam.errors import FormatError
from oddseam.formats.facets import Polygons, elements_of
from oddseam.formats.files import Data, write_whole
from oddseam.formats.losses import Remarks, losses, refuse_bare
from oddseam.formats.text import as_bytes, line_of, numbers_in, text_begins
from oddseam.model import KINDS, Elements, Mesh, Part, Source

_TYPES = {
    "char": "i1", "uchar": "u1", "short": "i2", "ushort": "u2", "int": "i4", "uint": "u4", "float": "f4",
    "double": "f8", "int8": "i1", "uint8": "u1", "int16": "i2", "uint16": "u2", "int32": "i4", "uint32": "u4",
    "float32": "f4", "float64": "f8",
}  # fmt: skip
_ORDERS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}
_LONGEST_HEADER = 1 << 20
_START = re.compile(rb"ply[ \t]*\r?\n?")


@dataclass(frozen=True)
class _Property:
    name: str
    type: str
    length: str = ""  #: type of the length of a list, empty for a scalar


@dataclass(frozen=True)
class _Element:
    name: str
    count: int
    properties: tuple[_Property, ...]

    def column(self, *names: str) -> int:
        """Number of the property of one of these names, or -1."""
        return next((k for k, p in enumerate(self.properties) if p.name in names), -1)


@dataclass(frozen=True)
class _Header:
    order: str
    elements: tuple[_Element, ...]
    end: int


def recognises(data: Data) -> bool:
    """The magic word on a line of its own."""
    begin = text_begins(data)
    return re.match(rb"ply[ \t]*[\r\n]", data[begin : begin + 16]) is not None


def read(path: Path, data: Data) -> Mesh:
    """Read a PLY file."""
    header = _header(path, data)
    rows = _text_rows(path, data, header) if header.order == "" else _binary_rows(path, data, header)
    if "vertex" not in rows:
        raise FormatError(str(path), "states no vertex element")
    nodes = rows["vertex"].scalars(path, "x", "y", "z").astype(np.float64)
    finite = np.isfinite(nodes).all(axis=1)
    if not finite.all():
        raise FormatError(str(path), f"node {int(np.argmin(finite)) + 1} has a coordinate that is not a finite number")
    carried = _ignored(header)
    elements: dict[str, Elements] = {}
    if "face" in rows:
        counts, corner = rows["face"].lists(path, "vertex_indices", "vertex_index")
        first = np.concatenate([[0], np.cumsum(counts)])
        faces = Polygons(first, corner, np.zeros(len(counts), np.int32))
        elements, _, changed = elements_of(path, nodes, faces, lambda face: f"face {face}")
        carried |= changed
    if "edge" in rows:
        ends = rows["edge"].scalars(path, "vertex1", "vertex2")
        wrong = (ends < 0) | (ends >= len(nodes))
        if wrong.any():
            raise FormatError(str(path), "an edge refers to a node that is not there", f"edge {np.argmax(wrong) // 2}")
        above = 1 + max((int(block.ids.max(initial=0)) for block in elements.values()), default=0)
        ids = above + np.arange(len(ends))
        elements["line"] = Elements(ends.astype(np.int32), ids, np.zeros(len(ends), np.int32))
    if not elements:
        raise FormatError(str(path), "holds no facet")
    precise = any(p.type == "f8" for e in header.elements if e.name == "vertex" for p in e.properties if p.name == "x")
    source = Source("ply", path.name, 2.0**-52 if precise else 2.0**-23, carried)
    return Mesh(nodes, elements, (Part(path.stem, 1),), source=source)


def _header(path: Path, data: Data) -> _Header:
    head = data[text_begins(data) : _LONGEST_HEADER]
    found = re.search(rb"(?:^|[\r\n])end_header[ \t]*(\r\n|\n|\r)", head)
    if found is None:
        raise FormatError(str(path), "the header has no end_header")
    order: str | None = None
    elements: list[_Element] = []
    lines = head[: found.start() + 1].decode("latin-1").splitlines()
    for number, line in enumerate(lines, 1):
        words = line.split()
        if not words or words[0] in ("ply", "comment", "obj_info"):
            continue
        try:
            match words:
                case ["format", name, _]:
                    order = _ORDERS[name]
                case ["element", name, count]:
                    elements.append(_Element(name, int(count), ()))
                    if elements[-1].count < 0:
                        raise ValueError
                case ["property", "list", length, type_, name]:
                    _add(elements, _Property(name, _TYPES[type_], _TYPES[length]))
                case ["property", type_, name]:
                    _add(elements, _Property(name, _TYPES[type_]))
                case _:
                    raise ValueError
        except (ValueError, KeyError, IndexError):
            raise FormatError(str(path), f"{line.strip()[:60]!r} is no header line", f"line {number}") from None
    if order is None:
        raise FormatError(str(path), "the header names no format")
    names = [element.name for element in elements]
    if len(set(names)) != len(names):
        raise FormatError(str(path), "the header states an element twice")
    return _Header(order, tuple(elements), text_begins(data) + found.end())


def _add(elements: list[_Element], new: _Property) -> None:
    old = elements[-1]
    if old.column(new.name) >= 0 or new.length.startswith("f"):
        raise ValueError
    elements[-1] = _Element(old.name, old.count, (*old.properties, new))


def _ignored(header: _Header) -> dict[str, int]:
    """Properties and elements that were stepped over, with their rows."""
    known = {"vertex": {"x", "y", "z"}, "face": {"vertex_indices", "vertex_index"}, "edge": {"vertex1", "vertex2"}}
    ignored: dict[str, int] = {}
    for element in header.elements:
        if element.name not in known:
            ignored[f"element {element.name}"] = element.count
            continue
        extra = [p.name for p in element.properties if p.name not in known[element.name]]
        if extra:
            ignored[f"properties of {element.name}: {', '.join(extra)}"] = element.count
    return {what: count for what, count in ignored.items() if count}


# ---------------------------------------------------------------------- rows


class _Rows:
    """The rows of one element: scalars by column, and one list."""

    def __init__(self, element: _Element, table: dict[str, Array], counts: Array, items: Array) -> None:
        self._element, self._table, self._counts, self._items = element, table, counts, items

    def scalars(self, path: Path, *names: str) -> Array:
        """(rows, names) of scalar properties."""
        missing = [name for name in names if name not in self._table]
        if missing:
            raise FormatError(str(path), f"element {self._element.name} has no scalar property {missing[0]}")
        return np.column_stack([self._table[name] for name in names])

    def lists(self, path: Path, *names: str) -> tuple[Array, Array]:
        """Lengths and items of the list property of one of these names."""
        column = self._element.column(*names)
        if column < 0 or not self._element.properties[column].length:
            raise FormatError(str(path), f"element {self._element.name} has no list property {names[0]}")
        items = self._items
        if items.dtype.kind == "f":
            whole = np.abs(items) < 2.0**53
            whole[whole] = items[whole] == np.floor(items[whole])
            if not whole.all():
                raise FormatError(str(path), "a corner of a face is not a whole number")
        return self._counts, items.astype(np.int64)


def _wanted(element: _Element) -> int:
    return element.column("vertex_indices", "vertex_index") if element.name == "face" else -1


def _cut_short(path: Path, element: _Element, row: int, place: str = "") -> FormatError:
    what = f"the header counts {element.count:,} rows of {element.name}, but the data ends within row {row:,}"
    return FormatError(str(path), what, place)


def _binary_rows(path: Path, data: Data, header: _Header) -> dict[str, _Rows]:
    raw = as_bytes(data)
    at, rows = header.end, {}
    for element in header.elements:
        types: list[str] = [header.order + p.type for p in element.properties]
        size = np.array([np.dtype(t).itemsize for t in types], np.int64)
        length = np.array([np.dtype(p.length).itemsize if p.length else 0 for p in element.properties], np.int64)
        least = int(np.where(length > 0, length, size).sum())
        if element.count and element.count > (len(raw) - at) // max(least, 1):
            raise _cut_short(path, element, (len(raw) - at) // max(least, 1))
        lists = np.flatnonzero(length)
        if len(lists) and not _all_alike(raw, at, element, header.order, size, length):
            rows[element.name], at = _walked(path, raw, at, element, header.order, size, length)
            continue
        fields: list[tuple[str, str, tuple[int, ...]]] = []
        for p, type_ in zip(element.properties, types, strict=True):
            if p.length:
                n = _first_length(raw, at, element, header.order, size, length)
                fields += [(f"{p.name} length", header.order + p.length, ()), (p.name, type_, (n,))]
            else:
                fields.append((p.name, type_, ()))
        layout: np.dtype[np.void] = np.dtype(fields)
        if element.count * layout.itemsize > len(raw) - at:
            raise _cut_short(path, element, (len(raw) - at) // layout.itemsize)
        table = np.frombuffer(data, layout, element.count, at)
        at += element.count * layout.itemsize
        scalars = {p.name: table[p.name] for p in element.properties if not p.length}
        counts, items = np.zeros(0, np.int64), np.zeros(0, np.int64)
        wanted = _wanted(element)
        if wanted >= 0 and length[wanted]:
            of_rows: Array = np.asarray(table[element.properties[wanted].name])
            counts, items = np.full(element.count, of_rows.shape[1]), of_rows.reshape(-1)
        rows[element.name] = _Rows(element, scalars, counts, items)
    return rows


def _first_length(raw: Array, at: int, element: _Element, order: str, size: Array, length: Array) -> int:
    """Length of the only list in the first row."""
    column = int(np.flatnonzero(length)[0])
    begin = at + int(size[:column].sum())
    found = raw[begin : begin + int(length[column])].tobytes()
    return int.from_bytes(found, "big" if order == ">" else "little")


def _all_alike(raw: Array, at: int, element: _Element, order: str, size: Array, length: Array) -> bool:
    """Whether the rows have one list, of the same length in all."""
    if np.count_nonzero(length) != 1 or not element.count:
        return not element.count
    n = _first_length(raw, at, element, order, size, length)
    column = int(np.flatnonzero(length)[0])
    stride = int(length[column] + n * size[column] + np.delete(size, column).sum())
    if n == 0 or element.count * stride > len(raw) - at:
        return False
    table = raw[at : at + element.count * stride].reshape(element.count, stride)
    begin = int(size[:column].sum())
    lengths = table[:, begin : begin + int(length[column])]
    return bool((lengths == lengths[0]).all())


def _walked(
    path: Path, raw: Array, at: int, element: _Element, order: str, size: Array, length: Array
) -> tuple[_Rows, int]:
    from oddseam.formats.kernels.ply_walks import walk_bytes

    announce(walk_bytes)
    wanted = _wanted(element)
    starts, counts = np.zeros((element.count, len(size)), np.int64), np.zeros(element.count, np.int64)
    end = walk_bytes(raw, at, element.count, length, size, order == ">", wanted, starts, counts)
    if end < 0:
        raise _cut_short(path, element, -1 - end)

    def taken(begin: Array, column: int) -> Array:
        width = int(size[column])
        found = raw[begin[:, None] + np.arange(width)].copy()
        return np.asarray(found.view(order + element.properties[column].type).reshape(-1))

    scalars = {p.name: taken(starts[:, k], k) for k, p in enumerate(element.properties) if not p.length}
    items = taken(_spread(starts[:, wanted], counts, int(size[wanted])), wanted) if wanted >= 0 else counts
    return _Rows(element, scalars, counts, items), int(end)


def _spread(starts: Array, counts: Array, width: int) -> Array:
    """Where the items of lists begin, list after list."""
    return np.asarray(np.repeat(starts, counts) + places_in_runs(counts) * width)


def _text_rows(path: Path, data: Data, header: _Header) -> dict[str, _Rows]:
    from oddseam.formats.kernels.ply_walks import walk_numbers

    text = as_bytes(data)
    numbers = numbers_in(text, header.end, path)
    values, at, rows = numbers.values, 0, {}
    for element in header.elements:
        is_list = np.array([bool(p.length) for p in element.properties], np.bool_)
        if element.count > len(values) - at and len(is_list):
            raise _cut_short(path, element, len(values) - at)
        width = len(is_list)
        if not is_list.any():
            if element.count * width > len(values) - at:
                raise _cut_short(path, element, (len(values) - at) // width)
            table = values[at : at + element.count * width].reshape(element.count, width)
            at += element.count * width
            scalars = {p.name: table[:, k] for k, p in enumerate(element.properties)}
            rows[element.name] = _Rows(element, scalars, np.zeros(0, np.int64), np.zeros(0))
            continue
        announce(walk_numbers)
        starts, counts = np.zeros((element.count, width), np.int64), np.zeros(element.count, np.int64)
        wanted = _wanted(element)
        end = walk_numbers(values, at, element.count, is_list, wanted, starts, counts)
        if end < 0:
            raise _cut_short(path, element, -1 - end, line_of(text, len(text)))
        scalars = {p.name: values[starts[:, k]] for k, p in enumerate(element.properties) if not p.length}
        items = values[_spread(starts[:, wanted], counts, 1)]
        rows[element.name] = _Rows(element, scalars, counts, items)
        at = end
    return rows


# ---------------------------------------------------------------------- writing

_KINDS = ("line", "tri", "quad")


def rounded(mesh: Mesh) -> Mesh:
    """Coordinates are written in double precision."""
    return mesh


def _blocks(mesh: Mesh, path: Path) -> tuple[list[Array], Array]:
    """Corners of the faces, a table for each number of corners, and ends of the lines."""
    faces, lines = [], np.zeros((0, 2), np.int32)
    for name, block in mesh.elements.items():
        kind = KINDS[name]
        corners = block.connectivity[:, : kind.corners]
        if kind.dimension == 2:
            faces.append(corners)
        elif kind.dimension == 1:
            lines = np.concatenate([lines, corners])
    if not faces and not len(lines):
        refuse_bare(mesh, path, "no surface and no lines that a PLY could hold")
    return faces, lines


def _head(mesh: Mesh, form: str, faces: list[Array], lines: Array) -> bytes:
    head = [
        "ply", f"format {form} 1.0", f"comment written by Odd Seam; unit of length: {mesh.unit_name}",
        f"element vertex {mesh.n_nodes}", "property double x", "property double y", "property double z",
        f"element face {sum(map(len, faces))}", "property list uchar int vertex_indices",
    ]  # fmt: skip
    if len(lines):
        head += [f"element edge {len(lines)}", "property int vertex1", "property int vertex2"]
    return ("\n".join([*head, "end_header"]) + "\n").encode()


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write a binary PLY, little-endian; the result says what it cannot hold."""
    faces, lines = _blocks(mesh, path)

    def fill(file: BinaryIO) -> None:
        file.write(_head(mesh, "binary_little_endian", faces, lines))
        file.write(mesh.nodes.astype("<f8").tobytes())
        for corners in faces:
            table = np.empty(len(corners), [("n", "u1"), ("corner", "<i4", (corners.shape[1],))])
            table["n"], table["corner"] = corners.shape[1], corners
            file.write(table.tobytes())
        file.write(lines.astype("<i4").tobytes())

    write_whole(path, fill)
    return losses(mesh, kinds=_KINDS)


def write_text(mesh: Mesh, path: Path) -> Remarks:
    """Write a text PLY with every digit."""
    faces, lines = _blocks(mesh, path)

    def fill(file: BinaryIO) -> None:
        file.write(_head(mesh, "ascii", faces, lines))
        file.write("".join("{!r} {!r} {!r}\n".format(*xyz) for xyz in mesh.nodes.tolist()).encode())
        for corners in [*faces, lines]:
            n = corners.shape[1]
            form = ("" if corners is lines else f"{n} ") + " ".join(["{}"] * n) + "\n"
            file.write("".join(form.format(*row) for row in corners.tolist()).encode())

    write_whole(path, fill)
    return losses(mesh, kinds=_KINDS)
