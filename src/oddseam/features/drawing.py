"""Creases drawn by hand: along nodes, or straight across facets, which are split for it."""

from __future__ import annotations

import heapq
from collections.abc import Sequence

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.errors import Refusal
from oddseam.features.bounding import with_creases
from oddseam.features.curves import neighbours_along
from oddseam.features.cutting import cut_facets
from oddseam.geometry.boxtree import BoxTree
from oddseam.geometry.triangles import numbered_edges, unit_normals
from oddseam.model import Creases, Mesh
from oddseam.model.editing import joint_creases
from oddseam.model.shape import CREASE_KINDS

_DRAWN = CREASE_KINDS.index("drawn")
#: A line that meets an edge nearer to its end than this share of it goes through that node.
_NEAR = 0.06

Point = tuple[float, float, float]


@recorded("draw crease")
def draw_crease(
    mesh: Mesh, *, nodes: Sequence[int] | None = None, through: Sequence[Point] | None = None
) -> tuple[Mesh, Outcome]:
    """Draw a crease.

    Parameters
    ----------
    mesh : Mesh
    nodes : sequence of int, optional
        Ids of nodes that it goes along; between two that no edge joins it takes the shortest way along edges.
    through : sequence of (x, y, z), optional
        Points that it goes through, straight across facets, which are split.  It runs in the plane that holds two
        points and the normal of the surface; where it comes near to a node it goes through that.

    Returns
    -------
    Mesh
        With the crease, and patches parted where it parts them.

    Raises
    ------
    Refusal
        If a node is unknown, there is no way, or the line meets a rim or an edge of more than two facets.

    Notes
    -----
    Linear in the size of the mesh for each point, and in the facets on the way.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [9, 0, 0], [9, 9, 0], [0, 9, 0]]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [0, 2, 3]], unit="mm")
    >>> drawn = oddseam.draw_crease(sheet, through=[(9, 3, 0), (3, 9, 0)])
    >>> len(drawn.creases.edges), drawn.n_elements
    (2, 6)
    """
    if (nodes is None) == (through is None):
        raise Refusal("say nodes or through, one of both")
    before = mesh.creases
    if nodes is not None:
        if len(nodes) < 2:
            raise Refusal("a crease needs two nodes at least")
        row, missing = IdIndex(mesh.node_ids).of(np.array(nodes, np.int64))
        if missing.any():
            raise Refusal(f"there is no node {nodes[int(np.argmax(missing))]}")
        path = _along_edges(mesh, row.tolist())
        new, split, off = mesh, 0, 0.0
    else:
        assert through is not None
        if len(through) < 2:
            raise Refusal("a crease needs two points at least")
        new, path, off = cut_across(mesh, through)
        split = new.n_elements - mesh.n_elements
    drawn = drawn_along(path)
    creases = joint_creases(drawn, new.creases)
    assert creases is not None
    bounded = with_creases(new, creases, new.creases if before is not None else None)
    length = float(np.linalg.norm(np.diff(new.nodes[drawn.edges], axis=1)[:, 0], axis=1).sum())
    steps = [Step("draw", len(drawn.edges), 0.0, f"edges, {length:.6g} long")]
    if through is not None:
        steps.append(Step("split", split, 0.0, f"more elements; the line is {off:.3g} off its planes at most"))
    return bounded, Outcome(tuple(steps), (), ())


def cut_across(mesh: Mesh, through: Sequence[Point]) -> tuple[Mesh, list[int], float]:
    """The mesh cut along lines between points, the nodes on the way, and how far the farthest is off the lines' planes.

    Raises
    ------
    Refusal
        If the line meets a rim or an edge of more than two facets.
    """
    path: list[int] = []
    off = 0.0
    for begin, end in zip(through[:-1], through[1:], strict=True):
        mesh, its, its_off = _across_facets(mesh, begin, end)
        path += its if not path else its[1:]
        off = max(off, its_off)
    return mesh, path, off


def drawn_along(path: list[int]) -> Creases:
    """Creases between the nodes of a path."""
    pairs = np.sort(np.array([path[:-1], path[1:]], np.int32).T, axis=1)
    pairs = np.unique(pairs[pairs[:, 0] != pairs[:, 1]], axis=0)
    return Creases(pairs, np.full(len(pairs), _DRAWN, np.int8))


def _along_edges(mesh: Mesh, stops: list[int]) -> list[int]:
    """Nodes of the shortest way along edges past some nodes."""
    start, to = neighbours_along(mesh.connectivity.edges, mesh.n_nodes)
    path = [stops[0]]
    for begin, end in zip(stops[:-1], stops[1:], strict=True):
        goal = mesh.nodes[end]
        best, last = {begin: 0.0}, {begin: -1}
        heap = [(float(np.linalg.norm(goal - mesh.nodes[begin])), begin)]
        while heap:
            reach, at = heapq.heappop(heap)
            if at == end:
                break
            if reach > best[at] + float(np.linalg.norm(goal - mesh.nodes[at])) * (1.0 + 1e-12):
                continue
            for other in to[start[at] : start[at + 1]].tolist():
                length = best[at] + float(np.linalg.norm(mesh.nodes[other] - mesh.nodes[at]))
                if length < best.get(other, np.inf):
                    best[other], last[other] = length, at
                    heapq.heappush(heap, (length + float(np.linalg.norm(goal - mesh.nodes[other])), other))
        if end not in last:
            raise Refusal(
                f"no edges lead from node {mesh.node_ids[begin]} to node {mesh.node_ids[end]}; they lie on pieces that "
                "are not joined"
            )
        way = [end]
        while last[way[-1]] >= 0:
            way.append(last[way[-1]])
        path += way[::-1][1:]
    return path


# ---------------------------------------------------------------------- across facets


def _across_facets(mesh: Mesh, begin: Point, end: Point) -> tuple[Mesh, list[int], float]:
    """The mesh with nodes along a line, those nodes, and how far the farthest is off the plane of the line."""
    mesh, first = _with_node(mesh, begin)
    mesh, last = _with_node(mesh, end)
    if first == last:
        raise Refusal(f"both ends of the line, near {point_text(begin)}, are one node")
    walk = _Walk(mesh, first, last)
    walk.go()
    nodes = np.concatenate([mesh.nodes, np.array(walk.made).reshape(-1, 3)])
    normal = walk.normal_between(first, last)
    off = float(np.abs((nodes[walk.path] - nodes[first]) @ normal).max())
    return cut_facets(mesh, walk.cuts, np.array(walk.made).reshape(-1, 3), walk.halved), walk.path, off


def _with_node(mesh: Mesh, point: Point) -> tuple[Mesh, int]:
    """The mesh with a node where the surface is nearest to a point, and that node; one that is near does."""
    t = mesh.triangulation
    if not len(t.triangles):
        raise Refusal("the mesh has no surface to draw on")
    tree = BoxTree(mesh.nodes[t.triangles])
    place, found = tree.closest(np.array([point], float))
    row = int(tree.order[found[0]])
    triangle = t.triangles[row]
    p = mesh.nodes[triangle]
    length = np.linalg.norm(p - np.roll(p, -1, axis=0), axis=1)
    away = np.linalg.norm(p - place[0], axis=1)
    if away.min() <= _NEAR * length.max():
        return mesh, int(triangle[np.argmin(away)])
    # close to an edge it lies on that, else within
    ahead = np.roll(p, -1, axis=0) - p
    share = np.clip(((place[0] - p) * ahead).sum(axis=1) / np.maximum((ahead**2).sum(axis=1), 1e-300), 0.0, 1.0)
    off = np.linalg.norm(p + share[:, None] * ahead - place[0], axis=1)
    k = int(np.argmin(off))
    new = mesh.n_nodes
    if off[k] <= _NEAR * length[k]:
        a, b = int(triangle[k]), int(triangle[(k + 1) % 3])
        cuts: dict[int, list[tuple[int, ...]]] = {}
        for other in np.flatnonzero(((t.triangles == a) | (t.triangles == b)).sum(axis=1) == 2).tolist():
            its = t.triangles[other].tolist()
            i = next(i for i in range(3) if {its[i], its[(i + 1) % 3]} == {a, b})
            u, v, w = its[i], its[(i + 1) % 3], its[(i + 2) % 3]
            cuts[other] = [(u, new, w), (new, v, w)]
        return cut_facets(mesh, cuts, (p[k] + share[k] * ahead[k])[None], {(min(a, b), max(a, b)): [new]}), new
    a, b, c = triangle.tolist()
    return cut_facets(mesh, {row: [(a, b, new), (b, c, new), (c, a, new)]}, place, {}), new


class _Walk:
    """A way across facets from one node to another, in a plane through both."""

    def __init__(self, mesh: Mesh, first: int, last: int) -> None:
        t = mesh.triangulation
        self._mesh, self._triangles, self._last = mesh, t.triangles, last
        self._normals = unit_normals(mesh.nodes[t.triangles])
        _, self._edge, _ = numbered_edges(t.triangles, mesh.n_nodes)
        flat = self._edge.ravel()
        order = np.argsort(flat, kind="stable")
        self._at_edge = np.searchsorted(flat[order], np.arange(int(flat.max()) + 2))
        self._faces_of_edge = order // 3
        corner = np.argsort(t.triangles.ravel(), kind="stable")
        self._at_node = np.searchsorted(t.triangles.ravel()[corner], np.arange(mesh.n_nodes + 1))
        self._faces_of_node = corner // 3
        self._up = self._normals[self._round(first)].mean(axis=0) + self._normals[self._round(last)].mean(axis=0)
        self.path = [first]
        self.made: list[Array] = []
        self.halved: dict[tuple[int, int], list[int]] = {}
        self.cuts: dict[int, list[tuple[int, ...]]] = {}

    def _round(self, node: int) -> list[int]:
        faces: list[int] = self._faces_of_node[self._at_node[node] : self._at_node[node + 1]].tolist()
        return faces

    def normal_between(self, a: int, b: int) -> Array:
        """Unit normal of the plane through two nodes that stands on the surface at both ends of the line."""
        normal = np.cross(self._mesh.nodes[b] - self._mesh.nodes[a], self._up)
        size = float(np.linalg.norm(normal))
        if size == 0:
            raise Refusal(
                f"from {point_text(self._mesh.nodes[a])} to {point_text(self._mesh.nodes[b])} the line would stand on "
                "the surface; give points between"
            )
        return np.asarray(normal / size)

    def go(self) -> None:
        """Walk until the end is reached."""
        limit = 2 * len(self._triangles) + 10
        while self.path[-1] != self._last:
            self._from_node(self.path[-1])
            limit -= len(self.cuts) + 1
            if limit < 0:
                raise self._lost(self._mesh.nodes[self.path[-1]], "goes round in circles")

    def _lost(self, place: Array, why: str) -> Refusal:
        return Refusal(f"the line {why} at {point_text(place)}; give points between that lead it round")

    def _from_node(self, v: int) -> None:
        """Go on from a node of the mesh to the next one, cutting what lies between."""
        nodes = self._mesh.nodes
        p, goal = nodes[v], nodes[self._last]
        normal = self.normal_between(v, self._last)
        best: tuple[float, int, int, float] | None = None
        for t in self._round(v):
            its = self._triangles[t].tolist()
            i = its.index(v)
            b, c = its[(i + 1) % 3], its[(i + 2) % 3]
            if self._last in (b, c):
                self.path.append(self._last)
                return
            hit = self._share(b, c, p, normal)
            if hit is None:
                continue
            x = nodes[b] + hit * (nodes[c] - nodes[b])
            ahead = float((x - p) @ (goal - p)) / max(float(np.linalg.norm(x - p)), 1e-300)
            if best is None or ahead > best[0]:
                best = ahead, t, i, hit
        if best is None or best[0] <= 0:
            raise self._lost(p, "comes to a rim")
        _, t, i, hit = best
        its = self._triangles[t].tolist()
        b, c = its[(i + 1) % 3], its[(i + 2) % 3]
        if not _NEAR <= hit <= 1.0 - _NEAR:
            near = b if hit < _NEAR else c
            if float((nodes[near] - p) @ (goal - p)) > 0:
                self._step_to(near)
                return
        x = self._made(b, c, min(max(hit, _NEAR), 1.0 - _NEAR))
        self.cuts[t] = [(v, b, x), (v, x, c)]
        self._across(t, (i + 1) % 3, x, p, normal)

    def _across(self, t: int, side: int, x: int, p: Array, normal: Array) -> None:
        """Go on across an edge, over facet after facet, until the line comes to a node."""
        while True:
            e = int(self._edge[t, side])
            faces = self._faces_of_edge[self._at_edge[e] : self._at_edge[e + 1]].tolist()
            if len(faces) != 2:
                what = "comes to a rim" if len(faces) == 1 else "meets an edge of more than two facets"
                raise self._lost(self.made[-1], what)
            t = faces[0] if faces[1] == t else faces[1]
            if t in self.cuts:
                raise self._lost(self.made[-1], "crosses itself")
            its = self._triangles[t].tolist()
            side = int(np.flatnonzero(self._edge[t] == e)[0])
            u, v, w = its[side], its[(side + 1) % 3], its[(side + 2) % 3]
            if w == self._last:
                self._cut_to_node(t, u, v, w, x)
                return
            one, two = self._crossed(v, w, p, normal), self._crossed(w, u, p, normal)
            if one == 1.0 or two == 0.0 or (one is None and two is None):
                self._cut_to_node(t, u, v, w, x)
                return
            # it came past u and v, so that it may not go through either of them now
            if one is not None:
                y, side = self._made(v, w, max(one, _NEAR)), (side + 1) % 3
                self.cuts[t] = [(x, v, y), *self._halves(x, y, w, u)]
            else:
                y, side = self._made(w, u, min(two or 0.0, 1.0 - _NEAR)), (side + 2) % 3
                self.cuts[t] = [(y, u, x), *self._halves(y, x, v, w)]
            x = y

    def _cut_to_node(self, t: int, u: int, v: int, w: int, x: int) -> None:
        self.cuts[t] = [(u, x, w), (x, v, w)]
        self._step_to(w)

    def _step_to(self, node: int) -> None:
        if node in self.path:
            raise self._lost(self._mesh.nodes[node], "comes back to where it was")
        self.path.append(node)

    def _made(self, a: int, b: int, share: float) -> int:
        self.made.append(self._mesh.nodes[a] + share * (self._mesh.nodes[b] - self._mesh.nodes[a]))
        self.path.append(self._mesh.n_nodes + len(self.made) - 1)
        self.halved[min(a, b), max(a, b)] = [self.path[-1]]
        return self.path[-1]

    def _halves(self, *corners: int) -> list[tuple[int, ...]]:
        """A quad as two triangles, along the diagonal that leaves the better worst one."""
        n = self._mesh.n_nodes
        p = np.array([self._mesh.nodes[k] if k < n else self.made[k - n] for k in corners])

        def worst(way: tuple[tuple[int, ...], ...]) -> float:
            edges = p[np.array(way)] - np.roll(p[np.array(way)], 1, axis=1)
            area = np.linalg.norm(np.cross(edges[:, 0], edges[:, 1]), axis=1)
            return float((area / np.maximum((edges**2).sum(axis=(1, 2)), 1e-300)).min())

        way = max((((0, 1, 2), (0, 2, 3)), ((0, 1, 3), (1, 2, 3))), key=worst)
        return [tuple(corners[k] for k in triangle) for triangle in way]

    def _share(self, a: int, b: int, p: Array, normal: Array) -> float | None:
        """Where a plane meets an edge, as a share of it."""
        one, two = (float((self._mesh.nodes[k] - p) @ normal) for k in (a, b))
        if (one > 0) == (two > 0) and one != 0 and two != 0:
            return None
        return one / (one - two) if one != two else 0.0

    def _crossed(self, a: int, b: int, p: Array, normal: Array) -> float | None:
        """The same; 0 or 1 where it comes near to an end."""
        share = self._share(a, b, p, normal)
        return None if share is None else 0.0 if share < _NEAR else 1.0 if share > 1.0 - _NEAR else share
