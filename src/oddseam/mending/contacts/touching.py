"""Parting surfaces that only touch, in a node or along an edge.

Where two solids, or two corners of one, touch along an edge, four facets meet there; where they
touch in a node, its facets make two fans.  Each fan gets a node of its own, facets being paired
where both look away from the wedge between them.  Where the file will join nodes of equal coordinates, the copies
are drawn a few units of the file's last place into their own solid.
"""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.formats import as_held
from oddseam.geometry.trees.near_boxes import rows_near
from oddseam.geometry.triangles import area_vectors, boxes
from oddseam.mending.contacts.nearby import elements_about
from oddseam.mending.contacts.snapping import snap_crossings
from oddseam.mending.contacts.walls import Skin, find_cells
from oddseam.mending.sewing.duplicates import drop_duplicates
from oddseam.mending.sewing.joining import held_by
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import parted
from oddseam.model.prove import Proof, prove
from oddseam.model.splicing import extracted, spliced

#: How far copies are drawn apart, in units of single precision at the coordinate: more than
#: rounding can take back, far less than any wall; others are tried where facets are as small.
_UNITS = 8.0 * 2.0**-23
_SHARES = (1.0, 0.25, 4.0, 16.0)
#: Where that fails, what is shorter than so many times as much, or thinner than a quarter of that, goes first.
_THINNER = (4.0, 1.0, 0.25)
#: What went lies so near the border of the part taken out, perhaps, that a larger one is needed; so often.
_WIDER = 3
#: This is for the last few places that resist: so many elements are looked at for them in all.
_LOOKS = 50_000
#: Where that makes facets cross, and more pairs than so many do so, it is left.
_MOST_CROSSING = 60
#: Of larger meshes a look at all of it costs more than one at every place.
_AT_ONCE = 100_000
#: Solids are parted, and drawn into themselves; or what is between them, and it is widened.
_WAYS = ((True, -1.0), (False, 1.0))


@dataclass(frozen=True, eq=False)
class _Copies:
    """Elements that use copies of nodes: element, node and copy by row; the node of each copy and where it goes."""

    element: Array
    node: Array
    copy: Array
    of: Array
    direction: Array

    def chosen(self, nodes: Array) -> _Copies:
        """Those of some nodes."""
        kept = np.isin(self.of, nodes)
        rows = kept[self.copy]
        number = np.cumsum(kept) - 1
        return _Copies(
            self.element[rows], self.node[rows], number[self.copy[rows]], self.of[kept], self.direction[kept]
        )

    def applied(self, mesh: Mesh, units: float) -> Mesh:
        """The mesh with the copies that far off."""
        return parted(mesh, self.element, self.node, self.copy, self.placed(mesh, units))

    def placed(self, mesh: Mesh, units: float) -> Array:
        """(c, 3) places of the copies that far off."""
        points = mesh.nodes[self.of]
        return np.asarray(points + units * np.abs(points).max(axis=1, keepdims=True) * self.direction)


def part_touching(mesh: Mesh, target: str | None, spare: Array | None = None) -> tuple[Mesh, int, float]:
    """Give every fan a node of its own.

    Where that would make facets cross, such as are thinner than it takes are taken out first.

    Parameters
    ----------
    mesh : Mesh
        Without fins and inner walls.
    target : str, optional
        Format that the result is meant for, if it joins what lies at one place.
    spare : (n,) bool array, optional
        Nodes that are meant to be shared.

    Returns
    -------
    mesh : Mesh
        The same, if that would leave it worse in any way.
    count : int
        Nodes added.
    move : float
        How far they were drawn off.
    """
    spared = mesh.node_ids[:0] if spare is None else mesh.node_ids[spare]
    count, move = 0, 0.0
    for way in (_all_at_once, _place_by_place, _where_thin):
        if not _shared(mesh, spared).any():
            break
        mesh, more, farther = way(mesh, target, spared)
        count, move = count + more, max(move, farther)
    return mesh, count, move


def _shared(mesh: Mesh, spared: Array) -> Array:
    """(n,) bool: nodes where surfaces touch, but those of some ids."""
    shared = np.zeros(mesh.n_nodes, bool)
    shared[mesh.connectivity.nonmanifold_nodes] = True
    return np.asarray(shared & ~np.isin(mesh.node_ids, spared))


def _ways(mesh: Mesh, spared: Array) -> list[_Copies]:
    shared = _shared(mesh, spared)
    if not shared.any():
        return []
    skin = find_cells(mesh)
    found = [_copies(mesh, skin, shared, _fans(mesh, skin, solid), outward) for solid, outward in _WAYS]
    return [way for way in found if way is not None]


def _all_at_once(mesh: Mesh, target: str | None, spared: Array) -> tuple[Mesh, int, float]:
    ways = _ways(mesh, spared) if mesh.n_elements <= _AT_ONCE else []
    # what lies at one place is joined again where the file holds places alone
    for units in ((0.0, _UNITS) if target is None else (_UNITS,)) if ways else ():
        new = ways[0].applied(mesh, units)
        if _is_better(_proof(mesh, target), _proof(new, target)):
            return new, len(ways[0].of), _farthest(mesh, ways[0], units)
    return mesh, 0, 0.0


def _where_thin(mesh: Mesh, target: str | None, spared: Array) -> tuple[Mesh, int, float]:
    """Facets that are shorter or thinner than nodes are drawn off would be turned over: they are taken out first.

    Place by place, as long as there are not too many or too large ones.
    """
    t = mesh.triangulation
    elements = np.arange(mesh.n_elements)
    if mesh.n_elements > _AT_ONCE:
        elements = elements_about(mesh, np.flatnonzero(_shared(mesh, spared)[t.triangles].any(axis=1)))
    part, its_spared = _taken(mesh, elements, spared)
    count, move, looks = 0, 0.0, _LOOKS
    places = _places(part, np.flatnonzero(_shared(part, its_spared)))
    for names in [part.node_ids[members] for members in places]:
        rows = np.flatnonzero(np.isin(part.node_ids, names)[part.triangulation.triangles].any(axis=1))
        for _ in range(_WIDER if len(rows) else 0):
            near = elements_about(part, rows)
            looks -= len(near)
            if looks < 0:
                break
            new, more, farther = _thinned_at(part, near, target, its_spared)
            if new is not None:
                part, count, move = new, count + more, max(move, farther)
                break
            rows = np.flatnonzero(np.isin(part.triangulation.element, near))
    whole = spliced(mesh, elements, part) if count else None
    return (mesh, 0, 0.0) if whole is None else (whole, count, move)


def _taken(mesh: Mesh, elements: Array, spared: Array) -> tuple[Mesh, Array]:
    """Some elements, and ids of nodes that are to be left alone in them: those, and such as others use too."""
    t = mesh.triangulation
    rest = t.triangles[~np.isin(t.element, elements)]
    return extracted(mesh, elements), np.union1d(spared, mesh.node_ids[np.unique(rest)])


def _thinned_at(mesh: Mesh, elements: Array, target: str | None, spared: Array) -> tuple[Mesh | None, int, float]:
    """Parted within some elements, if what is round them still fits."""
    given, spared = _taken(mesh, elements, spared)
    before = _proof(given, target)
    for share in _THINNER:
        reach = share * _UNITS * float(np.abs(given.nodes).max(initial=0.0))
        part, count, move = _parted_without_thin(given, target, spared, reach, before)
        new = spliced(mesh, elements, part) if count else None
        if new is not None:
            return new, count, move
    return None, 0, 0.0


def _parted_without_thin(
    mesh: Mesh, target: str | None, spared: Array, reach: float, before: Proof
) -> tuple[Mesh, int, float]:
    part, moved = held_by(mesh, None, reach)
    part, _, _ = drop_duplicates(part)  # flaps without anything between
    crossing = len(part.crossing_triangles)
    if crossing > before.crossing_pairs:
        if crossing > _MOST_CROSSING:  # with those that were there, for they would be snapped as well
            return mesh, 0, 0.0
        part = snap_crossings(part, part.crossing_triangles, reach, target, cancel=True)
    if _proof(part, target).worse_than(before):
        return mesh, 0, 0.0
    part, _, move = _place_by_place(part, target, spared)
    if not _is_better(before, _proof(part, target), whole=False):
        return mesh, 0, 0.0
    return part, max(part.n_nodes - mesh.n_nodes, 1), moved + reach + move


def _proof(mesh: Mesh, target: str | None) -> Proof:
    return prove(as_held(mesh, target))


def _is_better(before: Proof, after: Proof, whole: bool = True) -> bool:
    """Whether fewer surfaces touch, and nothing else is worse; which way pieces look is seen only of the whole."""
    if not whole:
        before, after = (dataclasses.replace(one, inward_pieces=0) for one in (before, after))
    return (
        not after.worse_than(before)
        and after.free_edges <= before.free_edges
        and after.nonmanifold_edges + after.nonmanifold_nodes < before.nonmanifold_edges + before.nonmanifold_nodes
    )


def _farthest(mesh: Mesh, copies: _Copies, units: float) -> float:
    return units * float(np.abs(mesh.nodes[copies.of]).max(initial=0.0))


def _place_by_place(mesh: Mesh, target: str | None, spared: Array) -> tuple[Mesh, int, float]:
    """What hangs together is parted in the first way that makes things better round about."""
    ways = _ways(mesh, spared)
    if not ways:
        return mesh, 0, 0.0
    ways += [_along_facets(mesh, way) for way in ways]
    nodes = np.unique(np.concatenate([way.of for way in ways]))
    parted_so_far = _Parted(mesh, nodes, sum(len(way.of) for way in ways))
    shares = _SHARES if target is not None else (0.0, *_SHARES)
    for members in _places(mesh, nodes):
        near = parted_so_far.round_about(members)
        before = _proof(parted_so_far.alone(near), target)
        for share, way in ((share, way) for share in shares for way in ways):
            its = way.chosen(members)
            if not len(its.of):
                continue
            after = _proof(parted_so_far.alone(near, its, share * _UNITS), target)
            if _is_better(before, after, whole=False):
                parted_so_far.add(its, share * _UNITS)
                break
    return parted_so_far.mesh(), parted_so_far.count, parted_so_far.move


def _places(mesh: Mesh, nodes: Array) -> list[Array]:
    """Nodes, ascending, that hang together through edges where surfaces touch."""
    c = mesh.connectivity
    ends = c.edges[c.is_nonmanifold]
    ends = np.searchsorted(nodes, ends[np.isin(ends, nodes).all(axis=1)])
    _, label = label_components(len(nodes), *ends.T)
    order = np.argsort(label, kind="stable")
    return np.split(nodes[order], np.flatnonzero(np.diff(label[order])) + 1) if len(nodes) else []


class _Parted:
    """Triangles of a mesh, some of which use copies of their nodes by now; with room for so many copies."""

    def __init__(self, mesh: Mesh, nodes: Array, room: int) -> None:
        t = mesh.triangulation
        self._mesh = mesh
        self._triangles = t.triangles.astype(np.int64)
        self._nodes = np.concatenate([mesh.nodes, np.zeros((room, 3))])
        self._reach = 2.0 * max(_SHARES) * _UNITS * float(np.abs(mesh.nodes).max(initial=0.0))
        low, high = boxes(mesh.nodes[self._triangles])
        at = np.zeros(mesh.n_nodes, bool)
        at[nodes] = True
        self._near = rows_near(low, high + self._reach, np.flatnonzero(at[self._triangles].any(axis=1)))
        self._box = low[self._near], high[self._near] + self._reach
        self._rows = _RowsOf(t.element)
        self._made: list[_Copies] = []
        self.count = 0
        self.move = 0.0

    def round_about(self, nodes: Array) -> Array:
        """Rows that lie about the triangles at some of the nodes."""
        marked = np.zeros(len(self._nodes), bool)
        marked[nodes] = True
        low, high = self._box
        mine = marked[self._mesh.triangulation.triangles[self._near]].any(axis=1)
        meets = (low <= high[mine].max(axis=0)) & (high >= low[mine].min(axis=0))
        return np.asarray(self._near[meets.all(axis=1)])

    def alone(self, rows: Array, copies: _Copies | None = None, units: float = 0.0) -> Mesh:
        """A mesh of these triangles and no others, with some more copies that far off."""
        triangles = self._triangles[rows]
        extra = self._nodes[:0]
        if copies is not None:
            extra = copies.placed(self._mesh, units)
            _put(triangles, _RowsOf(self._mesh.triangulation.element[rows]), copies, len(self._nodes))
        used, local = np.unique(triangles, return_inverse=True)
        old = used < len(self._nodes)
        nodes = np.concatenate([self._nodes[used[old]], extra[used[~old] - len(self._nodes)]])
        return Mesh.from_triangles(nodes, local.reshape(-1, 3), unit=self._mesh.unit)

    def add(self, copies: _Copies, units: float) -> None:
        """Keep copies."""
        first = self._mesh.n_nodes + self.count
        points = copies.placed(self._mesh, units)
        self._nodes[first : first + len(points)] = points
        _put(self._triangles, self._rows, copies, first)
        self._made.append(dataclasses.replace(copies, copy=copies.copy + self.count))
        self.count += len(points)
        self.move = max(self.move, _farthest(self._mesh, copies, units))

    def mesh(self) -> Mesh:
        """The mesh with all that is kept."""
        if not self._made:
            return self._mesh
        element, node, copy = (
            np.concatenate([getattr(copies, name) for copies in self._made]) for name in ("element", "node", "copy")
        )
        first = self._mesh.n_nodes
        return parted(self._mesh, element, node, copy, self._nodes[first : first + self.count])


class _RowsOf:
    """Rows by the element they are of."""

    def __init__(self, element: Array) -> None:
        self._order = np.argsort(element, kind="stable")
        self._sorted = element[self._order]

    def __getitem__(self, element: int) -> Array:
        low, high = np.searchsorted(self._sorted, [element, element + 1])
        return np.asarray(self._order[low:high])


def _put(triangles: Array, rows: _RowsOf, copies: _Copies, first: int) -> None:
    """Put copies, numbered from ``first`` on, in the place of nodes."""
    for element, node, copy in zip(*(v.tolist() for v in (copies.element, copies.node, copies.copy)), strict=True):
        its = rows[element]
        triangles[its] = np.where(triangles[its] == node, first + copy, triangles[its])


def _along_facets(mesh: Mesh, way: _Copies) -> _Copies:
    """The same copies, drawn into their facets: in a wedge like a knife the normals lead out of it."""
    t = mesh.triangulation
    middle = np.zeros((mesh.n_elements, 3))
    middle[t.element] = mesh.nodes[t.triangles].mean(axis=1)
    arm = middle[way.element] - mesh.nodes[way.node]
    arm /= np.maximum(np.linalg.norm(arm, axis=1, keepdims=True), 1e-300)
    direction = np.zeros_like(way.direction)
    np.add.at(direction, way.copy, arm)
    direction /= np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-300)
    return dataclasses.replace(way, direction=direction)


def _fans(mesh: Mesh, skin: Skin, solid: bool) -> Array:
    """Fan of every corner of the triangulation; facets that bound one wedge, ``solid`` or not, stay together."""
    links = skin.links
    wedge = skin.wedges[skin.wedges[:, 2] == solid]
    node = skin.triangles.ravel()
    one, two = wedge[:, 0], wedge[:, 1]
    same = node[one] == node[two]
    pairs = [
        (one, np.where(same, two, links.next[two])),
        (links.next[one], np.where(same, links.next[two], two)),
    ]
    fan = links.fan
    a, b = (np.concatenate([fan[p[k]] for p in pairs]) for k in (0, 1))
    _, label = label_components(int(fan.max()) + 1, a, b)
    return np.asarray(label[fan])


def _copies(mesh: Mesh, skin: Skin, shared: Array, fan: Array, outward: float) -> _Copies | None:
    """Copies for all fans but the first of shared nodes, to be drawn along the normals (1) or against them (-1)."""
    node, face = skin.triangles.ravel().astype(np.int64), skin.links.face
    corner = np.flatnonzero(shared[node] & skin.links.is_sound[face])
    if not len(corner):
        return None
    pairs, which = np.unique(np.column_stack([node[corner], fan[corner]]), axis=0, return_inverse=True)
    which = which.ravel()
    extra = np.zeros(len(pairs), bool)
    extra[1:] = pairs[1:, 0] == pairs[:-1, 0]
    if not extra.any():
        return None
    number = np.cumsum(extra) - 1
    chosen = extra[which]
    corner, which = corner[chosen], which[chosen]
    copy = number[which]
    count = int(extra.sum())
    direction = np.zeros((count, 3))
    np.add.at(direction, copy, outward * area_vectors(mesh.nodes[skin.triangles[face[corner]]]))
    length = np.linalg.norm(direction, axis=1, keepdims=True)
    direction /= np.where(length > 0, length, 1.0)
    element = mesh.triangulation.element[face[corner]].astype(np.int64)
    return _Copies(element, node[corner], copy, pairs[extra, 0], direction)
