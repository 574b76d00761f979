"""Groups as CGNS knows them: conditions at nodes, regions of elements, and sections of the faces of elements."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.losses import Remarks
from oddseam.model import KINDS, Mesh
from oddseam.model.skin import nodes_of_side


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
                its_kind = KINDS[kind]
                if its_kind.dimension != dimension or dimension == 1 or (dimension == 2 and side < 2):
                    others += len(rows)  # the two faces of a shell are no sides of cells
                    continue
                face, local = nodes_of_side(its_kind, its_kind.sides[side])
                found.setdefault(face, []).append(block.connectivity[rows][:, local])
        if others:
            said.lost.append(f"{others:,} sides of the group {name!r}: no faces of the cells")
        for face, tables in found.items():
            yield name, face, np.concatenate(tables)


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
