"""Resolving non-manifold edges: fins and inner walls go, so that the outside survives.

Where three facets and more meet in an edge, the surface bounds more than one cell.  The cells
are found exactly (see ``geometry.cells``); rims are thought closed for that, so that a hole in
the skin does not join inside and outside.  A cell next to the outermost one is solid; of those
farther in, most of the facets decide.  Facets with solid on both sides are inner walls, those
with none are fins; the rest is turned to look away from the solid.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.spatial_cells import in_turn, linked_sides, next_in_turn
from oddseam.geometry.triangles import areas, cone_volumes, loop_volumes
from oddseam.model import Mesh
from oddseam.model.connectivity import Connectivity, Rim, label_components
from oddseam.model.editing import edited
from oddseam.model.faces import Faces

#: A fin's area over that of the circle that its open rim would make; a rim of a wall's small hole
#: could not span the wall.
_FIN = 4.0


@dataclass(frozen=True)
class Resolved:
    """What was resolved: facets of inner walls and of fins that went, facets turned, and where they were."""

    inner: int = 0
    fins: int = 0
    turned: int = 0
    places: tuple[tuple[float, float, float], ...] = ()


@dataclass(frozen=True, eq=False)
class Skin:
    """The triangles of a surface with their connectivity, rims closed in thought.

    Attributes
    ----------
    triangles : (t, 3) int32 array
    links : Connectivity
        Of the triangles.
    component : (t,) int32 array
        What hangs together through edges; -1 for a triangle that takes no part.
    cell : (t, 2) int32 array
        The cell on the side of the normal, and on the other.
    solid : (c,) bool array
        Which cells are solid.
    wedges : (w, 3) int64 array
        At edges with three triangles and more: two corners whose triangles are neighbours round
        the edge, and whether both look away from the wedge between them (1) or not (0).
    """

    triangles: Array
    links: Connectivity
    component: Array
    cell: Array
    solid: Array
    wedges: Array


def resolve_walls(mesh: Mesh) -> tuple[Mesh, Resolved]:
    """Drop fins and inner walls of the pieces that have non-manifold edges and no crossings."""
    if not mesh.connectivity.is_nonmanifold.any():
        return mesh, Resolved()
    skin = find_cells(mesh)
    leaks = _leaks(mesh, skin)
    if leaks:
        skin = find_cells(mesh, leaks)
    involved = ~_crossed_components(mesh, skin) & _has_joint(skin)
    front, back = (skin.solid[skin.cell[:, k]] for k in (0, 1))
    spared = np.zeros(int(skin.component.max(initial=-1)) + 2, bool)
    for rim in _leaks(mesh, skin):  # still too large for a fin: better left than lost
        spared[skin.component[skin.links.face[skin.links.rims[rim].corners[0]]]] = True
    has_solid = np.zeros_like(spared)
    has_solid[skin.component[(front | back) & (skin.component >= 0)]] = True
    involved &= (has_solid & ~spared)[skin.component] & (skin.component >= 0)
    inner, fin, over = involved & front & back, involved & ~front & ~back, involved & front & ~back
    element = mesh.triangulation.element
    drop = np.unique(element[inner | fin])
    turn = np.setdiff1d(element[over], drop)
    if not len(drop) and not len(turn):
        return mesh, Resolved()
    places = mesh.nodes[skin.triangles[inner | fin]].mean(axis=1)
    first = tuple((float(x), float(y), float(z)) for x, y, z in places[:4].tolist())
    return edited(mesh, drop=drop, turn=turn), Resolved(int(inner.sum()), int(fin.sum()), len(turn), first)


def _leaks(mesh: Mesh, skin: Skin) -> set[int]:
    """Numbers of the open rims through which a wall's inside leaks out.

    What hangs by its foot and is bounded by an open rim is a fin, if its area is not far more
    than the rim could span; else it is a wall with a hole at its foot.
    """
    links = skin.links
    front, back = (skin.solid[skin.cell[:, k]] for k in (0, 1))
    t = len(skin.triangles)
    _, sheet = label_components(t, *(links.face[links.pairs[:, k]].astype(np.int64) for k in (0, 1)))
    area = areas(mesh.nodes[skin.triangles])
    hanging = np.bincount(sheet, np.where(~front & ~back, area, 0.0))
    beside = np.zeros(int(skin.component.max(initial=-1)) + 2, bool)
    beside[skin.component[front | back]] = True
    beside[-1] = False
    open_rims = [(k, rim) for k, rim in enumerate(links.rims) if not _comes_back(rim)]
    span = np.zeros(len(hanging))
    for _, rim in open_rims:
        p = mesh.nodes[rim.nodes]
        span[sheet[links.face[rim.corners[0]]]] += np.linalg.norm(np.diff(p, axis=0), axis=1).sum() ** 2 / (4 * np.pi)
    return {
        k
        for k, rim in open_rims
        if beside[skin.component[f := links.face[rim.corners[0]]]] and hanging[sheet[f]] > _FIN * span[sheet[f]]
    }


def _comes_back(rim: Rim) -> bool:
    """Whether a rim is a loop; one that comes back to where it began is, all the same."""
    return rim.closed or bool(rim.nodes[0] == rim.nodes[-1])


def _has_joint(skin: Skin) -> Array:
    """(t,) bool: triangles of components with a non-manifold edge."""
    chosen = np.zeros(int(skin.component.max(initial=-1)) + 2, bool)
    chosen[skin.component[skin.links.face[skin.wedges[:, 0]]]] = True
    chosen[-1] = False
    return np.asarray(chosen[skin.component])


def _crossed_components(mesh: Mesh, skin: Skin) -> Array:
    """(t,) bool: triangles of components in which facets cross, and those that take no part."""
    crossed = np.zeros(int(skin.component.max(initial=-1)) + 2, bool)
    crossed[skin.component[mesh.crossing_triangles.ravel()]] = True
    crossed[-1] = True
    return np.asarray(crossed[skin.component])


def find_cells(mesh: Mesh, leaks: Collection[int] = ()) -> Skin:
    """The cells that the surface of a mesh bounds, each component by itself; O(n log n).

    ``leaks`` are numbers of open rims to be closed in thought as well, where an edge closes them.
    """
    triangles = mesh.triangulation.triangles
    t = len(triangles)
    links = Connectivity(
        Faces(triangles.ravel(), np.arange(0, 3 * t + 1, 3), np.arange(t, dtype=np.int32)), mesh.n_nodes
    )
    # rows: corners at edges, and the edges of the thought caps of rims
    corner = np.flatnonzero(links.edge_of >= 0)
    node, after = triangles.ravel(), triangles.ravel()[links.next]
    cap, cap_edge, cap_upward, cap_apex, cap_volume = _caps(mesh, links, leaks)
    edge = np.concatenate([links.edge_of[corner], cap_edge])
    facet = np.concatenate([links.face[corner].astype(np.int64), t + cap])
    upward = np.concatenate([node[corner] < after[corner], cap_upward])
    apex = np.concatenate([node[links.previous[corner]], cap_apex])
    order = np.argsort(edge, kind="stable")
    first = np.searchsorted(edge[order], np.arange(len(links.edges) + 1))
    order = in_turn(mesh.nodes, links.edges, apex, order, first)
    n_caps = len(cap_volume)
    one, two = linked_sides(facet, upward, order, first)
    _, label = label_components(2 * (t + n_caps), one, two)
    _, hang = label_components(t + n_caps + len(links.edges), facet, t + n_caps + edge)
    component = np.where(links.is_sound, hang[:t], -1)
    component[component >= 0] = np.unique(component[component >= 0], return_inverse=True)[1]
    cell = label[: 2 * t].reshape(t, 2)
    solid = _solid_cells(mesh, triangles, component, cell, label, cap_volume)
    at = np.flatnonzero(np.repeat(np.diff(first) > 2, np.diff(first)))
    following = next_in_turn(first)
    behind = one[at] % 2 * (two[at] % 2)
    of_caps = (order[at] >= len(corner)) | (order[following[at]] >= len(corner))
    at = at[~of_caps]
    wedges = np.column_stack([corner[order[at]], corner[order[following[at]]], behind[~of_caps]]).astype(np.int64)
    return Skin(triangles, links, component, cell, solid, wedges)


def _caps(mesh: Mesh, links: Connectivity, leaks: Collection[int]) -> tuple[Array, Array, Array, Array, Array]:
    """The edges of the caps of rims: cap, edge, whether the cap runs along it, a node across; and the caps' volumes."""
    cap: list[Array] = []
    edge: list[Array] = []
    upward: list[Array] = []
    apex: list[Array] = []
    tail: list[Array] = []
    head: list[Array] = []
    middle = mesh.box[0] + (mesh.box[1] - mesh.box[0]) / 2
    for number, rim in enumerate(links.rims):
        start, end = rim.nodes[: len(rim.corners)], np.roll(rim.nodes, -1)[: len(rim.corners)]
        edges = links.edge_of[rim.corners]
        if not _comes_back(rim):
            closing = int(links.numbers_of(rim.nodes[None, [0, -1]])[0])
            if number not in leaks or closing < 0:
                continue
            start, end = np.append(start, rim.nodes[-1]), np.append(end, rim.nodes[0])
            edges = np.append(edges, closing)
        cap.append(np.full(len(start), len(cap)))
        edge.append(edges)
        upward.append(end < start)  # a cap runs against the facets
        apex.append(np.full(len(start), start[len(start) // 2]))
        tail.append(end)
        head.append(start)
    none = np.zeros(0, np.int64)
    joined = [np.concatenate([none, *values]).astype(np.int64) for values in (cap, edge, upward, apex, tail, head)]
    volume = loop_volumes(mesh.nodes[joined[4]], mesh.nodes[joined[5]], joined[0], len(cap), middle)
    return joined[0], joined[1], joined[2].astype(bool), joined[3], volume


def _solid_cells(mesh: Mesh, triangles: Array, component: Array, cell: Array, label: Array, cap_volume: Array) -> Array:
    """(c,) bool: cells that are solid."""
    n = int(label.max(initial=-1)) + 1
    middle = mesh.box[0] + (mesh.box[1] - mesh.box[0]) / 2
    corners = mesh.nodes[triangles]
    volume = np.concatenate([cone_volumes(corners, middle), cap_volume])
    sides = label.reshape(-1, 2)
    # seen from a cell, a triangle whose normal points into it bounds it from outside
    content = np.bincount(sides[:, 1], volume, n) - np.bincount(sides[:, 0], volume, n)
    area = areas(corners)
    vote = np.bincount(cell[:, 1], area, n) - np.bincount(cell[:, 0], area, n)
    of_cell = np.full(n, -1)
    of_cell[cell[component >= 0]] = component[component >= 0][:, None]
    outer = np.zeros(n, bool)
    known = np.flatnonzero(of_cell >= 0)
    # the outermost cell of a component is the one whose content is negative, the least
    least = np.lexsort((content[known], of_cell[known]))
    first = np.unique(of_cell[known][least], return_index=True)[1]
    outer[known[least[first]]] = True
    beside = np.zeros(n, bool)
    beside[cell[outer[cell[:, 0]], 1]] = True
    beside[cell[outer[cell[:, 1]], 0]] = True
    beside &= ~outer
    # where the outside takes most of the facets for solid, the component is inside out
    turned = np.zeros(int(component.max(initial=-1)) + 1, bool)
    at = np.flatnonzero(outer & (of_cell >= 0))
    turned[of_cell[at]] = vote[at] > 0
    solid = np.where(turned[of_cell], vote < 0, vote > 0)
    return np.asarray((solid | beside) & ~outer & (of_cell >= 0))
