"""The pieces of a surface as rows of a table."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.triangles import areas
from oddseam.inputs import checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh
from oddseam.progress import Progress, silent


@dataclass(frozen=True)
class Piece:
    """What hangs together through edges.

    Attributes
    ----------
    number : int
        As ``pick`` takes it: ``"piece 3"``.
    across : float
        Diagonal of its box.
    facets : int
    area : float
    volume : float or None
        ``None`` for an open one.
    rims : int
    place : (x, y, z)
        The middle of its box.
    parts : tuple of str
    is_closed : bool
    """

    number: int
    across: float = column(".5g")
    facets: int = column()
    area: float = column(".5g")
    volume: float | None = column(".5g")
    rims: int = column()
    place: tuple[float, float, float] = column(heading="middle")
    parts: tuple[str, ...] = column()
    is_closed: bool = column(heading="closed")


@checked
def list_pieces(mesh: Mesh, *, progress: Progress = silent) -> Listing[Piece]:
    """List the pieces of a surface, the largest first.

    A piece is what hangs together through edges.

    Parameters
    ----------
    mesh : Mesh
    progress : callable, optional

    Returns
    -------
    Listing of Piece

    Notes
    -----
    O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> [(row.number, row.is_closed, round(row.volume, 3)) for row in oddseam.list_pieces(corner)]
    [(1, True, 1.333)]
    """
    pieces, t, c = mesh.pieces, mesh.triangulation, mesh.connectivity
    count = len(pieces.volume)
    held = np.flatnonzero(pieces.of_triangle >= 0)
    of = pieces.of_triangle[held]
    area = np.bincount(of, areas(mesh.nodes[t.triangles[held]]), count)
    facets = np.bincount(of, minlength=count)
    corner, rim = c.rim_corners
    pairs = np.unique(np.column_stack([c.piece[c.face[corner]], rim]), axis=0)
    rims = np.bincount(pairs[:, 0], minlength=count) if len(pairs) else np.zeros(count, np.int64)
    middle = (pieces.low + pieces.high) / 2
    parts = np.unique(np.column_stack([of, mesh.element_part[t.element[held]]]), axis=0)
    rows = []
    for number, p in enumerate(piece_order(mesh).tolist(), start=1):
        is_closed = bool(pieces.is_solid[p])
        names = tuple(mesh.parts[k].name for k in parts[parts[:, 0] == p, 1].tolist())
        volume = float(pieces.volume[p]) if is_closed else None
        rows.append(
            Piece(
                number, float(pieces.extent[p]), int(facets[p]), float(area[p]), volume, int(rims[p]),
                point_of(middle[p]), names, is_closed,
            )
        )  # fmt: skip
    closed = sum(row.is_closed for row in rows)
    title = f"{len(rows):,} piece(s), {closed:,} closed, lengths in {mesh.unit_name}"
    return Listing(tuple(rows), Piece, title, mesh.diagonal)


def piece_order(mesh: Mesh) -> Array:
    """(p,) pieces in the order of their numbers: the widest first."""
    return np.argsort(-mesh.pieces.extent, kind="stable")
