"""Groups as CGNS knows them: conditions at nodes, regions of elements, and sections of the faces of elements."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.losses import Remarks
from oddseam.model import KINDS, Mesh


def side_tables(mesh: Mesh, dimension: int, said: Remarks) -> Iterator[tuple[str, str, Array]]:
    """Sides of the elements of the highest dimension as elements of their own.

    Yields
    ------
    name, kind : str
        Of the group, and of the elements that its sides are.
    connectivity : (s, k) int array
    """
    blocks = list(mesh.elements.items())
    starts = np.cumsum([0, *(len(block) for _, block in blocks)])
    for name, pairs in mesh.groups.sides.items():
        found: dict[str, list[Array]] = {}
        others = 0
        for (kind, block), start in zip(blocks, starts.tolist(), strict=False):
            its = pairs[(pairs[:, 0] >= start) & (pairs[:, 0] < start + len(block))]
            for side in np.unique(its[:, 1]).tolist():
                rows = its[its[:, 1] == side, 0] - start
                of_side = _nodes_of(kind, side)
                if KINDS[kind].dimension != dimension or of_side is None:
                    others += len(rows)
                    continue
                face, local = of_side
                found.setdefault(face, []).append(block.connectivity[rows][:, local])
        if others:
            said.lost.append(f"{others:,} sides of the group {name!r}: no faces of the cells")
        for face, tables in found.items():
            yield name, face, np.concatenate(tables)


def _nodes_of(kind: str, side: int) -> tuple[str, list[int]] | None:
    """The kind of element that a side is, and which local nodes it has; the two faces of a shell are none."""
    its = KINDS[kind]
    if its.dimension == 1 or (its.dimension == 2 and side < 2):
        return None
    corners = list(its.sides[side])
    pairs = list(zip(corners, corners[1:] + corners[:1], strict=True))[: 1 if len(corners) == 2 else None]
    face = {2: "line", 3: "tri", 4: "quad"}[len(corners)]
    if not its.is_quadratic:
        return face, corners
    edges = [frozenset(edge) for edge in its.edges]
    middles = [its.corners + edges.index(frozenset(pair)) for pair in pairs]
    return f"{face}{len(corners) + len(middles)}", corners + middles


def element_numbers(mesh: Mesh, number: Array) -> Iterator[tuple[str, int, Array]]:
    """Groups of elements by the dimension of these, with their numbers in the file.

    Parameters
    ----------
    mesh : Mesh
    number : (m,) int array
        Of every element, in the file.
    """
    of = np.concatenate([np.zeros(0, int), *(np.full(len(b), KINDS[k].dimension) for k, b in mesh.elements.items())])
    for name, members in mesh.groups.elements.items():
        for its in np.unique(of[members]).tolist():
            yield name, its, np.sort(number[members[of[members] == its]])
