"""Writing of VTK XML unstructured grids."""

from __future__ import annotations

import base64
import struct
import zlib
from pathlib import Path
from typing import Any, BinaryIO
from xml.sax.saxutils import quoteattr

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError
from oddseam.formats.files import write_whole
from oddseam.formats.losses import Remarks, losses
from oddseam.formats.vtu.vtu_cells import CELLS, ELEMENT_IDS, GROUP, NODE_IDS, PART, PART_NAMES, SIDES, TYPES
from oddseam.model import KINDS, Mesh


def rounded(mesh: Mesh) -> Mesh:
    """Coordinates are written in double precision."""
    return mesh


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write a packed binary file; the result says what it cannot hold."""
    return _write(mesh, path, text=False)


def write_text(mesh: Mesh, path: Path) -> Remarks:
    """Write a text file with every digit."""
    return _write(mesh, path, text=True)


def _write(mesh: Mesh, path: Path, *, text: bool) -> Remarks:
    if not mesh.n_elements:
        raise FormatError(str(path), "the mesh has no elements")
    said = losses(mesh, kinds=KINDS, holds={"parts", "ids", "groups"})
    out: list[str] = []

    def put(name: str, values: Any, width: int = 1) -> None:
        array = np.ascontiguousarray(values)
        kind = next(k for k, v in TYPES.items() if v == array.dtype.str[1:])
        more = f' NumberOfComponents="{width}"' if width > 1 else ""
        form = "ascii" if text else "binary"
        body = _as_text(array) if text else _packed(array)
        out.append(f'<DataArray type="{kind}" Name={quoteattr(name)}{more} format="{form}">\n{body}\n</DataArray>\n')

    blocks = [(kind, block.connectivity[:, np.argsort(CELLS[kind][1])]) for kind, block in mesh.elements.items()]
    sizes = np.concatenate([np.full(len(table), table.shape[1]) for _, table in blocks])
    out.append("<FieldData>\n")
    names = "".join(f"{part.id} {part.name}\0" for part in mesh.parts)
    put(PART_NAMES, np.frombuffer(names.encode(), "u1"))
    out.append(f'</FieldData>\n<Piece NumberOfPoints="{mesh.n_nodes}" NumberOfCells="{mesh.n_elements}">\n<Points>\n')
    put("points", mesh.nodes, 3)
    out.append("</Points>\n<Cells>\n")
    put("connectivity", np.concatenate([table.ravel() for _, table in blocks]).astype("i8"))
    put("offsets", np.cumsum(sizes).astype("i8"))
    put("types", np.concatenate([np.full(len(table), CELLS[kind][0], "u1") for kind, table in blocks]))
    out.append(f'</Cells>\n<PointData GlobalIds="{NODE_IDS}">\n')
    put(NODE_IDS, mesh.node_ids)
    for name, members in mesh.groups.nodes.items():
        put(GROUP + name, _marked(members, mesh.n_nodes))
    out.append(f'</PointData>\n<CellData GlobalIds="{ELEMENT_IDS}">\n')
    put(ELEMENT_IDS, mesh.element_ids)
    put(PART, np.array([part.id for part in mesh.parts], np.int64)[mesh.element_part])
    for name, members in mesh.groups.elements.items():
        put(GROUP + name, _marked(members, mesh.n_elements))
    for name, pairs in mesh.groups.sides.items():
        bits = np.zeros(mesh.n_elements, "u1")
        np.bitwise_or.at(bits, pairs[:, 0], (1 << pairs[:, 1]).astype("u1"))
        put(SIDES + name, bits)
    out.append("</CellData>\n</Piece>\n")
    packing = "" if text else ' compressor="vtkZLibDataCompressor"'
    head = (
        '<?xml version="1.0"?>\n<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian" '
        f'header_type="UInt64"{packing}>\n<!-- written by Odd Seam; unit of length: {mesh.unit_name} -->\n'
        "<UnstructuredGrid>\n"
    )

    def fill(file: BinaryIO) -> None:
        file.write(head.encode())
        file.writelines(piece.encode() for piece in out)
        file.write(b"</UnstructuredGrid>\n</VTKFile>\n")

    write_whole(path, fill)
    return said


def _marked(members: Array, count: int) -> Array:
    mark = np.zeros(count, "u1")
    mark[members] = 1
    return mark


def _as_text(array: Array) -> str:
    rows = array.tolist() if array.ndim > 1 else [array[k : k + 20].tolist() for k in range(0, len(array), 20)]
    return "\n".join(" ".join(map(repr, row)) for row in rows)


_BLOCK = 1 << 20


def _packed(array: Array) -> str:
    """Blocks of zlib behind their sizes, both in base64."""
    raw = array.astype(array.dtype.newbyteorder("<")).tobytes()
    pieces = [raw[k : k + _BLOCK] for k in range(0, len(raw), _BLOCK)]
    packed = [zlib.compress(piece, 4) for piece in pieces]
    last = len(pieces[-1]) if pieces and len(pieces[-1]) < _BLOCK else 0
    header = struct.pack(f"<{3 + len(packed)}Q", len(packed), _BLOCK, last, *map(len, packed))
    return (base64.b64encode(header) + base64.b64encode(b"".join(packed))).decode()
