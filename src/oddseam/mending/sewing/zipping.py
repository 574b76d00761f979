"""Closing cracks: rims that face each other are sewn together, node to node and node to edge.

A node that lies beside a free edge is worked into that edge, whose facet is split there; nodes
that lie beside each other become one.  Then both sides of the crack have the same edges.  Nothing
moves farther than the tolerance, no edge collapses, and whatever would leave an edge with three
facets, a facet without area or a new crossing is taken back, with all that hangs together with it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.edge_keys import edges_among
from oddseam.geometry.triangles import area_vectors
from oddseam.mending.contacts.clusters import joined_nodes
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import Added, edited, merged
from oddseam.model.facing import Facing, facing_rims
from oddseam.model.origins import elements_in

#: Sewing may bring new nodes and edges face to face; so often it is looked again.
_ROUNDS = 6
#: So often what went wrong is taken back before a round is given up.
_ATTEMPTS = 8


@dataclass
class Zipped:
    """What was sewn: nodes joined into others, nodes worked into edges, largest move, edges closed, and where."""

    joined: int = 0
    worked_in: int = 0
    largest_move: float = 0.0
    closed: int = 0
    places: tuple[tuple[float, float, float], ...] = ()


def zip_rims(mesh: Mesh, width: float) -> tuple[Mesh, Zipped]:
    """Sew rims that are nowhere farther apart than ``width``, wherever they are not."""
    report = Zipped()
    open_before = int(mesh.connectivity.is_free.sum())
    for _ in range(_ROUNDS if width > 0 else 0):
        found = facing_rims(mesh, width)
        if len(found):
            mesh.crossing_triangles  # noqa: B018  first, for those of what comes of it follow from them
        sewn = _sewn(mesh, found, width) if len(found) else None
        if sewn is None:
            break
        x, y, z = mesh.nodes[found.node[0]].tolist()
        report.places = (*report.places, (x, y, z))
        mesh, joined, worked_in, move = sewn
        report.joined += joined
        report.worked_in += worked_in
        report.largest_move = max(report.largest_move, move)
    report.closed = open_before - int(mesh.connectivity.is_free.sum())
    return mesh, report


@dataclass(frozen=True, eq=False)
class _Plan:
    """What is to be joined: ``into`` for all nodes; nodes to work into corners' edges, in order along each."""

    into: Array
    node: Array
    corner: Array

    def __len__(self) -> int:
        return int((self.into != np.arange(len(self.into))).sum()) + len(self.node)


def _sewn(mesh: Mesh, found: Facing, width: float) -> tuple[Mesh, int, int, float] | None:
    """The mesh after one round that did no harm, or ``None`` if nothing could be done."""
    plan = _planned(mesh, found, width)
    cluster = _clusters(mesh, found)
    banned: set[int] = set()
    for _ in range(_ATTEMPTS):
        if not len(plan):
            return None
        sewn = _applied(mesh, plan)
        harmed = _harmed_nodes(mesh, sewn)
        if not len(harmed):
            joined = np.flatnonzero(plan.into != np.arange(mesh.n_nodes))
            move = np.linalg.norm(mesh.nodes[joined] - mesh.nodes[plan.into[joined]], axis=1).max(initial=0.0)
            worked = np.isin(found.node, plan.node) & np.isin(found.corner, plan.corner)
            return (
                sewn.mesh,
                len(joined),
                len(plan.node),
                float(min(max(move, found.distance[worked].max(initial=0)), width)),
            )
        guilty = {int(x) for x in np.unique(cluster[harmed])} - {-1} - banned
        if not guilty:
            return None
        banned |= guilty
        plan = _without(plan, np.isin(cluster, list(banned)))
    return None


def _clusters(mesh: Mesh, found: Facing) -> Array:
    """(n,) label of what hangs together through facing: nodes, and the facets of edges; -1 elsewhere."""
    face = mesh.connectivity.face[found.corner]
    first = mesh.faces.first
    members = [found.node]
    links = [(found.node, mesh.faces.node[first[face]].astype(np.int64))]
    size = first[face + 1] - first[face]
    for k in range(int(size.max())):
        at = mesh.faces.node[first[face] + np.minimum(k, size - 1)].astype(np.int64)
        members.append(at)
        links.append((links[0][1], at))
    _, label = label_components(
        mesh.n_nodes, np.concatenate([a for a, _ in links]), np.concatenate([b for _, b in links])
    )
    cluster = np.full(mesh.n_nodes, -1)
    used = np.unique(np.concatenate(members))
    cluster[used] = label[used]
    return cluster


def _planned(mesh: Mesh, found: Facing, width: float) -> _Plan:
    """Nodes to join first, nearest first; then nodes to work into edges."""
    c, node = mesh.connectivity, mesh.faces.node
    start, end = node[found.corner].astype(np.int64), node[c.next[found.corner]].astype(np.int64)
    nearer = np.where(found.along < 0.5, start, end)
    gap = np.linalg.norm(mesh.nodes[found.node] - mesh.nodes[nearer], axis=1)
    close = np.flatnonzero(gap <= width)
    first, neighbour = c.neighbours
    into = joined_nodes(
        mesh.nodes, found.node[close], nearer[close], width, np.arange(mesh.n_nodes),
        lambda k: neighbour[first[k] : first[k + 1]].tolist(),
    )  # fmt: skip
    # a node is worked in where it is not at an end, nor joined to one, nor in the facet itself
    inside = (into[found.node] != into[start]) & (into[found.node] != into[end]) & (gap > width)
    inside &= (found.along > 0.0) & (found.along < 1.0)
    corners = np.stack([c.previous[found.corner], c.previous[c.previous[found.corner]]])
    inside &= ~(into[node[corners]] == into[found.node]).any(axis=0)
    rows = np.flatnonzero(inside)
    rows = rows[np.lexsort((found.distance[rows], found.node[rows]))]
    rows = rows[np.unique(into[found.node[rows]], return_index=True)[1]]  # each to its nearest edge
    rows = rows[np.lexsort((found.along[rows], found.corner[rows]))]
    return _Plan(into, into[found.node[rows]], found.corner[rows])


def _without(plan: _Plan, banned: Array) -> _Plan:
    into = np.where(banned | banned[plan.into], np.arange(len(plan.into)), plan.into)
    keep = ~banned[plan.node]
    return _Plan(into, plan.node[keep], plan.corner[keep])


@dataclass(frozen=True, eq=False)
class _Sewn:
    """A mesh that was sewn, its nodes' origins, and the old element that each element comes from."""

    mesh: Mesh
    origin: Array
    parent: Array


def _applied(mesh: Mesh, plan: _Plan) -> _Sewn:
    new, like = mesh, np.zeros(0, np.int64)
    if len(plan.node):
        drop, triangles, like = _split(mesh, plan)
        new = edited(mesh, drop=drop, add=Added(triangles=triangles, like=like, derived=True))
    assert new.n_nodes == mesh.n_nodes
    parent = elements_in(new, mesh)
    parent[parent < 0] = like
    return _Sewn(merged(new, plan.into), np.flatnonzero(plan.into == np.arange(mesh.n_nodes)), parent)


def _split(mesh: Mesh, plan: _Plan) -> tuple[Array, Array, Array]:
    """Elements to drop, triangles in their place, and the element each is a piece of.

    An edge with nodes worked in makes a fan of its triangle, from the corner across: no triangle
    lies along the edge alone, where it could have any shape.
    """
    t, node, after = mesh.triangulation, mesh.faces.node, mesh.connectivity.next
    face = mesh.connectivity.face[plan.corner]
    element = mesh.faces.element[face].astype(np.int64)
    order = np.argsort(t.element, kind="stable")
    begin = np.searchsorted(t.element[order], element)
    pieces: dict[int, list[tuple[int, int, int]]] = {}
    worked: dict[int, list[int]] = {}
    for corner, new, its, row in zip(
        plan.corner.tolist(), plan.node.tolist(), element.tolist(), begin.tolist(), strict=True
    ):
        worked.setdefault(corner, []).append(new)
        if its not in pieces:
            rows = [r for r in order[row : row + 2].tolist() if t.element[r] == its]
            pieces[its] = [(int(a), int(b), int(c)) for a, b, c in t.triangles[rows].tolist()]
    for corner, along in worked.items():
        of = pieces[int(mesh.faces.element[mesh.connectivity.face[corner]])]
        u, v = int(node[corner]), int(node[after[corner]])
        whole = next(k for k, (a, b, c) in enumerate(of) if (u, v) in ((a, b), (b, c), (c, a)))
        apex = next(x for x in of.pop(whole) if x not in (u, v))
        chain = [u, *along, v]
        of += [(a, b, apex) for a, b in zip(chain[:-1], chain[1:], strict=True)]
    like = [its for its, made in pieces.items() for _ in made]
    triangles = [triangle for made in pieces.values() for triangle in made]
    return np.array(list(pieces)), np.array(triangles, np.int32), np.array(like)


def _harmed_nodes(old: Mesh, sewn: _Sewn) -> Array:
    """Nodes, as indices into the old mesh, at faults that the new mesh has and the old one has not."""
    new, origin = sewn.mesh, sewn.origin
    c, was = new.connectivity, old.connectivity
    bad = origin[c.edges[c.is_nonmanifold]]
    harmed = [bad[~edges_among(bad, was.edges[was.is_nonmanifold], old.n_nodes)].ravel()]
    t = new.triangulation
    changed = _changed_triangles(old, sewn)
    for rows in (new.degenerate_triangles, new.duplicate_triangles, changed[_is_turned(old, sewn, changed)]):
        harmed.append(origin[t.triangles[np.intersect1d(rows, changed)]].ravel())
    pairs = new.crossing_triangles
    if len(pairs) > len(old.crossing_triangles):
        harmed.append(origin[t.triangles[pairs[np.isin(pairs, changed).any(axis=1)]]].ravel())
    return np.unique(np.concatenate(harmed))


def _changed_triangles(old: Mesh, sewn: _Sewn) -> Array:
    """Rows of the new triangulation that are pieces of a split facet, or have a node that others joined."""
    new = sewn.mesh
    took_in = (
        np.bincount(new.faces.node, minlength=new.n_nodes)
        != np.bincount(old.faces.node, minlength=old.n_nodes)[sewn.origin]
    )
    t = new.triangulation
    fresh = (elements_in(new, old) < 0)[t.element]
    return np.flatnonzero(fresh | took_in[t.triangles].any(axis=1))


def _is_turned(old: Mesh, sewn: _Sewn, rows: Array) -> Array:
    """(k,) bool: triangles of the new mesh that no longer look the way their facet looked."""
    t, before = sewn.mesh.triangulation, old.triangulation
    looked = np.zeros((old.n_elements, 3))
    np.add.at(looked, before.element, area_vectors(old.nodes[before.triangles]))
    looked = looked[sewn.parent[t.element[rows]]]
    now = area_vectors(sewn.mesh.nodes[t.triangles[rows]])
    return np.asarray((np.einsum("ij,ij->i", now, looked) <= 0) & looked.any(axis=1))
