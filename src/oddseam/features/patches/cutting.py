"""Facets cut in pieces at new nodes, with everything else following."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edges_among, edges_of_triangles
from oddseam.model import Creases, Groups, Mesh
from oddseam.model.descent import with_sides_of_pieces
from oddseam.model.editing import Added, edited

#: Pieces of triangles, by the row of the triangle.
Cuts = dict[int, list[tuple[int, ...]]]
#: New nodes on edges, in order from the lower of the two nodes to the higher.
OnEdges = dict[tuple[int, int], list[int]]


def cut_facets(mesh: Mesh, cuts: Cuts, points: Array, on_edges: OnEdges) -> Mesh:
    """The mesh with triangles of its triangulation cut in pieces.

    Parts, groups and patches of the pieces are those of the element; creases along edges with new nodes go
    through them.
    A quad of which a triangle is cut becomes triangles.

    Parameters
    ----------
    mesh : Mesh
    cuts : dict of int to list of tuples
    points : (k, 3) array
        New nodes, which are numbered after those of the mesh.
    on_edges : dict of pairs to lists of int
    """
    if not cuts:
        return mesh
    t = mesh.triangulation
    elements = np.unique(t.element[list(cuts)])
    rows = np.flatnonzero(np.isin(t.element, elements))
    pieces, like = [], []
    for row in rows.tolist():
        its = cuts.get(row, [tuple(t.triangles[row].tolist())])
        pieces += its
        like += [int(t.element[row])] * len(its)
    whole, more = _parted_creases(mesh, on_edges)
    bare = whole.replaced(groups=Groups(whole.groups.nodes, whole.groups.elements))
    new = edited(
        bare,
        drop=elements,
        add=Added(nodes=points, triangles=np.array(pieces), like=np.array(like), derived=True, creases=more),
    )
    middles = np.full((len(points), 2), -1)
    for edge, nodes in on_edges.items():
        middles[np.array(nodes) - mesh.n_nodes] = edge
    return with_sides_of_pieces(mesh, new, {"tri": np.array(like)}, middles)


def with_nodes_on_edges(mesh: Mesh, on_edges: OnEdges, points: Array) -> Mesh:
    """The mesh with nodes on edges: its facets there become fans, from the corner across.

    See :func:`cut_facets`.
    """
    t = mesh.triangulation
    n = max(mesh.n_nodes, 1)
    cut = edges_among(edges_of_triangles(t.triangles).reshape(-1, 2), np.array(list(on_edges)).reshape(-1, 2), n)
    cuts: Cuts = {}
    for row, k in np.argwhere(cut.reshape(-1, 3)).tolist():
        u, v = int(t.triangles[row, k]), int(t.triangles[row, (k + 1) % 3])
        of = cuts.setdefault(row, [tuple(t.triangles[row].tolist())])
        whole = next(i for i, (a, b, c) in enumerate(of) if (u, v) in ((a, b), (b, c), (c, a)))
        apex = next(x for x in of.pop(whole) if x not in (u, v))
        between = on_edges[min(u, v), max(u, v)]
        chain = [u, *(between if u < v else between[::-1]), v]
        of += [(a, b, apex) for a, b in zip(chain[:-1], chain[1:], strict=True)]
    return cut_facets(mesh, cuts, points, on_edges)


def _parted_creases(mesh: Mesh, on_edges: OnEdges) -> tuple[Mesh, Creases | None]:
    """The mesh without the creases along edges with new nodes, and the pieces of those."""
    if mesh.creases is None:
        return mesh, None
    edges, kind = mesh.creases.edges, mesh.creases.kind
    through = [on_edges.get((a, b), []) for a, b in edges.tolist()]
    cut = np.array([bool(nodes) for nodes in through], bool)
    pieces, kinds = [], []
    for k in np.flatnonzero(cut).tolist():
        chain = [int(edges[k, 0]), *through[k], int(edges[k, 1])]
        pieces += list(zip(chain[:-1], chain[1:], strict=True))
        kinds += [kind[k]] * (len(chain) - 1)
    more = Creases(np.array(pieces, np.int32).reshape(-1, 2), np.array(kinds, np.int8))
    return mesh.replaced(creases=Creases(edges[~cut], kind[~cut])), more
