"""Ways across facets, straight from node to node."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.patches.cutting import Cuts, OnEdges, cut_facets
from oddseam.geometry.triangles import numbered_edges, unit_normals
from oddseam.model import Mesh

#: A line that meets an edge nearer to its end than this share of it goes through that node.
NEAR = 0.06


class Terrain:
    """Triangles with what is needed to walk on them: normals, and what lies at every edge and node.

    Attributes
    ----------
    nodes, triangles, normals : arrays
    edge : (m, 3) int array
        The edge from every corner to the next.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.nodes, self.triangles = mesh.nodes, mesh.triangulation.triangles
        self.normals = unit_normals(self.nodes[self.triangles])
        _, self.edge, _ = numbered_edges(self.triangles, mesh.n_nodes)
        flat = self.edge.ravel()
        order = np.argsort(flat, kind="stable")
        self._at_edge = np.searchsorted(flat[order], np.arange(int(flat.max()) + 2))
        self._faces_of_edge = order // 3
        corner = np.argsort(self.triangles.ravel(), kind="stable")
        self._at_node = np.searchsorted(self.triangles.ravel()[corner], np.arange(mesh.n_nodes + 1))
        self._faces_of_node = corner // 3

    def round(self, node: int) -> list[int]:
        """Triangles at a node."""
        faces: list[int] = self._faces_of_node[self._at_node[node] : self._at_node[node + 1]].tolist()
        return faces

    def beside(self, edge: int) -> list[int]:
        """Triangles at an edge."""
        faces: list[int] = self._faces_of_edge[self._at_edge[edge] : self._at_edge[edge + 1]].tolist()
        return faces


def cut_between(mesh: Mesh, lines: list[tuple[int, int]]) -> tuple[Mesh, list[list[int] | Refusal]]:
    """The mesh cut along straight lines between nodes, and the nodes on each; or why a line cannot be.

    Lines that do not meet are cut at the same time: linear in the size of the mesh for as many times as the most lines
    meet in a facet.

    Parameters
    ----------
    mesh : Mesh
    lines : list of pairs of int
        The first and the last node of each.
    """
    found: list[list[int] | Refusal] = [[] for _ in lines]
    waiting = list(range(len(lines)))
    while waiting:
        terrain, later = Terrain(mesh), []
        cuts: Cuts = {}
        on_edges: OnEdges = {}
        points: list[Array] = []
        for k in waiting:
            walk = Walk(terrain, *lines[k], mesh.n_nodes + len(points))
            try:
                walk.go()
            except Refusal as refusal:
                found[k] = refusal
                continue
            if cuts.keys() & walk.cuts.keys():
                later.append(k)
                continue
            found[k] = walk.path
            cuts |= walk.cuts
            on_edges |= walk.halved
            points += walk.made
        mesh = cut_facets(mesh, cuts, np.array(points).reshape(-1, 3), on_edges)
        waiting = later
    return mesh, found


class Walk:
    """A way across facets from one node to another, in a plane through both.

    Attributes
    ----------
    path : list of int
        Nodes on the way, from the first to the last.
    made : list of (3,) arrays
        New ones, numbered from ``next_node`` on.
    halved : dict
        Edges that they lie on.
    cuts : dict
        Pieces of the triangles on the way.
    """

    def __init__(self, terrain: Terrain, first: int, last: int, next_node: int) -> None:
        self._terrain, self._nodes, self._triangles = terrain, terrain.nodes, terrain.triangles
        self._last, self._next_node = last, next_node
        self._up = sum((terrain.normals[terrain.round(k)].mean(axis=0) for k in (first, last)), np.zeros(3))
        self.path = [first]
        self.made: list[Array] = []
        self.halved: dict[tuple[int, int], list[int]] = {}
        self.cuts: dict[int, list[tuple[int, ...]]] = {}

    def normal_between(self, a: int, b: int) -> Array:
        """Unit normal of the plane through two nodes that stands on the surface at both ends of the line."""
        normal = np.cross(self._nodes[b] - self._nodes[a], self._up)
        size = float(np.linalg.norm(normal))
        if size == 0:
            raise Refusal(
                f"from {point_text(self._nodes[a])} to {point_text(self._nodes[b])} the line would stand on "
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
                raise self._lost(self._nodes[self.path[-1]], "goes round in circles")

    def _lost(self, place: Array, why: str) -> Refusal:
        return Refusal(f"the line {why} at {point_text(place)}; give points between that lead it round")

    def _from_node(self, v: int) -> None:
        """Go on from a node of the mesh to the next one, cutting what lies between."""
        nodes = self._nodes
        p, goal = nodes[v], nodes[self._last]
        normal = self.normal_between(v, self._last)
        best: tuple[float, int, int, float] | None = None
        for t in self._terrain.round(v):
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
        if not NEAR <= hit <= 1.0 - NEAR:
            near = b if hit < NEAR else c
            if float((nodes[near] - p) @ (goal - p)) > 0:
                self._step_to(near)
                return
        x = self._made(b, c, min(max(hit, NEAR), 1.0 - NEAR))
        self.cuts[t] = [(v, b, x), (v, x, c)]
        self._across(t, (i + 1) % 3, x, p, normal)

    def _across(self, t: int, side: int, x: int, p: Array, normal: Array) -> None:
        """Go on across an edge, over facet after facet, until the line comes to a node."""
        while True:
            e = int(self._terrain.edge[t, side])
            faces = self._terrain.beside(e)
            if len(faces) != 2:
                what = "comes to a rim" if len(faces) == 1 else "meets an edge of more than two facets"
                raise self._lost(self.made[-1], what)
            t = faces[0] if faces[1] == t else faces[1]
            if t in self.cuts:
                raise self._lost(self.made[-1], "crosses itself")
            its = self._triangles[t].tolist()
            side = int(np.flatnonzero(self._terrain.edge[t] == e)[0])
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
                y, side = self._made(v, w, max(one, NEAR)), (side + 1) % 3
                self.cuts[t] = [(x, v, y), *self._halves(x, y, w, u)]
            else:
                y, side = self._made(w, u, min(two or 0.0, 1.0 - NEAR)), (side + 2) % 3
                self.cuts[t] = [(y, u, x), *self._halves(y, x, v, w)]
            x = y

    def _cut_to_node(self, t: int, u: int, v: int, w: int, x: int) -> None:
        self.cuts[t] = [(u, x, w), (x, v, w)]
        self._step_to(w)

    def _step_to(self, node: int) -> None:
        if node in self.path:
            raise self._lost(self._nodes[node], "comes back to where it was")
        self.path.append(node)

    def _made(self, a: int, b: int, share: float) -> int:
        self.made.append(self._nodes[a] + share * (self._nodes[b] - self._nodes[a]))
        self.path.append(self._next_node + len(self.made) - 1)
        self.halved[min(a, b), max(a, b)] = [self.path[-1]]
        return self.path[-1]

    def _halves(self, *corners: int) -> list[tuple[int, ...]]:
        """A quad as two triangles, along the diagonal that leaves the better worst one."""
        n = len(self._nodes)
        p = np.array([self._nodes[k] if k < n else self.made[k - self._next_node] for k in corners])

        def worst(way: tuple[tuple[int, ...], ...]) -> float:
            edges = p[np.array(way)] - np.roll(p[np.array(way)], 1, axis=1)
            area = np.linalg.norm(np.cross(edges[:, 0], edges[:, 1]), axis=1)
            return float((area / np.maximum((edges**2).sum(axis=(1, 2)), 1e-300)).min())

        way = max((((0, 1, 2), (0, 2, 3)), ((0, 1, 3), (1, 2, 3))), key=worst)
        return [tuple(corners[k] for k in triangle) for triangle in way]

    def _share(self, a: int, b: int, p: Array, normal: Array) -> float | None:
        """Where a plane meets an edge, as a share of it."""
        one, two = (float((self._nodes[k] - p) @ normal) for k in (a, b))
        if (one > 0) == (two > 0) and one != 0 and two != 0:
            return None
        return one / (one - two) if one != two else 0.0

    def _crossed(self, a: int, b: int, p: Array, normal: Array) -> float | None:
        """The same; 0 or 1 where it comes near to an end."""
        share = self._share(a, b, p, normal)
        return None if share is None else 0.0 if share < NEAR else 1.0 if share > 1.0 - NEAR else share
