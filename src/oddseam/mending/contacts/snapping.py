"""Snapping what rounding made cross: nodes that lie next to a facet become corners of its pieces.

Facets that did not cross before their nodes were rounded cross by no more than rounding moved
them.  So of every such pair a node lies next to a node, an edge or the inside of the other facet,
or two edges pass next to each other.  Nodes are joined; an edge or a facet is cut at the node; two
edges get a node in common.  Only the last makes a new place, so that this comes to an end where cutting
exactly and rounding anew would not.  The idea is that of D. Halperin, E. Packer (2002), Iterated
snap rounding, and of O. Devillers, S. Lazard, W. Lenhart (2018), 3D snap rounding.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.exact.exact_points import ExactPoints
from oddseam.geometry.exact.overlay import GRID, overlay
from oddseam.geometry.exact.planar import PlanarMesh
from oddseam.mending.contacts.clusters import joined_nodes
from oddseam.mending.contacts.nearby import elements_about
from oddseam.mending.contacts.parted_contacts import Contacts, find_contacts, weights_at, with_neighbours
from oddseam.mending.holes.caps import SHEETS
from oddseam.mending.sewing.joining import held_by
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import Added, edited, merged
from oddseam.model.origins import new_elements
from oddseam.model.splicing import extracted, spliced

#: A step after which so many times as many pairs cross, and some more, is taken back.
_WORSE, _SOME = 1.5, 40
#: So many passes may bring no fewer crossings, before it is given up.
_PATIENCE = 8


def snap_crossings(mesh: Mesh, pairs: Array, reach: float, target: str | None, cancel: bool) -> Mesh:
    """Snap until nothing crosses, or nothing that crosses lies so near; the nodes lie where the target holds them.

    ``pairs`` (k, 2) are the triangles that cross.
    With ``cancel`` a pair of triangles on the same nodes goes that look opposite ways, as nothing is between them.
    """
    pairs = apart(mesh, pairs)
    is_first = True
    while len(pairs):
        elements = elements_about(mesh, pairs.ravel())
        part = _snap(extracted(mesh, elements), reach, target, cancel)
        new = spliced(mesh, elements, _place_by_place(part, reach, target, cancel))
        if new is None:
            return _snap(mesh, reach, target, cancel) if is_first else mesh
        left = apart(new, new.crossing_triangles)
        if len(left) >= len(pairs):
            break
        mesh, pairs, is_first = new, left, False
    return mesh


def _place_by_place(mesh: Mesh, reach: float, target: str | None, cancel: bool) -> Mesh:
    """Snap what crosses and hangs together by itself, for one place may need other steps than another."""
    pairs = apart(mesh, mesh.crossing_triangles)
    t = mesh.triangulation
    one, two = t.triangles[pairs[:, 0]], t.triangles[pairs[:, 1]]
    _, label = label_components(mesh.n_nodes, np.repeat(one[:, 0], 5), np.column_stack([one[:, 1:], two]).ravel())
    names = mesh.element_ids[t.element[pairs]]
    of = label[one[:, 0]]
    order = np.argsort(of, kind="stable")
    for its in np.split(names[order], np.flatnonzero(np.diff(of[order])) + 1):
        rows = np.flatnonzero(np.isin(mesh.element_ids[mesh.triangulation.element], its))
        if not len(rows):
            continue
        elements = elements_about(mesh, rows)
        given = extracted(mesh, elements)
        fewest = len(apart(given, given.crossing_triangles))
        for start in (given, held_by(given, target, reach)[0]):
            made = _snap(start, reach, target, cancel)
            left = len(apart(made, made.crossing_triangles))
            new = spliced(mesh, elements, made) if left < fewest else None
            if new is not None:
                mesh, fewest = new, left
                break
    return mesh


def _snap(mesh: Mesh, reach: float, target: str | None, cancel: bool) -> Mesh:
    pairs = apart(mesh, mesh.crossing_triangles)
    best, fewest, waited, way = mesh, len(pairs), 0, 0
    uncut = mesh
    while len(pairs) and waited < _PATIENCE:
        new, used = _snapped(mesh, pairs, reach, way)
        if new is None:
            break
        new, _ = held_by(new, target)
        new = _cancelled(new, uncut) if cancel else new
        left = apart(new, new.crossing_triangles)
        waited += 1
        if len(left) > _WORSE * len(pairs) + _SOME:
            way = used + 1
            continue
        way = 0 if len(left) < len(pairs) else used + 1  # what brought nothing is not tried again at once
        mesh, pairs = new, left
        if len(pairs) < fewest:
            best, fewest, waited = mesh, len(pairs), 0
    return best


def apart(mesh: Mesh, pairs: Array) -> Array:
    """Pairs of triangles that are not on the same three nodes."""
    ordered = np.sort(mesh.triangulation.triangles, axis=1)
    return np.asarray(pairs[(ordered[pairs[:, 0]] != ordered[pairs[:, 1]]).any(axis=1)])


def _cancelled(mesh: Mesh, before: Mesh) -> Mesh:
    """Without pairs of closed pieces' triangles on the same three nodes that look either way, one of higher id."""
    t = mesh.triangulation
    marked = np.zeros(mesh.n_nodes, bool)
    marked[t.triangles[np.isin(t.element, new_elements(mesh, before))]] = True
    is_sheet = np.zeros(mesh.n_elements, bool)
    is_sheet[mesh.groups.elements.get(SHEETS, np.zeros(0, np.int64))] = True
    rows = np.flatnonzero(marked[t.triangles].all(axis=1) & ~is_sheet[t.element])
    if not len(rows):
        return mesh
    corners = t.triangles[rows]
    ordered, lead, row = np.sort(corners, axis=1), np.argmin(corners, axis=1), np.arange(len(rows))
    ahead = corners[row, (lead + 1) % 3] < corners[row, (lead + 2) % 3]
    order = np.lexsort((~ahead, *ordered.T[::-1]))
    same = (np.diff(ordered[order], axis=0) == 0).all(axis=1)
    group = np.concatenate([[0], np.cumsum(~same)])
    number = np.arange(len(order)) - np.flatnonzero(np.append(True, ~same))[group]
    forward = np.bincount(group, ahead[order]).astype(np.int64)
    pairs = np.minimum(forward, np.bincount(group) - forward)[group]
    # of each group the first ones look one way, the others the other way
    behind = number - forward[group]
    gone = np.where(ahead[order], number < pairs, behind < pairs)
    gone = rows[order[gone]]
    if not len(gone):
        return mesh
    whole, lost = (np.bincount(its, minlength=mesh.n_elements) for its in (t.element, t.element[gone]))
    return edited(mesh, drop=np.flatnonzero((lost > 0) & (lost == whole)))


def _snapped(mesh: Mesh, pairs: Array, reach: float, first: int) -> tuple[Mesh | None, int]:
    """One step, and which way it was made; ``None`` if nothing lies so near.

    Nodes are joined wherever they lie together.  Otherwise the ways are tried in turn, from ``first`` on.
    """
    found = find_contacts(mesh, pairs, reach)
    if len(found.joins) and first == 0:
        into = joined_nodes(
            mesh.nodes, found.joins[:, 0], found.joins[:, 1], reach, np.arange(mesh.n_nodes), lambda _: ()
        )
        return merged(mesh, into), -1
    ways = (_cut_at_nodes, _laid_over, _cut_where_edges_pass)
    for k in range(len(ways)):
        way = (first + k) % len(ways)
        new = ways[way](mesh, found, reach)
        if new is not None:
            return new, way
    return None, 0


def _cut_at_nodes(mesh: Mesh, found: Contacts, reach: float) -> Mesh | None:
    if not len(found.on_edge) and not len(found.in_facet):
        return None
    return _cut(mesh, found.on_edge, found.in_facet, mesh.nodes[:0])


def _cut_where_edges_pass(mesh: Mesh, found: Contacts, reach: float) -> Mesh | None:
    if not len(found.passing):
        return None
    new = mesh.n_nodes + np.arange(len(found.middle))
    on_edge = np.concatenate([np.column_stack([found.passing[:, k : k + 2], new]) for k in (0, 2)])
    return _cut(mesh, on_edge, found.in_facet[:0], found.middle)


# ---------------------------------------------------------------------- cutting


def _cut(mesh: Mesh, on_edge: Array, in_facet: Array, add_nodes: Array) -> Mesh:
    """Edges (both ends, node) and facets (row, node) cut at what lies next to them."""
    nodes = np.concatenate([mesh.nodes, add_nodes])
    along = _along(nodes, on_edge)
    at_edge: dict[tuple[int, int], dict[int, int]] = {}
    for (a, b, k), place in zip(on_edge.tolist(), along.tolist(), strict=True):
        if 0 < place < GRID:
            at_edge.setdefault((a, b), {}).setdefault(place, k)
    inside: dict[int, list[int]] = {}
    for row, k in in_facet.tolist():
        inside.setdefault(row, []).append(k)
    return _replaced(mesh, nodes, at_edge, inside, {})


def _replaced(
    mesh: Mesh, nodes: Array, at_edge: dict[tuple[int, int], dict[int, int]], inside: dict[int, list[int]],
    laid: dict[int, list[tuple[int, int, int]]],
) -> Mesh:  # fmt: skip
    """The mesh with facets cut at nodes on their edges and within, or in the pieces laid out for them."""
    t = mesh.triangulation
    touched = set(inside) | set(laid)
    keys = np.array(list(at_edge), np.int64).reshape(-1, 2)
    near = np.flatnonzero(np.isin(t.triangles, keys).sum(axis=1) >= 2)
    for row in near.tolist():
        if any(edge in at_edge for edge, _ in _sides(t.triangles[row].tolist())):
            touched.add(row)
    broken = np.unique(t.element[sorted(touched)])
    made: list[tuple[int, int, int]] = []
    like: list[int] = []
    for row in np.flatnonzero(np.isin(t.element, broken)).tolist():
        pieces = laid.get(row)
        if pieces is None:
            pieces = _pieces(nodes, t.triangles[row].tolist(), at_edge, inside.get(row, []))
        made += pieces
        like += [int(t.element[row])] * len(pieces)
    return edited(
        mesh,
        drop=broken,
        add=Added(
            nodes=nodes[mesh.n_nodes :],
            triangles=np.array(made, np.int64).reshape(-1, 3),
            like=np.array(like, np.int64),
            derived=True,
        ),
    )


def _laid_over(mesh: Mesh, found: Contacts, reach: float) -> Mesh | None:
    """Triangles of flat pairs laid over one another, cluster by cluster; of two with an edge in common one waits."""
    flat = with_neighbours(mesh, found.flat, reach)
    if not len(flat):
        return None
    rows = np.unique(flat)
    local = np.searchsorted(rows, flat)
    count, label = label_components(len(rows), local[:, 0], local[:, 1])
    order = np.argsort(label, kind="stable")
    triangles = mesh.triangulation.triangles
    points: list[Array] = [mesh.nodes]
    n, taken = mesh.n_nodes, set[tuple[int, int]]()
    at_edge: dict[tuple[int, int], dict[int, int]] = {}
    laid: dict[int, list[tuple[int, int, int]]] = {}
    for its in np.split(rows[order], np.searchsorted(label[order], np.arange(1, count))):
        edges = {edge for corners in triangles[its].tolist() for edge, _ in _sides(corners)}
        if not taken.isdisjoint(edges):
            continue
        made = overlay(mesh.nodes, triangles[its].astype(np.int64), n)
        if made is None:
            continue
        taken |= edges
        n += len(made.points)
        points.append(made.points)
        for row in its.tolist():
            laid[row] = []
        for row, piece in made.pieces:
            laid[int(its[row])].append(piece)
        for edge, chain in made.along.items():
            at_edge[edge] = {round(GRID * (k + 1) / (len(chain) + 1)): node for k, node in enumerate(chain)}
    return _replaced(mesh, np.concatenate(points), at_edge, {}, laid) if laid else None


def _sides(corners: list[int]) -> list[tuple[tuple[int, int], bool]]:
    """The sides of a triangle from the lower node to the higher, and whether it runs along them."""
    return [((min(a, b), max(a, b)), a < b) for a, b in zip(corners, corners[1:] + corners[:1], strict=True)]


def _along(nodes: Array, on_edge: Array) -> Array:
    """(e,) whole numbers: where a node lies next to an edge, on the grid from the first end to the second."""
    a, b, p = (nodes[on_edge[:, k]] for k in range(3))
    u = b - a
    share = np.einsum("ij,ij->i", p - a, u) / np.maximum(np.einsum("ij,ij->i", u, u), 1e-300)
    return np.asarray(np.rint(share * GRID).astype(np.int64))


def _pieces(
    nodes: Array, corners: list[int], at_edge: dict[tuple[int, int], dict[int, int]], inside: list[int]
) -> list[tuple[int, int, int]]:
    """A triangle cut at nodes on its sides and within, as they lie when dropped onto it."""
    chains = [
        [k for _, k in sorted(at_edge.get(edge, {}).items(), reverse=not is_along)]
        for edge, is_along in _sides(corners)
    ]
    for i in range(3):
        if corners[(i + 2) % 3] in chains[i]:
            return _folded(corners[i:] + corners[:i], chains[i:] + chains[:i])
    p = nodes[corners]
    x = p[1] - p[0]
    length = float(np.linalg.norm(x))
    size = max(length, float(np.linalg.norm(p[2] - p[0])), 1e-300)
    x = x / max(length, 1e-300)
    y = p[2] - p[0] - ((p[2] - p[0]) @ x) * x
    flat = np.rint(
        np.array([[0, 0, 0], [length, 0, 0], [(p[2] - p[0]) @ x, float(np.linalg.norm(y)), 0]]) / size * GRID
    )
    store = ExactPoints(flat)
    name = dict(enumerate(corners))
    if len(set(store.first)) < 3 or flat[2, 1] == 0:
        return _fan([node for corner, chain in zip(corners, chains, strict=True) for node in (corner, *chain)])
    plane = PlanarMesh(store, (0, 0, 1), (0, 1, 2))
    grid = int(GRID)
    on_sides = set()
    for i, (edge, is_along) in enumerate(_sides(corners)):
        u, v = store.points[i], store.points[(i + 1) % 3]
        for place, k in sorted(at_edge.get(edge, {}).items()):
            s = place if is_along else grid - place
            x, y, z = ((u[j] * (grid - s) + v[j] * s) for j in range(3))
            number = store.number(x, y, z, grid)
            name[number] = k
            on_sides.add(k)
            plane.add(number)
    for k in inside:
        if k in on_sides:
            continue
        weights = weights_at(nodes[[k]], p[None])[0][0] * GRID
        whole = [int(w) for w in np.rint(weights)]
        total = sum(whole)
        if min(whole) <= 0:
            continue
        xyz = [sum(w * store.points[i][j] for i, w in enumerate(whole)) for j in range(3)]
        number = store.number(xyz[0], xyz[1], xyz[2], total)
        if number not in name:
            name[number] = k
            plane.add(number)
    return [(name[a], name[b], name[c]) for a, b, c in plane.triangles()]


def _folded(corners: list[int], chains: list[list[int]]) -> list[tuple[int, int, int]]:
    """A triangle of which the last corner comes to lie on the first side: the two slits that remain."""
    a, b, top = corners
    at = chains[0].index(top)
    slits = ([a, *chains[0][:at], top, *chains[2]], [top, *chains[0][at + 1 :], b, *chains[1]])
    return [piece for slit in slits for piece in _fan(slit)]


def _fan(loop: list[int]) -> list[tuple[int, int, int]]:
    """Triangles over a loop of nodes in a line, as good as any."""
    return [(loop[0], one, two) for one, two in zip(loop[1:], loop[2:], strict=False) if len({loop[0], one, two}) == 3]
