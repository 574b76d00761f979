"""The shell elements of a mesh as loops of corners, and as triangles.

Quadratic elements count with their corners.  Faces keep quads whole, for connectivity;
the triangulation cuts each quad along its better diagonal, for shape.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import cross_product
from oddseam.geometry.welding import equal_rows
from oddseam.model.kinds import KINDS

if TYPE_CHECKING:
    from oddseam.model.elements import Elements


@dataclass(frozen=True, eq=False)
class Faces:
    """Faces as loops of corners ("half-edges": corner c runs from its node to the next one's).

    Attributes
    ----------
    node : (c,) int32 array
        Node of every corner.
    first : (f + 1,) int64 array
        Corners of face i are ``first[i]`` to ``first[i + 1] - 1``.
    element : (f,) int32 array
        Element index of every face.
    """

    node: Array
    first: Array
    element: Array

    def __len__(self) -> int:
        return len(self.element)


@dataclass(frozen=True, eq=False)
class Triangulation:
    """Triangles of a surface.

    Attributes
    ----------
    triangles : (t, 3) int32 array
        Node indices.
    element : (t,) int32 array
        Element index that each triangle came from.
    """

    triangles: Array
    element: Array


def _shells(elements: Mapping[str, Elements]) -> list[tuple[int, Array]]:
    """First element index and corner columns of every shell kind present."""
    found, at = [], 0
    for name, block in elements.items():
        if KINDS[name].dimension == 2:
            found.append((at, block.connectivity[:, : KINDS[name].corners]))
        at += len(block)
    return found


def faces_of(elements: Mapping[str, Elements]) -> Faces:
    """All shell elements as faces, in element order."""
    shells = _shells(elements)
    if not shells:
        return Faces(np.zeros(0, np.int32), np.zeros(1, np.int64), np.zeros(0, np.int32))
    size = np.concatenate([np.full(len(corners), corners.shape[1]) for _, corners in shells])
    return Faces(
        np.concatenate([corners.ravel() for _, corners in shells]),
        np.concatenate([[0], np.cumsum(size)]),
        np.concatenate([np.arange(at, at + len(corners), dtype=np.int32) for at, corners in shells]),
    )


def triangulate(nodes: Array, elements: Mapping[str, Elements]) -> Triangulation:
    """Triangles of all shell elements; a quad is cut along the diagonal that folds least."""
    triangles = [np.zeros((0, 3), np.int32)]
    element = [np.zeros(0, np.int32)]
    for at, corners in _shells(elements):
        index = np.arange(at, at + len(corners), dtype=np.int32)
        if corners.shape[1] == 3:
            triangles.append(corners)
            element.append(index)
            continue
        p = nodes[corners]
        fold = []
        for k in (0, 1):  # cosine between the two halves, for the cut at corner k
            a, b, c, d = (p[:, (k + i) % 4] for i in range(4))
            one, two = cross_product(b - a, c - a), cross_product(c - a, d - a)
            size = np.linalg.norm(one, axis=1) * np.linalg.norm(two, axis=1)
            fold.append(np.einsum("ij,ij->i", one, two) / np.where(size > 0, size, 1.0))
        other = fold[1] > fold[0] + 1e-9
        q = np.where(other[:, None], np.roll(corners, -1, axis=1), corners)
        triangles.append(np.stack([q[:, [0, 1, 2]], q[:, [0, 2, 3]]], axis=1).reshape(-1, 3))
        element.append(np.repeat(index, 2))
    return Triangulation(np.ascontiguousarray(np.concatenate(triangles)), np.concatenate(element))


def duplicate_rows(triangles: Array) -> Array:
    """Rows whose three nodes an earlier row has already, in any order; ascending."""
    if len(triangles) < 2:
        return np.zeros(0, np.int64)
    again = np.ones(len(triangles), bool)
    again[equal_rows(np.sort(triangles, axis=1).astype(np.int32))[0]] = False
    return np.flatnonzero(again)
