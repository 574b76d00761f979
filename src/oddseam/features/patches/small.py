"""What is small in the network of creases: tiny edges, sliver patches, and creases that run side by side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array, Point
from oddseam.errors import Refusal
from oddseam.features.edges.strips import Fold, folded
from oddseam.features.patches.bounding import pieces_between
from oddseam.features.patches.curves import Curves, trace_curves
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.edge_keys import edge_keys, edges_among
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import areas
from oddseam.model import Mesh

#: From a node to a place on an edge.
Way = tuple[int, tuple[int, int], float]
#: A place on an edge nearer to its end than this share of the edge, or of the way, is that end.
_NEAR, _BESIDE = 0.06, 0.3


@dataclass(frozen=True, eq=False)
class Small:
    """One small thing.

    Attributes
    ----------
    kind : str
        ``"edge"``, ``"sliver"`` or ``"double edge"``.
    width, length : float
        Of an edge both are its length.
    place : (x, y, z)
        The middle of it.
    name : str
        The patch that it is, or lies in.
    nodes : (k,) int array
        Of an edge: those that are to become one.
    fold : Fold or None
        Of a sliver: which places of its border are to become one.
    faces : (f,) int array
        Of a sliver: those that go.
    across : tuple of (node, (a, b), share)
        Of a double edge: from where to where the surface between is to be cut to make it a sliver, a node and a place
        on an edge, which may be a node twice.
    """

    kind: str
    width: float
    length: float
    place: Point
    name: str
    nodes: Array
    fold: Fold | None = None
    faces: Array | None = None
    across: tuple[Way, ...] = ()


def small_things(mesh: Mesh, below: float) -> list[Small]:
    """Tiny edges and slivers."""
    if mesh.creases is None:
        raise Refusal("the mesh has no creases; `oddseam features` finds them")
    if not 0 < below < np.inf:
        raise Refusal(f"a size of {below} is not positive")
    return _tiny_edges(mesh, below) + _slivers(mesh, below)


def _curves(mesh: Mesh) -> Curves:
    """Creases and rims between their corners."""
    assert mesh.creases is not None
    c = mesh.connectivity
    edges = np.unique(np.concatenate([mesh.creases.edges, c.edges[c.is_free | c.is_nonmanifold]]), axis=0)
    return trace_curves(mesh.nodes, edges.astype(np.int64), np.zeros(mesh.n_nodes, bool))


def _tiny_edges(mesh: Mesh, below: float) -> list[Small]:
    curves = _curves(mesh)
    points = mesh.nodes[curves.node]
    found = []
    for i, j in zip(curves.first[:-1].tolist(), curves.first[1:].tolist(), strict=True):
        length = float(np.linalg.norm(np.diff(points[i:j], axis=0), axis=1).sum())
        if length < below:
            place = point_of(0.5 * (points[i:j].min(axis=0) + points[i:j].max(axis=0)))
            found.append(Small("edge", length, length, place, "", curves.node[i:j]))
    return found


@dataclass(frozen=True, eq=False)
class _Pieces:
    """What hangs together between creases.

    ``of`` (f,) is the piece of every face, ``area`` and ``around`` (p,) their areas and the lengths of their borders;
    ``start``, ``end`` and ``piece`` (h,) are the directed edges of all borders.
    """

    of: Array
    area: Array
    around: Array
    start: Array
    end: Array
    piece: Array


def _pieces(mesh: Mesh, dangling: bool = False) -> _Pieces:
    """Pieces; creases that end within one, or have it on both sides, are of its border only if ``dangling``."""
    c = mesh.connectivity
    of = pieces_between(mesh, mesh.creases)
    count = int(of.max(initial=-1)) + 1
    t = mesh.triangulation
    piece_of_element = np.zeros(mesh.n_elements, np.int64)
    piece_of_element[mesh.faces.element] = of
    area = areas(mesh.nodes[t.triangles])
    area = np.bincount(piece_of_element[t.element], area, minlength=count)
    inner = of[c.face[c.pairs[:, 0]]] == of[c.face[c.pairs[:, 1]]]
    is_border = c.edge_of >= 0
    if dangling:
        assert mesh.creases is not None
        inner &= ~edges_among(c.edges[c.pair_edges], mesh.creases.edges, mesh.n_nodes)
    is_border[c.pairs[inner].ravel()] = False
    corner = np.flatnonzero(is_border)
    start, end = (mesh.faces.node[at].astype(np.int64) for at in (corner, c.next[corner]))
    piece = of[c.face[corner]]
    around = np.bincount(piece, np.linalg.norm(mesh.nodes[end] - mesh.nodes[start], axis=1), minlength=count)
    return _Pieces(of, area, around, start, end, piece)


def _slivers(mesh: Mesh, below: float) -> list[Small]:
    pieces = _pieces(mesh)
    narrow = np.flatnonzero((2.0 * pieces.area < below * pieces.around) & (pieces.around > 2.0 * below))
    found = []
    order = np.argsort(pieces.piece, kind="stable")
    first = np.searchsorted(pieces.piece[order], np.arange(len(pieces.area) + 1))
    by_piece = np.argsort(pieces.of, kind="stable")
    first_face = np.searchsorted(pieces.of[by_piece], np.arange(len(pieces.area) + 1))
    for k in narrow.tolist():
        its = order[first[k] : first[k + 1]]
        loops = _loops(pieces.start[its], pieces.end[its])
        fold = None if loops is None else folded(mesh.nodes, loops, below)
        if fold is None:
            continue
        faces = by_piece[first_face[k] : first_face[k + 1]]
        middle = point_of(mesh.nodes[fold.ends[len(fold.ends) // 2, :, 0]].mean(axis=0))
        nodes = np.unique(fold.ends)
        found.append(Small("sliver", fold.width, fold.length, middle, _name(mesh, faces), nodes, fold, faces))
    return found


def _name(mesh: Mesh, faces: Array) -> str:
    """The patch that faces lie in."""
    if mesh.patches is None:
        return ""
    label = int(mesh.patches.label[mesh.faces.element[faces[0]]])
    return mesh.patches.table[label].name if label >= 0 else ""


def _loops(start: Array, end: Array) -> list[Array] | None:
    """Loops that directed edges make; ``None`` if they meet in a node."""
    if len(np.unique(start)) < len(start) or not np.array_equal(np.unique(start), np.unique(end)):
        return None
    ahead = dict(zip(start.tolist(), end.tolist(), strict=True))
    loops = []
    while ahead:
        begin, at = next(iter(ahead.items()))
        loop = [begin]
        del ahead[begin]
        while at != begin:
            loop.append(at)
            at = ahead.pop(at)
        loops.append(np.array(loop))
    return loops


def double_edges(mesh: Mesh, below: float, others: list[Small]) -> list[Small]:
    """Curves all of whose nodes are near to another curve across the same piece, which is none of the ``others``."""
    pieces, curves = _pieces(mesh, dangling=True), _curves(mesh)
    if not len(pieces.start) or not len(curves.node):
        return []
    points, n = mesh.nodes, mesh.n_nodes
    # the curve of every border edge
    ahead = np.flatnonzero(curves.edge >= 0)
    number = np.repeat(np.arange(len(curves.first) - 1), np.diff(curves.first))
    one, two = curves.node[ahead], curves.node[ahead + 1]
    keys = edge_keys(np.column_stack([one, two]), n)
    order = np.argsort(keys)
    wanted = edge_keys(np.column_stack([pieces.start, pieces.end]), n)
    curve_of = number[ahead][order][np.searchsorted(keys[order], wanted)]
    borders = np.unique(np.column_stack([curve_of, pieces.piece]), axis=0)
    slivers = [pieces.of[it.faces[0]] for it in others if it.faces is not None]
    borders = borders[~np.isin(borders[:, 1], slivers)]
    length = np.bincount(number[ahead], np.linalg.norm(points[two] - points[one], axis=1))
    # curves whose ends and middle are all near the same other one
    tree = BoxTree(points[np.column_stack([pieces.start, pieces.end, pieces.end])])
    ask = borders[length[borders[:, 0]] > 2.0 * below]
    first, last = curves.first[ask[:, 0]], curves.first[ask[:, 0] + 1] - 1
    trial = curves.node[np.column_stack([first, (first + last) // 2, last])]
    query, row = tree.near(points[trial.ravel()], below)
    ok = (pieces.piece[row] == ask[query // 3, 1]) & (curve_of[row] != ask[query // 3, 0])
    triple = np.unique(np.column_stack([query[ok], curve_of[row[ok]]]), axis=0)
    pair, seen = np.unique(np.column_stack([triple[:, 0] // 3, triple[:, 1]]), axis=0, return_counts=True)
    found, done = [], set()
    for (k, other), count in zip(pair.tolist(), seen.tolist(), strict=True):
        curve, piece = ask[k].tolist()
        if count < 3 or (other, curve, piece) in done:
            continue
        double = _double(mesh, pieces, curves, (curve, other, piece), below)
        if double is not None:
            done.add((curve, other, piece))
            found.append(double)
    return found


def _double(mesh: Mesh, pieces: _Pieces, curves: Curves, which: tuple[int, int, int], below: float) -> Small | None:
    """A curve beside another one across a piece, if it is near all along and the piece is what lies between."""
    curve, other, piece = which
    points = mesh.nodes
    mine, its = (curves.node[curves.first[c] : curves.first[c + 1]] for c in (curve, other))
    tree = BoxTree(points[np.column_stack([its[:-1], its[1:], its[1:]])])
    beside, row = tree.closest(points[mine])
    segment = tree.order[row]
    away = np.linalg.norm(beside - points[mine], axis=1)
    if away.max() > below:
        return None
    widest = int(np.argmax(away))
    faces = np.flatnonzero(pieces.of == piece)
    t = mesh.triangulation
    tree = BoxTree(points[t.triangles[np.isin(t.element, mesh.faces.element[faces])]])
    middle = 0.5 * (points[mine] + beside)
    off = np.linalg.norm(tree.closest(middle)[0] - middle, axis=1)
    if away.max() == 0 or (off > 0.2 * away + 1e-12 * below).any():
        return None
    ends = tuple(
        (int(mine[k]), *_place(points, its[segment[k]], its[segment[k] + 1], beside[k], _BESIDE * away[k]))
        for k in (0, -1)
        if away[k] > 0
    )
    ends = tuple(way for way in ends if way[1][0] != way[1][1] or not _is_crease(mesh, way[0], its))
    if not ends:
        return None  # a sliver by itself, and wider somewhere than it may be, or it would have been one
    length = float(np.linalg.norm(np.diff(points[mine], axis=0), axis=1).sum())
    place = point_of(middle[widest])
    return Small("double edge", float(away.max()), length, place, _name(mesh, faces), mine, across=ends)


def _place(points: Array, a: int, b: int, at: Array, near: float) -> tuple[tuple[int, int], float]:
    """A place on an edge, from its lower node; near to an end it is that."""
    a, b = int(min(a, b)), int(max(a, b))
    length = float(np.linalg.norm(points[b] - points[a]))
    share = float(np.linalg.norm(at - points[a])) / length if length > 0 else 0.0
    snap = min(_NEAR, near / length) if length > 0 else 1.0
    if min(share, 1.0 - share) <= snap:
        return ((a, a) if share < 0.5 else (b, b)), 0.0
    return (a, b), share


def _is_crease(mesh: Mesh, node: int, others: Array) -> bool:
    """Whether a crease leads from a node to one of others."""
    assert mesh.creases is not None
    edges = mesh.creases.edges
    at = edges[(edges == node).any(axis=1)]
    return bool(np.isin(at, np.setdiff1d(others, [node])).any())
