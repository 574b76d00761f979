"""Patches as rows of a table."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict, dataclass

import numpy as np

from oddseam.errors import Refusal
from oddseam.inputs import checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh


@dataclass(frozen=True)
class DescribedPatch:
    """A patch with its measures, as in :class:`Patch`, the number of its elements, and the patches across its edges."""

    number: int
    name: str
    kind: str
    area: float | None = column(".5g")
    radius: float | None = column(".5g", "radius (of a cone: angle)")
    tube: float | None = column(".5g")
    axis: tuple[float, float, float] | None = column()
    centre: tuple[float, float, float] | None = column()
    elements: int = column()
    neighbours: tuple[int, ...] = column(heading="beside")


@checked
def list_patches(mesh: Mesh) -> Listing[DescribedPatch]:
    """List the patches of a mesh: what each is, its measures and neighbours.

    Parameters
    ----------
    mesh : Mesh
        With patches, see ``find_features``.

    Returns
    -------
    Listing of DescribedPatch

    Raises
    ------
    Refusal
        If the mesh has no patches.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> rows = oddseam.list_patches(oddseam.find_features(corner))
    >>> rows[0].kind, round(rows[0].area, 3), rows[0].neighbours
    ('plane', 3.464, (2, 3, 4))
    """
    if mesh.patches is None:
        raise Refusal("the mesh has no patches; `oddseam features` finds them")
    label = mesh.patches.label
    c = mesh.connectivity
    pairs = label[mesh.faces.element[c.face[c.pairs]]] if len(c.pairs) else np.zeros((0, 2), np.int32)
    pairs = np.unique(np.sort(pairs[(pairs[:, 0] != pairs[:, 1]) & (pairs >= 0).all(axis=1)], axis=1), axis=0)
    beside: list[list[int]] = [[] for _ in mesh.patches.table]
    for a, b in pairs.tolist():
        beside[a].append(b + 1)
        beside[b].append(a + 1)
    count = np.bincount(label[label >= 0], minlength=len(beside))
    rows = tuple(
        DescribedPatch(number=k + 1, **asdict(patch), elements=int(count[k]), neighbours=tuple(sorted(beside[k])))
        for k, patch in enumerate(mesh.patches.table)
    )
    many = ", ".join(f"{number:,} {kind}" for kind, number in Counter(row.kind for row in rows).items())
    n_creases = 0 if mesh.creases is None else len(mesh.creases.edges)
    title = f"{len(rows):,} patch(es): {many}; {n_creases:,} crease edges"
    return Listing(rows, DescribedPatch, title, mesh.diagonal)
