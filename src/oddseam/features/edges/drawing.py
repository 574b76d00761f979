"""Creases drawn by hand: along nodes, or straight across facets, which are split for it."""

from __future__ import annotations

import heapq

import numpy as np

from oddseam.accounts import Outcome, Step
from oddseam.arrays import IdIndex, point_text
from oddseam.errors import Refusal
from oddseam.features.edges.walking import NEAR, Terrain, Walk
from oddseam.features.patches.bounding import with_creases
from oddseam.features.patches.curves import neighbours_along
from oddseam.features.patches.cutting import cut_facets
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.inputs import IdsLike, PointLike, PointsLike
from oddseam.model import Creases, Mesh
from oddseam.model.editing import joint_creases
from oddseam.model.shape import CREASE_KINDS

_DRAWN = CREASE_KINDS.index("drawn")


def drawn(mesh: Mesh, nodes: IdsLike | None, through: PointsLike | None) -> tuple[Mesh, Outcome]:
    """The mesh with a crease along nodes, by their ids, or straight across facets through points.

    Linear in the size of the mesh for each point, and in the facets on the way.

    Raises
    ------
    Refusal
        If a node is unknown, there is no way, or the line meets a rim or an edge of more than two facets.
    """
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
    edges = drawn_along(path)
    creases = joint_creases(edges, new.creases)
    assert creases is not None
    bounded = with_creases(new, creases, new.creases if before is not None else None)
    length = float(np.linalg.norm(np.diff(new.nodes[edges.edges], axis=1)[:, 0], axis=1).sum())
    steps = [Step("draw", len(edges.edges), 0.0, f"edges, {length:.6g} long")]
    if through is not None:
        steps.append(Step("split", split, 0.0, f"more elements; the line is {off:.3g} off its planes at most"))
    return bounded, Outcome(tuple(steps), (), ())


def cut_across(mesh: Mesh, through: PointsLike) -> tuple[Mesh, list[int], float]:
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


def _across_facets(mesh: Mesh, begin: PointLike, end: PointLike) -> tuple[Mesh, list[int], float]:
    """The mesh with nodes along a line, those nodes, and how far the farthest is off the plane of the line."""
    mesh, first = _with_node(mesh, begin)
    mesh, last = _with_node(mesh, end)
    if first == last:
        raise Refusal(f"both ends of the line, near {point_text(begin)}, are one node")
    walk = Walk(Terrain(mesh), first, last, mesh.n_nodes)
    walk.go()
    made = np.array(walk.made).reshape(-1, 3)
    normal = walk.normal_between(first, last)
    off = float(np.abs((np.concatenate([mesh.nodes, made])[walk.path] - mesh.nodes[first]) @ normal).max())
    return cut_facets(mesh, walk.cuts, made, walk.halved), walk.path, off


def _with_node(mesh: Mesh, point: PointLike) -> tuple[Mesh, int]:
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
    if away.min() <= NEAR * length.max():
        return mesh, int(triangle[np.argmin(away)])
    # close to an edge it lies on that, else within
    ahead = np.roll(p, -1, axis=0) - p
    share = np.clip(((place[0] - p) * ahead).sum(axis=1) / np.maximum((ahead**2).sum(axis=1), 1e-300), 0.0, 1.0)
    off = np.linalg.norm(p + share[:, None] * ahead - place[0], axis=1)
    k = int(np.argmin(off))
    new = mesh.n_nodes
    if off[k] <= NEAR * length[k]:
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
