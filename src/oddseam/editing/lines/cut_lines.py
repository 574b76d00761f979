"""The lines along which a region is cut out of a surface, and how they come to lie on the surface that replaces it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from oddseam.arrays import Array, IdIndex, Point, point_text
from oddseam.editing.lines.imprinted_lines import brought_to
from oddseam.editing.lines.paths import with_paths
from oddseam.errors import Refusal
from oddseam.features.patches.cutting import OnEdges, with_nodes_on_edges
from oddseam.findings.classes.finding import point_of
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.model import Mesh
from oddseam.model.origins import nodes_in

#: A node of a T-joint this near to where another one comes to the cut, over the length of edges there, becomes that.
_NODE = 0.4
#: A place on the replacement this near to its rim, over the size of elements, is on that.
_ON_RIM = 1e-6


class Line(NamedTuple):
    """Nodes of the mesh along the border of what is cut out, in order, and whether they go all round."""

    nodes: Array
    closed: bool


class Cut(NamedTuple):
    """A line of the cut, and its nodes on the replacement."""

    nodes: Array
    closed: bool
    rows: Array


def cut_lines(mesh: Mesh, region: Mesh, elements: Array) -> list[Line]:
    """The border between what is picked and the rest, in the direction of the picked faces, from T-joint to T-joint."""
    rest = np.ones(mesh.n_elements, bool)
    rest[elements] = False
    c = mesh.connectivity
    its = rest[mesh.faces.element[c.face]] & (c.edge_of >= 0)
    shared = np.zeros(len(c.edges), bool)
    shared[c.edge_of[its]] = True
    row = nodes_in(region, mesh)
    lines: list[Line] = []
    for rim in region.connectivity.rims:
        nodes = row[rim.nodes]
        after = np.roll(nodes, -1)[: len(rim.corners)]
        number = c.numbers_of(np.column_stack([nodes[: len(rim.corners)], after]))
        is_border = shared[number]
        if is_border.all() and rim.closed:
            lines.append(Line(nodes, True))
            continue
        if rim.closed and is_border[0]:  # begin where it comes from the mesh's own rim
            begin = int(np.argmin(is_border))
            nodes, after, is_border = np.roll(nodes, -begin), np.roll(after, -begin), np.roll(is_border, -begin)
        places = np.flatnonzero(is_border)
        for run in np.split(places, np.flatnonzero(np.diff(places) > 1) + 1):
            if len(run):
                lines.append(Line(np.append(nodes[run], after[run[-1:]]), False))
    if not lines:
        raise Refusal("what is picked has no border with the rest; delete it, and combine the meshes")
    joints = _joints(mesh, lines)
    return [part for line in lines for part in _parted(line, joints)]


def _joints(mesh: Mesh, lines: list[Line]) -> Array:
    """(n,) bool: nodes at which T-joints come to the lines; those that run along them are no end of a line."""
    c = mesh.connectivity
    along = np.zeros(len(c.edges), bool)
    for nodes, closed in lines:
        along[c.numbers_of(np.column_stack([nodes, np.roll(nodes, -1)])[: None if closed else -1])] = True
    found = np.zeros(mesh.n_nodes, bool)
    found[c.edges[c.is_nonmanifold & ~along]] = True
    return found


def _parted(line: Line, joints: Array) -> Iterator[Line]:
    """A line from joint to joint."""
    nodes, closed = line
    at = np.flatnonzero(joints[nodes])
    if not len(at):
        yield line
        return
    if closed:
        nodes = np.roll(nodes, -int(at[0]))
        nodes = np.append(nodes, nodes[0])
        at = np.append(at - at[0], len(nodes) - 1)
    ends = np.unique([0, *at.tolist(), len(nodes) - 1])
    for first, last in zip(ends[:-1].tolist(), ends[1:].tolist(), strict=True):
        yield Line(nodes[first : last + 1], False)


class Laid(NamedTuple):
    """The replacement with the lines of the cut as edges of it.

    ``farthest`` is how far it was from them at most, at ``worst_at``.
    """

    surface: Mesh
    cuts: list[Cut]
    farthest: float
    worst_at: Point


def laid_on(surface: Mesh, mesh: Mesh, lines: list[Line], within: float, snap: float) -> Laid:
    """Lay lines of a mesh on another surface: where that has nodes and edges there already, they are taken.

    Nodes nearer to a place on the lines than a share ``snap`` of their edges become one with it.

    Raises
    ------
    Refusal
        If the surface is farther from them than ``within``, or they cannot be imprinted.
    """
    surface, at_joint = _with_joints(surface, mesh, lines, within, snap)
    farthest, worst_at = 0.0, (0.0, 0.0, 0.0)
    ids: dict[int, Array] = {}
    placed = {}
    drawn = [np.zeros((0, 2), np.int64)]
    for k, (nodes, closed) in enumerate(lines):
        points, normals, elements = brought_to(surface, mesh.nodes[nodes], None)
        away = np.linalg.norm(points - mesh.nodes[nodes], axis=1)
        worst = int(np.argmax(away))
        if away[worst] > within:
            what = "ends" if _on_rim(surface, points[worst : worst + 1])[0] else "is"
            at = point_text(mesh.nodes[nodes[worst]])
            raise Refusal(
                f"the replacement {what} {away[worst]:.4g} away from the border of the cut at {at}, more than the "
                f"distance of {within:g}"
            )
        if away[worst] >= farthest:
            farthest, worst_at = float(away[worst]), point_of(mesh.nodes[nodes[worst]])
        there = _there_already(surface, mesh.nodes[nodes], closed, within, snap)
        if there is not None:
            ids[k] = surface.node_ids[there]
            drawn.append(np.column_stack([there, np.roll(there, -1)])[: None if closed else -1])
        elif _on_rim(surface, points).all() and closed:  # it fits as it is
            rims = [rim for rim in surface.connectivity.rims if rim.closed]
            near = [float(np.linalg.norm(surface.nodes[rim.nodes] - points[0], axis=1).min()) for rim in rims]
            ids[k] = surface.node_ids[rims[int(np.argmin(near))].nodes]
        else:
            if not closed:  # an end may lie in several faces: the line begins in the one that it goes on in
                for end in (0, -1):
                    points[end] = at_joint.get(int(nodes[end]), points[end])
                middles = 0.5 * (points[[0, -2]] + points[[1, -1]])
                _, normals[[0, -1]], elements[[0, -1]] = brought_to(surface, middles, None)
            placed[k] = points, normals, surface.element_ids[elements], closed
    for k, path in zip(placed, with_paths(surface, list(placed.values()), drawn=np.concatenate(drawn)), strict=True):
        surface = path.mesh
        ids[k] = surface.node_ids[path.rows]
    index = IdIndex(surface.node_ids)
    cuts = [Cut(nodes, closed, index.of(ids[k])[0]) for k, (nodes, closed) in enumerate(lines)]
    return Laid(surface, cuts, farthest, worst_at)


def _there_already(surface: Mesh, points: Array, closed: bool, within: float, snap: float) -> Array | None:
    """Nodes of a surface at points in order that have edges between them; ``None`` if there are no such."""
    from scipy.spatial import cKDTree

    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    used = np.unique(surface.triangulation.triangles)
    away, row = cKDTree(surface.nodes[used]).query(points)
    if (away > min(within, snap * float(steps.min()))).any() or len(np.unique(row)) < len(row):
        return None
    nodes = used[row].astype(np.int64)
    ends = np.column_stack([nodes, np.roll(nodes, -1)])[: None if closed else -1]
    return None if (surface.connectivity.numbers_of(ends) < 0).any() else nodes


def _with_joints(
    surface: Mesh, mesh: Mesh, lines: list[Line], within: float, snap: float
) -> tuple[Mesh, dict[int, Array]]:
    """The surface with nodes on its T-joints where those of the mesh come to the cut, and where these are.

    A node that is near enough is taken, else an edge is split.
    """
    c = surface.connectivity
    edges = c.edges[c.is_nonmanifold].astype(np.int64)
    joints = _joints(mesh, lines)
    ends = np.unique(np.array([node for nodes, closed in lines if not closed for node in nodes[[0, -1]]], np.int64))
    ends = ends[joints[ends]]
    if not len(edges) or not len(ends):
        return surface, {}
    points = mesh.nodes[ends]
    place, row = (tree := BoxTree(surface.nodes[edges[:, [0, 1, 1]]])).closest(points)
    low, high = edges[tree.order[row]].T
    along = surface.nodes[high] - surface.nodes[low]
    length = np.linalg.norm(along, axis=1)
    share = np.einsum("ij,ij->i", place - surface.nodes[low], along) / length**2
    near = np.minimum(share, 1.0 - share) * length <= np.clip(within, snap * length, _NODE * length)
    place[near] = surface.nodes[np.where(share < 0.5, low, high)][near]
    reached = np.linalg.norm(place - points, axis=1) <= within
    spots: OnEdges = {}
    new: list[Array] = []
    for k in np.lexsort((share, high, low)).tolist():
        if reached[k] and not near[k]:
            spots.setdefault((int(low[k]), int(high[k])), []).append(surface.n_nodes + len(new))
            new.append(place[k])
    at = {int(ends[k]): place[k] for k in np.flatnonzero(reached).tolist()}
    return (with_nodes_on_edges(surface, spots, np.array(new)) if new else surface), at


def _on_rim(surface: Mesh, points: Array) -> Array:
    """(k,) bool: places of a surface that lie on its rim."""
    c = surface.connectivity
    if not c.is_free.any():
        return np.zeros(len(points), bool)
    ends = surface.nodes[c.edges[c.is_free]]
    size = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).mean())
    found, _ = BoxTree(ends[:, [0, 1, 1]]).closest(points)
    return np.asarray(np.linalg.norm(found - points, axis=1) <= _ON_RIM * size)
