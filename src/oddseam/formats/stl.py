"""STL, binary and text, told apart by content and never by the word "solid" or the suffix.

A binary file is 84 bytes and 50 for each of the facets that bytes 80 to 83 count; no text
file has that length.  Facets are joined where the coordinates of their corners are equal to
the last bit.  Every ``solid`` of a text file becomes a part.
"""

from __future__ import annotations

from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.facets import in_single_precision, unlike
from oddseam.formats.files import Data, write_whole
from oddseam.formats.losses import Remarks, losses, refuse_bare
from oddseam.formats.text import BYTE_ORDER_MARK, as_bytes, stl_facets, text_begins
from oddseam.geometry.triangles import unit_normals
from oddseam.geometry.welding import weld_exact
from oddseam.model import Mesh, Part, Source

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
_HEADER = 84
#: Relative spacing of single precision.
_PRECISION = 2.0**-23


def _promised(data: Data) -> int:
    return int.from_bytes(data[80:84], "little") if len(data) >= _HEADER else -1


def _is_whole_binary(data: Data) -> bool:
    return len(data) >= _HEADER and len(data) == _HEADER + 50 * _promised(data)


def _looks_text(data: Data) -> bool:
    head = data[:4096].lower().removeprefix(BYTE_ORDER_MARK).lstrip()
    return head.startswith(b"solid") and b"\0" not in head and (b"facet" in head or b"endsolid" in head)


def recognises(data: Data) -> bool:
    """Binary of the right length, or text that begins like one."""
    return _is_whole_binary(data) or _looks_text(data)


def read(path: Path, data: Data) -> Mesh:
    """Read a binary or a text STL."""
    count = _promised(data)
    if _is_whole_binary(data):
        return _binary(path, data, count, 0)
    if _looks_text(data):
        return _text(path, data)
    if count < 0:
        raise FormatError(str(path), f"{len(data)} bytes are too few for an STL, which begins with 84")
    whole = (len(data) - _HEADER) // 50
    if 0 < count <= whole:
        return _binary(path, data, count, len(data) - _HEADER - 50 * count)
    raise FormatError(
        str(path),
        f"the header counts {count:,} facets, but the file has room for {whole:,}; it is cut short, "
        "or it is not an STL",
        "byte 80",
    )


def _binary(path: Path, data: Data, count: int, surplus: int) -> Mesh:
    if count == 0:
        raise FormatError(str(path), "holds no facet", "byte 80")
    table = np.frombuffer(data, _RECORD, count, _HEADER)
    corners = np.ascontiguousarray(table["corners"]).reshape(-1, 3)
    bad = ~np.isfinite(corners)
    if bad.any():
        facet = int(np.flatnonzero(bad.any(axis=1))[0]) // 3
        raise FormatError(
            str(path), "a coordinate is not a finite number", f"facet {facet} (byte {_HEADER + 50 * facet})"
        )
    carried = {f"bytes after the last facet: {surplus}": 1} if surplus else {}
    attributes = int(np.count_nonzero(table["attribute"]))
    if attributes:
        carried["attribute bytes"] = attributes
    del table
    return _joined(path, corners, None, (Part(path.stem, 1),), carried)


def _text(path: Path, data: Data) -> Mesh:
    found = stl_facets(as_bytes(data), text_begins(data), path)
    if not len(found.solid):
        raise FormatError(str(path), "holds no facet")
    parts = tuple(Part(name, number) for number, name in enumerate(unlike(found.names), 1))
    return _joined(path, found.corners, found.solid, parts, {})


def _joined(path: Path, corners: Array, part: Array | None, parts: tuple[Part, ...], carried: dict[str, int]) -> Mesh:
    first, index = weld_exact(corners)
    nodes = corners[first].astype(np.float64) + 0.0
    source = Source("stl", path.name, _PRECISION, carried)
    return Mesh.from_triangles(nodes, index.reshape(-1, 3), part=part, parts=parts, source=source)


# ---------------------------------------------------------------------- writing


def _rejoined(mesh: Mesh, nodes: Array) -> Mesh:
    """The triangles of a mesh over other coordinates, joined as a reader will join them.

    The mesh itself, if a reader will see the same nodes and triangles.
    """
    triangles = mesh.triangulation.triangles
    used, local = np.unique(triangles, return_inverse=True)
    first, index = weld_exact(nodes[used])
    if len(first) == mesh.n_nodes and list(mesh.elements) == ["tri"] and (nodes == mesh.nodes).all():
        return mesh
    part = mesh.element_part[mesh.triangulation.element]
    return Mesh.from_triangles(
        nodes[used][first], index[local.reshape(-1, 3)], part=part, parts=mesh.parts, unit=mesh.unit
    )


def held_nodes(mesh: Mesh) -> Array:
    """The coordinates in single precision."""
    return in_single_precision(mesh, "a binary STL")


def rounded(mesh: Mesh) -> Mesh:
    """The mesh in single precision, nodes joined where they coincide."""
    return _rejoined(mesh, held_nodes(mesh))


def rounded_text(mesh: Mesh) -> Mesh:
    """The mesh with nodes joined where they coincide; text holds every digit."""
    return _rejoined(mesh, mesh.nodes)


def _check_surface(mesh: Mesh, path: Path) -> None:
    if len(mesh.triangulation.triangles) == 0:
        refuse_bare(mesh, path, "no surface that an STL could hold")


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write a binary STL; the result says what it cannot hold."""
    _check_surface(mesh, path)
    corners = mesh.nodes[mesh.triangulation.triangles]
    table = np.zeros(len(corners), _RECORD)
    table["corners"] = corners
    table["normal"] = unit_normals(corners)
    head = f"written by Odd Seam; unit: {mesh.unit_name}".encode("ascii", "replace")[:80].ljust(80)

    def fill(file: BinaryIO) -> None:
        file.write(head + np.uint32(len(table)).tobytes())
        file.write(table.tobytes())

    write_whole(path, fill)
    return losses(mesh, kinds=("tri",), triangulated=True)


def write_text(mesh: Mesh, path: Path) -> Remarks:
    """Write a text STL, one solid for each part, with every digit."""
    _check_surface(mesh, path)
    corners = mesh.nodes[mesh.triangulation.triangles]
    normals = unit_normals(corners)
    part = mesh.element_part[mesh.triangulation.element]

    def fill(file: BinaryIO) -> None:
        for index, its in enumerate(mesh.parts):
            name = " ".join(its.name.split())
            file.write(f"solid {name}\n".encode())
            for row in np.flatnonzero(part == index):
                lines = ["facet normal {!r} {!r} {!r}".format(*normals[row].tolist()), " outer loop"]
                lines += ["  vertex {!r} {!r} {!r}".format(*corner) for corner in corners[row].tolist()]
                file.write(("\n".join([*lines, " endloop", "endfacet"]) + "\n").encode())
            file.write(f"endsolid {name}\n".encode())

    write_whole(path, fill)
    return losses(mesh, kinds=("tri",), holds={"parts"}, triangulated=True)
