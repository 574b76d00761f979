"""From the faces of a file to elements: shared by the formats that state polygons."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError, Refusal
from oddseam.geometry.shapes.polygons import triangulate_polygons
from oddseam.model import Elements, Mesh


@dataclass(frozen=True, eq=False)
class Polygons:
    """The faces of a file, in its order.

    Attributes
    ----------
    first : (f + 1,) int64 array
        Corners of face i are ``first[i]`` to ``first[i + 1] - 1``.
    corner : (c,) int64 array
        Node indices; they may point beyond the nodes.
    part : (f,) int32 array
    """

    first: Array
    corner: Array
    part: Array

    def __len__(self) -> int:
        return len(self.part)


def elements_of(
    path: Path, nodes: Array, faces: Polygons, place: Callable[[int], str]
) -> tuple[dict[str, Elements], dict[str, Array], dict[str, int]]:
    """Tri and quad elements of the faces, the face that each is of, and what had to be changed.

    Numbers count the faces of the file.  Faces of five nodes and more are cut into triangles,
    of which the first takes the number and the others come above the highest; a node given
    twice in a row counts once; faces with fewer than three nodes are left out.  Whatever is so
    changed is counted.

    Parameters
    ----------
    path : Path
    nodes : (n, 3) float64 array
    faces : Polygons
    place : callable
        Where in the file a face is, for messages.

    Raises
    ------
    FormatError
        If a face refers to a node that is not there, or none has three nodes.
    """
    wrong = np.flatnonzero((faces.corner < 0) | (faces.corner >= len(nodes)))
    if len(wrong):
        row = int(np.searchsorted(faces.first, wrong[0], side="right")) - 1
        number = int(faces.corner[wrong[0]]) + 1
        raise FormatError(str(path), f"a face refers to node {number}, but there are {len(nodes):,}", place(row))
    if not (np.diff(faces.first) >= 3).any():
        raise FormatError(str(path), "holds no facet")
    changed: dict[str, int] = {}
    first, corner, n_repeated = _without_repeats(faces)
    size = np.diff(first)
    index = {k: first[:-1][size == k][:, None] + np.arange(k) for k in (3, 4)}
    quads = corner[index[4]]
    plain = (quads[:, 0] != quads[:, 2]) & (quads[:, 1] != quads[:, 3])
    many = np.flatnonzero(size > 4)
    many = np.union1d(many, np.flatnonzero(size == 4)[~plain])
    cut, owner = _triangles(nodes, first, corner, many)
    triangles = np.concatenate([corner[index[3]], cut])
    face = np.concatenate([np.flatnonzero(size == 3), owner])
    order = np.argsort(face, kind="stable")
    triangles, face = triangles[order], face[order]
    ids = face + 1
    again = np.flatnonzero(face[1:] == face[:-1]) + 1
    ids[again] = len(faces) + 1 + np.arange(len(again))
    elements = {"tri": Elements(triangles.astype(np.int32), ids, faces.part[face])}
    rows = np.flatnonzero(size == 4)[plain]
    elements["quad"] = Elements(quads[plain].astype(np.int32), rows + 1, faces.part[rows])
    for what, count in (
        ("faces with fewer than three nodes, left out", int((size < 3).sum())),
        ("faces of five nodes and more, cut into triangles", int((size > 4).sum())),
        ("nodes given twice in a row by a face, counted once", n_repeated),
    ):
        if count:
            changed[what] = count
    return elements, {"tri": face, "quad": rows}, changed


def _without_repeats(faces: Polygons) -> tuple[Array, Array, int]:
    """Corners of the faces of four nodes and more, none given twice in a row; a triangle stays."""
    first, corner = faces.first, faces.corner
    size = np.diff(first)
    if not (size > 3).any():
        return first, corner, 0
    face = np.repeat(np.arange(len(size)), size)
    after = np.arange(1, len(corner) + 1)
    after[first[1:][size > 0] - 1] = first[:-1][size > 0]
    again = (corner == corner[after]) & (size[face] > 3)
    left = size - np.bincount(face[again], minlength=len(size))
    again &= left[face] >= 3
    if not again.any():
        return first, corner, 0
    kept = np.bincount(face[~again], minlength=len(size))
    return np.concatenate([[0], np.cumsum(kept)]), corner[~again], int(again.sum())


def _triangles(nodes: Array, first: Array, corner: Array, which: Array) -> tuple[Array, Array]:
    """Triangles of some faces, and the face of each."""
    if not len(which):
        return np.zeros((0, 3), np.int64), np.zeros(0, np.int64)
    size = np.diff(first)[which]
    begin = np.concatenate([[0], np.cumsum(size)])
    rows = np.repeat(first[which] - begin[:-1], size) + np.arange(begin[-1])
    points = nodes[corner[rows]]
    return corner[rows][triangulate_polygons(points, begin)], np.repeat(which, size - 2)


def in_single_precision(mesh: Mesh, what: str) -> Array:
    """The coordinates as ``what`` holds them, in single precision."""
    if mesh.nodes.size and np.abs(mesh.nodes).max() > np.finfo(np.float32).max:
        raise Refusal(f"a coordinate is too large for single precision, which is all that {what} holds")
    return mesh.nodes.astype(np.float32).astype(np.float64)


def unlike(names: list[str]) -> list[str]:
    """The names, made different where they are alike."""
    seen: dict[str, int] = {}
    different = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        different.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return different
