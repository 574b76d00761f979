"""Cutting a mesh into sheets, sewing them together again, and putting the new surface in the place of a mesh's own."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from oddseam.accounts import Step
from oddseam.arrays import Array, numbered_anew, point_text
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.edge_keys import edges_of_triangles
from oddseam.geometry.shapes.quality import quality
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.model import Creases, Groups, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.renumbering import Content, Origin, groups_by_origin, renumbered
from oddseam.model.shape import CREASE_KINDS
from oddseam.remeshing.kernels.half_edges import Net
from oddseam.remeshing.surfaces.sheets import QUIET, Held, Noise, Sheets, cut_into_sheets

#: A new edge lies along an old one by this cosine, and so much of its length beside it.
_ALONG, _BESIDE = 0.7, 0.3
#: So many places that are missed are named.
_NAMED = 5


@dataclass(frozen=True, eq=False)
class Surface:
    """A surface made from another one, and where everything in it came from.

    ``node_origin`` is the node that a node was, or -1; ``facet_origin`` a facet of the same
    region; ``crease_edges`` are the edges on curves.  ``quads`` (q, 4) are nodes of quads, which
    ``quad_rows`` (q, 2) of the triangles make up.
    """

    points: Array
    triangles: Array
    node_origin: Array
    facet_origin: Array
    crease_edges: Array
    quads: Array
    quad_rows: Array


def cut(
    mesh: Mesh,
    crease: float,
    kept: Array | None = None,
    held: Held | None = None,
    noise: Noise = QUIET,
) -> Sheets:
    """The surface of a mesh in sheets, with its creases and what its classes have between them as features.

    ``kept`` says for every triangle how much of it stays as it is, ``held`` what stays of nodes and edges, ``noise``
    what makes no creases, see :func:`cut_into_sheets`.
    """
    if not 0 < crease < 180:
        raise Refusal(f"crease {crease} is not between 0 and 180 degrees")
    t = mesh.triangulation
    drawn = mesh.creases.edges if mesh.creases is not None else None
    of = _classes(mesh)[t.element]
    return cut_into_sheets(mesh.nodes, t.triangles, of, crease, drawn, kept, held, noise)


def sewn(net: Net, sheets: Sheets, was: Array | None = None, mate: Array | None = None) -> Surface:
    """What a net has become of sheets, the copies of nodes sewn together again.

    ``was`` (n,) is the node of the sheets that each stands for now, if not the one of its own number; ``mate`` (t,)
    the half-edge across which each triangle makes a quad with another one, or -1.
    """
    origin = net.origin[: 3 * int(net.used[1])].reshape(-1, 3)
    alive = origin[:, 0] >= 0
    triangles = origin[alive]
    n = len(sheets.point)
    own = np.arange(n) if was is None else was
    name = np.arange(int(net.used[0]))
    leader = np.empty(int(sheets.node.max(initial=-1)) + 1, np.int64)
    leader[sheets.node[::-1]] = np.arange(n)[::-1]  # the first of all copies
    name[:n] = leader[sheets.node[own]]
    # the place of a node is that of any copy, for copies are only of nodes that stay
    at = np.zeros(len(name), np.int64)
    at[name[triangles]] = triangles
    used, local = numbered_anew(name[triangles], len(name))
    points = net.point[at[used]]
    kept = np.full(len(used), -1, np.int64)
    old = used < n
    kept[old] = sheets.node[used[old]]
    moved = np.ones(len(used), bool)
    moved[old] = (points[old] != sheets.point[used[old]]).any(axis=1)
    kept[moved] = -1
    first_of_region = np.full(int(sheets.region.max(initial=0)) + 1, 0, np.int64)
    first_of_region[sheets.region[::-1]] = np.arange(len(sheets.region))[::-1]
    local = local.reshape(-1, 3)
    on_curve = net.curve[: 3 * int(net.used[1])].reshape(-1, 3)[alive] >= 0
    ends = edges_of_triangles(local)[on_curve]
    half = np.zeros(0, np.int64) if mate is None else mate[alive[: len(mate)] & (mate >= 0)].astype(np.int64)
    half = half[half < net.twin[half]]
    other = net.twin[half].astype(np.int64)
    row = np.cumsum(alive) - 1
    corner = [(row[h // 3], h % 3) for h in (half, other)]
    quads = [local[r, (i + k) % 3] for k in (0, 2) for r, i in corner]  # from, to, and the two opposite
    return Surface(
        points=points,
        triangles=local.astype(np.int32),
        node_origin=kept,
        facet_origin=first_of_region[net.region[: len(alive)][alive]],
        crease_edges=np.unique(np.sort(ends, axis=1), axis=0).astype(np.int32).reshape(-1, 2),
        quads=np.column_stack([quads[0], quads[3], quads[1], quads[2]]).astype(np.int32),
        quad_rows=np.column_stack([row[half // 3], row[other // 3]]),
    )


def flat_quads(surface: Surface, warpage: float) -> Surface:
    """The surface with quads that are warped by more degrees as two triangles each."""
    if not len(surface.quads):
        return surface
    flat = quality(surface.points[surface.quads])["warpage"] <= warpage
    return replace(surface, quads=surface.quads[flat], quad_rows=surface.quad_rows[flat])


@dataclass(frozen=True, eq=False)
class Missed:
    """How far nodes of a surface are from what was made of it.

    ``node`` (k,) are the nodes of the surface, ``distance`` (k,) how far they are from the new one.
    """

    mesh: Mesh
    node: Array
    distance: Array

    def step(self, what: str = "of an original node to the new surface") -> Step:
        """The farthest of all, and where it is."""
        farthest = int(np.argmax(self.distance))
        largest = float(self.distance[farthest])
        places = (point_of(self.mesh.nodes[self.node[farthest]]),) if largest > 0 else ()
        return Step("compare", len(self.node), largest, what, places)

    def places(self, limit: Array | float) -> list[tuple[float, int]]:
        """The farthest node of each place where nodes are farther than a limit, for all or each, the farthest first."""
        far = self.distance > limit
        nodes = self.node[far]
        is_far = np.zeros(self.mesh.n_nodes, bool)
        is_far[nodes] = True
        edges = self.mesh.connectivity.edges
        edges = edges[is_far[edges].all(axis=1)]
        label = label_components(self.mesh.n_nodes, edges[:, 0], edges[:, 1])[1][nodes]
        found: dict[int, tuple[float, int]] = {}
        for k, node, distance in zip(label.tolist(), nodes.tolist(), self.distance[far].tolist(), strict=True):
            found[k] = max(found.get(k, (0.0, -1)), (distance, node))
        return sorted(found.values(), reverse=True)

    def note(self, limit: Array | float, than: str) -> list[str]:
        """What is to be said of places that are missed by more than a limit."""
        places = self.places(limit)
        if not places:
            return []
        said = "; ".join(f"{distance:.4g} at {point_text(self.mesh.nodes[k])}" for distance, k in places[:_NAMED])
        more = ", ..." if len(places) > _NAMED else ""
        return [f"the shape is missed at {len(places):,} place(s) by more than {than}: {said}{more}"]


def missed(mesh: Mesh, new: Mesh, enough: float | None = None) -> Missed:
    """How far the nodes of the surface are from a new one; those nearer than ``enough`` are not looked at closer."""
    node = numbered_anew(mesh.triangulation.triangles, mesh.n_nodes)[0]
    points = mesh.nodes[node]
    closest, _ = BoxTree(new.nodes[new.triangulation.triangles]).closest(points, enough=enough)
    return Missed(mesh, node, np.linalg.norm(closest - points, axis=1))


def locked_note(sheets: Sheets) -> list[str]:
    """What is to be said of nodes that several sheets share, or the rest of the mesh."""
    count = int(sheets.is_locked.sum())
    text = (
        f"{count:,} nodes stay as they were, where more than two facets meet, surfaces touch, or elements that were "
        "not picked use them"
    )
    return [text] if count else []


def _classes(mesh: Mesh) -> Array:
    """(m,) class of every element: its part, patch and element groups."""
    columns = [mesh.element_part]
    if mesh.patches is not None:
        columns.append(mesh.patches.label)
    for index in mesh.groups.elements.values():
        member = np.zeros(mesh.n_elements, np.int32)
        member[index] = 1
        columns.append(member)
    if len(columns) == 1:
        return mesh.element_part
    label = np.unique(np.column_stack(columns), axis=0, return_inverse=True)[1]
    return np.asarray(label.ravel(), np.int32)


def assembled(mesh: Mesh, result: Surface, keeps_ids: bool) -> tuple[Mesh, list[str]]:
    """The new mesh: parts, patches and element groups follow the region a facet lies in.

    ``keeps_ids`` says whether nodes keep their ids, and what is new gets others; without, both are numbered anew.
    """
    alone = np.ones(len(result.triangles), bool)
    alone[result.quad_rows] = False
    of_facet = mesh.triangulation.element[result.facet_origin]
    of_element = np.concatenate([of_facet[alone], of_facet[result.quad_rows[:, 0]]])
    node, element = Origin.of(result.node_origin), Origin(of_element, np.zeros(len(of_element), bool))
    held = groups_by_origin(mesh.groups, node, element)
    groups, notes = _with_curves(mesh, result, Groups(held.nodes, held.elements))
    creases = None
    if mesh.creases is not None:
        creases = Creases(result.crease_edges, _kinds(mesh.nodes, mesh.creases, result))
    tables = {"tri": result.triangles[alone], **({"quad": result.quads} if len(result.quads) else {})}
    content = Content(result.points, tables, mesh.element_part[of_element], node, element)
    return renumbered(mesh, content, creases=creases, groups=groups, anew=not keeps_ids), notes


def _kinds(nodes: Array, creases: Creases, result: Surface) -> Array:
    """(k,) kinds of crease edges: that of the crease they lie along, of those by angle alone where they lie on none."""
    along = _edges_along(nodes, creases.edges, result)
    kinds = np.append(creases.kind, np.int8(CREASE_KINDS.index("angle")))
    return np.asarray(kinds[along])  # -1 is that of none


def _edges_along(nodes: Array, edges: Array, result: Surface) -> Array:
    """(k,) the edge (e, 2) of the old surface that every edge of the new one on a curve lies along, or -1."""
    if not len(edges) or not len(result.crease_edges):
        return np.full(len(result.crease_edges), -1)
    a, b = (result.points[result.crease_edges[:, k]] for k in (0, 1))
    tree = BoxTree(nodes[edges[:, [0, 1, 1]]])
    place, row = tree.closest((a + b) / 2)
    found = tree.order[row]
    step, its = b - a, nodes[edges[found, 1]] - nodes[edges[found, 0]]
    length, own = np.linalg.norm(step, axis=1), np.linalg.norm(its, axis=1)
    is_along = np.abs((step * its).sum(axis=1)) >= _ALONG * length * own
    is_near = np.linalg.norm(place - (a + b) / 2, axis=1) <= _BESIDE * length
    return np.where(is_along & is_near, found, -1)


def _with_curves(mesh: Mesh, result: Surface, carried: Groups) -> tuple[Groups, list[str]]:
    """Groups with the new nodes on creases and rims all of which they hold, and what is said of them."""
    notes = [f"side group {name!r} is dropped, its elements are new" for name in mesh.groups.sides]
    if not mesh.groups.nodes:
        return Groups({}, carried.elements), notes
    c = mesh.connectivity
    edges = c.edges[c.is_free] if mesh.creases is None else np.concatenate([c.edges[c.is_free], mesh.creases.edges])
    along = _edges_along(mesh.nodes, edges, result)
    nodes = {}
    for name, members in mesh.groups.nodes.items():
        held = np.zeros(mesh.n_nodes, bool)
        held[members] = True
        its = result.crease_edges[(along >= 0) & held[edges[np.maximum(along, 0)]].all(axis=1)]
        nodes[name] = np.union1d(carried.nodes[name], its)
        notes.append(f"node group {name!r}: {len(nodes[name]):,} nodes, those on corners, creases and rims, stay in it")
    return Groups(nodes, carried.elements), notes
