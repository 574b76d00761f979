"""The chains of creases, listed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.features.edges.chains import anchored_nodes, creases_of, numbered_chains
from oddseam.findings.classes.finding import point_of
from oddseam.inputs import checked
from oddseam.listing import Listing, column
from oddseam.model import Mesh
from oddseam.model.shape import CREASE_KINDS


@dataclass(frozen=True)
class CreaseChain:
    """Creases from one node where other than two of them meet to the next.

    Attributes
    ----------
    number : int
    length : float
    edges : int
    kinds : tuple of str
    open_ends : int
        How many of its ends are in the open.
    start, end : (x, y, z)
        Its ends; ``None`` for the second of a closed chain.
    ends : tuple of int
        Ids of the nodes there.
    """

    number: int
    length: float
    edges: int
    kinds: tuple[str, ...] = column(heading="kind")
    open_ends: int = column()
    start: tuple[float, float, float] = column(heading="from")
    end: tuple[float, float, float] | None = column(heading="to")
    ends: tuple[int, ...] = column(shown=False)


@checked
def list_creases(mesh: Mesh) -> Listing[CreaseChain]:
    """List the chains of creases of a mesh, the longest first.

    Parameters
    ----------
    mesh : Mesh
        With creases, see ``find_features``.

    Returns
    -------
    Listing of CreaseChain

    Raises
    ------
    Refusal
        If the mesh has no creases.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> chains = oddseam.list_creases(oddseam.find_features(corner))
    >>> len(chains), round(chains[0].length, 3), chains[0].open_ends
    (6, 2.828, 0)
    """
    creases, anchored = creases_of(mesh), anchored_nodes(mesh)
    degree = np.bincount(creases.edges.ravel(), minlength=mesh.n_nodes)
    chain, lengths = numbered_chains(mesh)
    order = np.argsort(chain, kind="stable")
    first = np.searchsorted(chain[order], np.arange(1, len(lengths) + 2))
    rows = []
    for k, length in enumerate(lengths.tolist()):
        its = order[first[k] : first[k + 1]]
        node, times = np.unique(creases.edges[its], return_counts=True)
        ends = node[times == 1] if (times == 1).any() else node[:1]
        places = [point_of(place) for place in mesh.nodes[ends]]
        rows.append(
            CreaseChain(
                k + 1, length, len(its), tuple(CREASE_KINDS[kind] for kind in np.unique(creases.kind[its]).tolist()),
                int(((degree[ends] == 1) & ~anchored[ends]).sum()), places[0], places[1] if len(places) > 1 else None,
                tuple(mesh.node_ids[ends].tolist()),
            )
        )  # fmt: skip
    in_open = sum(row.open_ends for row in rows)
    total = f"{float(lengths.sum()):.6g}"
    title = f"{len(rows):,} chains of creases, {total} long; {in_open:,} ends in the open"
    return Listing(tuple(rows), CreaseChain, title, mesh.diagonal)
