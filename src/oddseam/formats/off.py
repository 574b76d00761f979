"""OFF, the object file format: nodes, polygons, and colours to step over.

The magic word may be missing, may carry prefixes (``ST``, ``C``, ``N``) for further values on
the lines of nodes, and may share its line with the counts.  Nodes are never joined.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import BinaryIO

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce
from oddseam.errors import FormatError
from oddseam.formats.facets import Polygons, elements_of
from oddseam.formats.files import Data, write_whole
from oddseam.formats.losses import Remarks, losses, refuse_bare
from oddseam.formats.text import Numbers, as_bytes, line_of, numbers_in, text_begins
from oddseam.model import KINDS, Mesh, Part, Source

_MAGIC = re.compile(rb"(?:\s|#[^\r\n]*[\r\n])*(ST)?(C)?(N)?(4)?(n)?OFF(?=\s|$)([ \t]+BINARY)?")


def recognises(data: Data) -> bool:
    """The magic word first, comments aside."""
    return _MAGIC.match(data[text_begins(data) : 65536]) is not None


def read(path: Path, data: Data) -> Mesh:
    """Read an OFF file."""
    begin = text_begins(data)
    magic = _MAGIC.match(data[begin:65536])
    if magic is not None:
        if magic[4] or magic[5]:
            raise FormatError(str(path), "has more than three coordinates a node (4OFF or nOFF), which no surface has")
        if magic[6]:
            raise FormatError(str(path), "is a binary OFF, which is not read here; write it as text, or as PLY")
        begin += magic.end()
    text = as_bytes(data)
    numbers = numbers_in(text, begin, path, comment=b"#")
    if len(numbers.values) < 2:
        raise FormatError(str(path), "has no counts of nodes and faces")
    counts = numbers.values[:2]
    if not (np.isfinite(counts).all() and (counts >= 0).all() and (counts == np.floor(counts)).all()):
        raise FormatError(str(path), "the counts of nodes and faces are no whole numbers", line_of(text, begin))
    if counts.sum() > len(numbers.values):
        raise FormatError(
            str(path), f"counts {int(counts[0]):,} nodes and {int(counts[1]):,} faces, more than the file could hold"
        )
    return _assembled(path, text, numbers, magic, int(counts[0]), int(counts[1]))


def _assembled(
    path: Path, text: Array, numbers: Numbers, magic: re.Match[bytes] | None, n_nodes: int, n_faces: int
) -> Mesh:
    line_first, words = numbers.line_first, np.diff(numbers.line_first)
    carried: dict[str, int] = {}
    counted = words[0] in (2, 3)  # the first line holds the counts alone
    by_line = bool(counted and len(words) >= 1 + n_nodes + n_faces and (words[1 : 1 + n_nodes] >= 3).all())
    if by_line:
        first_of = line_first[1 : 1 + n_nodes]
        nodes = numbers.values[first_of[:, None] + np.arange(3)]
        extra = int(np.count_nonzero(words[1 : 1 + n_nodes] > 3))
        starts = line_first[1 + n_nodes : 1 + n_nodes + n_faces]
        size, room = numbers.values[starts], words[1 + n_nodes : 1 + n_nodes + n_faces] - 1
        bad = ~((size >= 0) & (size <= room) & (size == np.floor(size)))
        if bad.any():
            row = int(np.argmax(bad))
            raise FormatError(
                str(path), "a face has fewer corners than it counts", line_of(text, int(numbers.starts[starts[row]]))
            )
        size, starts = size.astype(np.int64), starts + 1
        coloured = int(np.count_nonzero(room > size))
    else:
        width = 3
        if magic is not None:
            width += (2 if magic[1] else 0) + (4 if magic[2] else 0) + (3 if magic[3] else 0)
        nodes, starts, size = _by_word(path, text, numbers, 3, n_nodes, n_faces, width)
        extra, coloured = n_nodes if width > 3 else 0, 0
    finite = np.isfinite(nodes).all(axis=1)
    if not finite.all():
        raise FormatError(str(path), f"node {int(np.argmin(finite)) + 1} has a coordinate that is not a finite number")
    if extra:
        carried["further values of nodes (colours, normals, texture)"] = extra
    if coloured:
        carried["colours of faces"] = coloured
    first = np.concatenate([[0], np.cumsum(size)])
    rows = np.repeat(starts - first[:-1], size) + np.arange(first[-1])
    corner = numbers.values[rows]
    if not ((np.abs(corner) < 2.0**53) & (corner == np.floor(corner))).all():
        raise FormatError(str(path), "a corner of a face is not a whole number")
    faces = Polygons(first, corner.astype(np.int64), np.zeros(n_faces, np.int32))

    def place(face: int) -> str:
        return line_of(text, int(numbers.starts[starts[face] - 1]))

    elements, _, changed = elements_of(path, nodes, faces, place)
    return Mesh(
        nodes, elements, (Part(path.stem, 1),), source=Source("off", path.name, 2.0**-23, {**carried, **changed})
    )


def _by_word(
    path: Path, text: Array, numbers: Numbers, begin: int, n_nodes: int, n_faces: int, width: int
) -> tuple[Array, Array, Array]:
    """Nodes, and starts and lengths of the faces, where lines mean nothing."""
    from oddseam.formats.kernels.ply_walks import walk_numbers

    announce(walk_numbers)
    values = numbers.values
    end = begin + n_nodes * width
    starts, counts = np.zeros((n_faces, 1), np.int64), np.zeros(n_faces, np.int64)
    ended = walk_numbers(values, end, n_faces, np.ones(1, np.bool_), 0, starts, counts) if end <= len(values) else -1
    if ended < 0:
        raise FormatError(
            str(path),
            f"counts {n_nodes:,} nodes and {n_faces:,} faces, but ends before the last",
            line_of(text, len(text)),
        )
    return values[begin:end].reshape(n_nodes, width)[:, :3], starts[:, 0], counts


# ---------------------------------------------------------------------- writing


def rounded(mesh: Mesh) -> Mesh:
    """Text holds every digit."""
    return mesh


def write(mesh: Mesh, path: Path) -> Remarks:
    """Write an OFF file with every digit; the result says what it cannot hold."""
    faces = [b.connectivity[:, : KINDS[k].corners] for k, b in mesh.elements.items() if KINDS[k].dimension == 2]
    if not faces:
        refuse_bare(mesh, path, "no surface that an OFF could hold")

    def fill(file: BinaryIO) -> None:
        file.write(f"OFF\n# written by Odd Seam; unit of length: {mesh.unit_name}\n".encode())
        file.write(f"{mesh.n_nodes} {sum(map(len, faces))} 0\n".encode())
        file.write("".join("{!r} {!r} {!r}\n".format(*xyz) for xyz in mesh.nodes.tolist()).encode())
        for corners in faces:
            n = corners.shape[1]
            form = f"{n} " + " ".join(["{}"] * n) + "\n"
            file.write("".join(form.format(*row) for row in corners.tolist()).encode())

    write_whole(path, fill)
    return losses(mesh, kinds=("tri", "quad"))
