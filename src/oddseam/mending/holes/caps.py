"""Closing what is nearly closed, so that it is known what lies inside.

The edges that facets run through more often one way than the other are the border of a piece,
however many facets meet there and whichever way they look; from every node as many lead off as come
in, so they are made of loops.  A triangulated loop is a cap.  Caps over small loops stay, as fills;
a piece that larger ones close with little area is solid all the same, and these caps go
when that is known.  For a piece that is nearly closed this tells inside from outside as the winding
number does of A. Jacobson, L. Kavan, O. Sorkine-Hornung (2013), Robust inside-outside segmentation using
generalized winding numbers: what the caps add to it is what the holes lack.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import areas, numbered_edges
from oddseam.mending.holes.hole import triangulated
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import Added, edited
from oddseam.model.groups import Groups
from oddseam.model.origins import new_elements

#: Groups that last as long as crossings are resolved; no file can name one so.
SHEETS, CAPS = "\0open sheets", "\0caps"
#: A piece is nearly closed if caps over large loops have no more than this share of its area;
#: and one with small loops only is none if these are its own border.
_LARGE = 0.1
_SMALL = 0.5
#: What hangs on a piece by its foot alone is a fin if its area is that of caps over its border, up to this factor:
#: what stands off them is shape that somebody made.
_FIN = 1.1


def with_caps(mesh: Mesh, widest: float, one_solid: bool = False) -> tuple[Mesh, int, int]:
    """The mesh with caps over loops up to ``widest`` across, how many facets these have, and how many fins have.

    With ``one_solid`` all pieces are closed, whatever their caps are like, and nothing is a sheet.

    The cap of a fin, what hangs on a piece by its foot, is the fin turned over, so that both go.
    Larger loops of nearly closed pieces have caps in the group ``CAPS``; the elements of pieces
    that remain open are the group ``SHEETS``.
    """
    t = mesh.triangulation
    fins = _fins(mesh)
    given = np.concatenate([t.triangles, t.triangles[fins][:, ::-1]])
    edges, piece_of_edge, piece = borders(mesh.n_nodes, given)
    piece = piece[: len(t.triangles)]
    area = areas(mesh.nodes[t.triangles])
    total = np.bincount(piece, area)
    sheets = np.zeros(len(total), bool)
    kept: list[Array] = [t.triangles[fins][:, ::-1].astype(np.int64)]
    gone: list[Array] = []
    order = np.argsort(piece_of_edge, kind="stable")
    for its in np.split(order, np.flatnonzero(np.diff(piece_of_edge[order])) + 1):
        if not len(its):
            continue
        p = int(piece_of_edge[its[0]])
        caps = [_cap(mesh.nodes, loop) for loop in _loops(edges[its].tolist())]
        large = [float(np.linalg.norm(np.ptp(mesh.nodes[cap].reshape(-1, 3), axis=0))) > widest for cap in caps]
        spans = [float(areas(mesh.nodes[cap]).sum()) for cap in caps]
        wide = sum(span for span, is_large in zip(spans, large, strict=True) if is_large)
        if not one_solid and (wide > _LARGE * total[p] or sum(spans) > _SMALL * total[p]):
            sheets[p] = True
            continue
        for cap, is_large in zip(caps, large, strict=True):
            (gone if is_large else kept).append(cap)
    kept[0] = kept[0][~sheets[piece[fins]]]
    groups = {**mesh.groups.elements, SHEETS: np.unique(t.element[sheets[piece]])}
    mesh = _grouped(mesh, groups)
    none = np.zeros((0, 3), np.int64)
    added = np.concatenate([none, *kept, *gone])
    if not len(added):
        return mesh, 0, 0
    element_at = np.zeros(mesh.n_nodes, np.int64)
    element_at[t.triangles] = t.element[:, None]
    capped = edited(mesh, add=Added(triangles=added, like=element_at[added[:, 0]]))
    count = sum(len(cap) for cap in kept)
    groups = {**capped.groups.elements, CAPS: new_elements(capped, mesh)[count:]}
    return _grouped(capped, groups), count - len(kept[0]), len(kept[0])


def _grouped(mesh: Mesh, elements: dict[str, Array]) -> Mesh:
    """The mesh with these groups of elements."""
    return mesh.replaced(groups=Groups(mesh.groups.nodes, elements, mesh.groups.sides))


def open_elements(mesh: Mesh, widest: float) -> Array:
    """Elements of the pieces that remain open, see :func:`with_caps`."""
    return np.asarray(with_caps(mesh, widest)[0].groups.elements[SHEETS])


def with_sheets(mesh: Mesh) -> Mesh:
    """The mesh with the elements of pieces that have a border in the group ``SHEETS``."""
    t = mesh.triangulation
    _, piece_of_edge, piece = borders(mesh.n_nodes, t.triangles)
    groups = {**mesh.groups.elements, SHEETS: np.unique(t.element[np.isin(piece, piece_of_edge)])}
    return _grouped(mesh, groups)


def without_caps(mesh: Mesh) -> Mesh:
    """The mesh without the caps that were to go, and without the groups."""
    mesh = edited(mesh, drop=mesh.groups.elements.get(CAPS, np.zeros(0, np.int64)))
    groups = {name: members for name, members in mesh.groups.elements.items() if name not in (SHEETS, CAPS)}
    return _grouped(mesh, groups)


def borders(n_nodes: int, triangles: Array) -> tuple[Array, Array, Array]:
    """The edges that triangles run through more often one way.

    Returns
    -------
    edges : (k, 2) int64 array
        Run through the other way, once for every time too often.
    piece_of_edge : (k,) int64 array
    piece : (m,) int64 array
        Pieces that hang together through edges.
    """
    ends, edge, step = numbered_edges(triangles, n_nodes)
    surplus = np.bincount(edge.ravel(), step.ravel(), len(ends)).astype(np.int64)
    m = len(triangles)
    _, label = label_components(m + len(ends), np.repeat(np.arange(m), 3), m + edge.ravel())
    ends[surplus > 0] = ends[surplus > 0][:, ::-1]
    times = np.abs(surplus)
    _, label = np.unique(label, return_inverse=True)
    return np.repeat(ends, times, axis=0), np.repeat(label[m:], times), label[:m]


def _fins(mesh: Mesh) -> Array:
    """Rows of patches between non-manifold edges whose whole border is border of their piece too.

    Each leaves nothing open if it goes; it is one if caps over its border would have about its area.
    """
    t = mesh.triangulation.triangles.astype(np.int64)
    ends, edge, step = numbered_edges(t, mesh.n_nodes)
    count, surplus = np.bincount(edge.ravel()), np.bincount(edge.ravel(), step.ravel())
    if not (count > 2).any():
        return np.zeros(0, np.int64)
    m = len(t)
    pair = count[edge] == 2
    facet = np.repeat(np.arange(m), 3)
    patch = label_components(m + len(ends), facet[pair.ravel()], m + edge.ravel()[pair.ravel()])[1][:m]
    patch = np.unique(patch, return_inverse=True)[1]
    at = np.flatnonzero(~pair.ravel())
    sides = np.column_stack([patch[facet[at]], edge.ravel()[at]])
    rows, which = np.unique(sides, axis=0, return_inverse=True)
    own = np.bincount(which.ravel(), step.ravel()[at])
    stays = np.sign(own) * surplus[rows[:, 1]] < np.abs(own)
    joint = np.zeros(int(patch.max()) + 1, bool)
    joint[rows[count[rows[:, 1]] > 2, 0]] = True
    joint[rows[stays, 0]] = False
    area = areas(mesh.nodes[t])
    found = [np.zeros(0, np.int64)]
    for p in np.flatnonzero(joint).tolist():
        its = np.flatnonzero(patch == p)
        caps = [_cap(mesh.nodes, loop) for loop in _loops(borders(mesh.n_nodes, t[its])[0].tolist())]
        span = sum(float(areas(mesh.nodes[cap]).sum()) for cap in caps)
        if span / _FIN <= area[its].sum() <= _FIN * span:
            found.append(its)
    return np.concatenate(found)


def _loops(edges: list[list[int]]) -> list[Array]:
    """Edges, as many from every node as to it, as loops that pass no node twice."""
    following: dict[int, list[int]] = {}
    for a, b in edges:
        following.setdefault(a, []).append(b)
    loops = []
    for begin in list(following):
        while following[begin]:
            path, at = [begin], {begin: 0}
            while path:
                if not following[path[-1]]:
                    break
                node = following[path[-1]].pop()
                if node in at:
                    loop = path[at[node] :]
                    if len(loop) > 2:  # else to and fro along an edge
                        loops.append(np.array(loop))
                    for gone in loop[1:]:
                        del at[gone]
                    del path[at[node] + 1 :]
                    if len(path) == 1:
                        break
                else:
                    at[node] = len(path)
                    path.append(node)
    return loops


def _cap(nodes: Array, loop: Array) -> Array:
    """(k, 3) triangles over a loop, turned as it runs."""
    triangles = triangulated(nodes[loop], np.zeros((len(loop), 3)), np.arange(len(loop)), set())
    if triangles is None:  # no way is free of folds that have no area
        triangles = np.column_stack(
            [np.zeros(len(loop) - 2, np.int64), *(np.arange(k, len(loop) - 2 + k) for k in (1, 2))]
        )
    return np.asarray(loop[triangles], np.int64)
