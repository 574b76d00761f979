"""The pieces of a surface as rows of a table."""

from __future__ import annotations

from typing import Any

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import areas
from oddseam.inputs import checked
from oddseam.model import Mesh


@checked
def list_pieces(mesh: Mesh) -> list[dict[str, Any]]:
    """List the pieces of a surface, what hangs together through edges, the largest first.

    Parameters
    ----------
    mesh : Mesh

    Returns
    -------
    list of dict
        One for each piece: its number (as ``pick`` takes it: ``"piece 3"``), how wide it is, facets, area, volume
        (``None`` for an open one), whether it is closed, rims, the middle of its box, and its parts.  O(n log n).

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> [(row["number"], row["is_closed"], round(row["volume"], 3)) for row in oddseam.list_pieces(corner)]
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
        rows.append(
            {
                "number": number,
                "across": float(pieces.extent[p]),
                "facets": int(facets[p]),
                "area": float(area[p]),
                "volume": float(pieces.volume[p]) if is_closed else None,
                "is_closed": is_closed,
                "rims": int(rims[p]),
                "place": middle[p].tolist(),
                "parts": [mesh.parts[k].name for k in parts[parts[:, 0] == p, 1].tolist()],
            }
        )
    return rows


def piece_order(mesh: Mesh) -> Array:
    """(p,) pieces in the order of their numbers: the widest first."""
    return np.argsort(-mesh.pieces.extent, kind="stable")
