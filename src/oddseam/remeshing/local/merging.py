"""Nodes of small things merged: which become one, where that lies, and the mesh that comes of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.features.patches.cutting import OnEdges, with_nodes_on_edges
from oddseam.features.patches.small import Small
from oddseam.geometry.triangles import areas_and_normals
from oddseam.model import Groups, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import Added, edited, merged
from oddseam.model.origins import elements_in, nodes_in

#: Directions in which planes hold a node by less than this share of the most are left alone.
_FIRM = 1e-3
#: Name of a group that lives while facets are cut; no file can hold it.
_GOING = "\0going"
#: What holds a node: nothing, a rim, or others that use it.
_FREE, _RIM, _LOCKED = 0, 1, 2


@dataclass(frozen=True, eq=False)
class Merge:
    """A mesh with things merged.

    Attributes
    ----------
    mesh : Mesh
    things : list of int
        Which of them are.
    refused : dict of int to str
        Which cannot be, and why.
    owner : (n,) int array
        For nodes of ``mesh`` the thing that made each, or -1.
    turned : (k,) int array
        Elements of ``mesh`` that look another way than they did.
    move : float
        The farthest that a node went.
    """

    mesh: Mesh
    things: list[int]
    refused: dict[int, str]
    owner: Array
    turned: Array
    move: float


def merge(
    mesh: Mesh,
    things: list[Small],
    left: set[int],
    below: float,
    *,
    rims: bool = False,
    stays: Array | None = None,
    goes: Array | None = None,
) -> Merge:
    """Merge things that have no node in common, the first first, but those ``left``.

    ``rims`` says whether two rims may become an edge, ``stays`` are nodes that others come to, ``goes`` such as come
    though more than two faces meet there.
    """
    held, free = _held(mesh), _free_edges(mesh)
    if goes is not None:
        held[goes] = np.minimum(held[goes], _RIM)
    stay: set[int] = set()
    if stays is not None:
        held[stays] = _LOCKED
        stay = set(stays.tolist())
    refused = {}
    chosen: list[int] = []
    taken = np.zeros(mesh.n_nodes, bool)
    for k, it in enumerate(things):
        if k in left or taken[it.nodes].any():
            continue
        why = _forbidden(it, held, set() if rims else free)
        if why:
            refused[k] = why
        else:
            chosen.append(k)
            taken[it.nodes] = True
    on_edges, points, pairs, whose = _joined(mesh, [things[k] for k in chosen])
    faces = [mesh.faces.element[its] for k in chosen if (its := things[k].faces) is not None]
    going = np.unique(np.concatenate([np.zeros(0, np.int64), *faces]))
    groups = mesh.groups
    marked = mesh.replaced(groups=Groups(groups.nodes, {**groups.elements, _GOING: going}, groups.sides))
    fine = with_nodes_on_edges(marked, on_edges, points)
    going = fine.groups.elements[_GOING]
    kept = {name: its for name, its in fine.groups.elements.items() if name != _GOING}
    fine = fine.replaced(groups=Groups(fine.groups.nodes, kept, fine.groups.sides))
    held = np.concatenate([held, np.full(len(points), _FREE)])
    for (a, b), spots in on_edges.items():
        held[spots] = _LOCKED if a in stay and b in stay else _RIM if (a, b) in free else _FREE

    _, label = label_components(fine.n_nodes, *pairs.T)
    member = np.unique(pairs)
    owner = np.full(fine.n_nodes, -1)
    owner[pairs.ravel()] = np.repeat(np.array(chosen, np.int64)[whose], 2)
    place = _places(fine, going, member, label[member], held, below)
    # the one that stays is held, if any is
    order = member[np.lexsort((member, -held[member], label[member]))]
    leads = np.ones(len(order), bool)
    leads[1:] = label[order[1:]] != label[order[:-1]]
    first = np.zeros(int(label.max(initial=-1)) + 1, np.int64)
    first[label[order[leads]]] = order[leads]
    into = np.arange(fine.n_nodes)
    into[member] = first[label[member]]
    nodes = fine.nodes.copy()
    nodes[member] = place
    move = float(np.linalg.norm(place - fine.nodes[member], axis=1).max(initial=0.0))
    joined = merged(fine.replaced(nodes=nodes), into)
    new = without_collapsed(joined, going)
    owners = owner[into == np.arange(fine.n_nodes)][nodes_in(new, joined)]
    return Merge(new, chosen, refused, owners, _turned(fine, new), move)


def _held(mesh: Mesh) -> Array:
    """(n,) what holds every node."""
    c = mesh.connectivity
    held = np.full(mesh.n_nodes, _FREE)
    held[c.edges[c.is_free]] = _RIM
    held[c.edges[c.is_nonmanifold]] = _LOCKED
    held[c.nonmanifold_nodes] = _LOCKED
    for name, block in mesh.elements.items():
        if name not in ("tri", "quad"):
            held[block.connectivity] = _LOCKED
    return held


def _free_edges(mesh: Mesh) -> set[tuple[int, int]]:
    c = mesh.connectivity
    return {(a, b) for a, b in c.edges[c.is_free].tolist()}


def _forbidden(it: Small, held: Array, free: set[tuple[int, int]]) -> str:
    """Why a thing cannot be merged, if it cannot."""
    if it.fold is None:
        return "more than one of its nodes are held" if (held[it.nodes] == _LOCKED).sum() > 1 else ""
    ends = it.fold.ends
    across = (ends[:, 0] != ends[:, 1]).any(axis=1)
    hold = np.where(ends[:, :, 0] == ends[:, :, 1], held[ends[:, :, 0]], _FREE)
    if (across & (hold == _LOCKED).all(axis=1)).any():
        return "both of its sides are held"
    for before, after in zip(ends[:-1], ends[1:], strict=True):
        edges = [np.unique([*one, *two]) for one, two in zip(before, after, strict=True)]
        if all(tuple(edge.tolist()) in free for edge in edges):
            return "both of its sides are rims"
    return ""


def _joined(mesh: Mesh, things: list[Small]) -> tuple[OnEdges, Array, Array, Array]:
    """New nodes on edges, where they are, (p, 2) nodes that become one, and the thing that each pair is of."""
    spots: dict[tuple[int, int], dict[float, int]] = {}
    points: list[Array] = []

    def node_at(ends: Array, share: float) -> int:
        a, b = ends.tolist()
        if a == b:
            return int(a)
        if a > b:
            a, b, share = b, a, 1.0 - share
        known = spots.setdefault((a, b), {})
        if share not in known:
            known[share] = mesh.n_nodes + len(points)
            points.append(mesh.nodes[a] + share * (mesh.nodes[b] - mesh.nodes[a]))
        return known[share]

    pairs, whose = [], []
    for number, it in enumerate(things):
        if it.fold is None:
            its = [(int(it.nodes[0]), int(k)) for k in it.nodes]
        else:
            its = [
                (node_at(ends[0], float(share[0])), node_at(ends[1], float(share[1])))
                for ends, share in zip(it.fold.ends, it.fold.share, strict=True)
            ]
        pairs += its
        whose += [number] * len(its)
    on_edges = {edge: [known[share] for share in sorted(known)] for edge, known in spots.items()}
    return on_edges, np.array(points).reshape(-1, 3), np.array(pairs, np.int64).reshape(-1, 2), np.array(whose, int)


def _places(mesh: Mesh, going: Array, member: Array, label: Array, held: Array, below: float) -> Array:
    """(k, 3) where nodes go that become one: near to the planes of the facets that stay.

    What is locked stays; what is on a rim goes to the middle of the nodes that are; and no node farther than ``below``.
    """
    _, group = np.unique(label, return_inverse=True)
    count = int(group.max(initial=-1)) + 1
    of = np.full(mesh.n_nodes, -1)
    of[member] = group
    t = mesh.triangulation
    area, normal = areas_and_normals(mesh.nodes[t.triangles])
    stays = ~np.isin(t.element, going)
    row, corner = np.nonzero((of[t.triangles] >= 0) & stays[:, None])
    node = t.triangles[row, corner]
    its = of[node]
    size = np.bincount(group, minlength=count)
    mean = np.column_stack([np.bincount(group, mesh.nodes[member][:, d], count) for d in range(3)]) / size[:, None]
    matrix, right = np.zeros((count, 3, 3)), np.zeros((count, 3))
    outer = area[row, None, None] * normal[row, :, None] * normal[row, None, :]
    np.add.at(matrix, its, outer)
    np.add.at(right, its, np.einsum("ijk,ik->ij", outer, mesh.nodes[node] - mean[its]))
    value, axes = np.linalg.eigh(matrix)
    firm = value > _FIRM * value[:, -1:]
    along = np.einsum("ijk,ij->ik", axes, right) * firm / np.where(firm & (value > 0), value, 1.0)
    place = mean + np.einsum("ijk,ik->ij", axes, along)
    far = np.zeros(count)
    np.maximum.at(far, group, np.linalg.norm(place[group] - mesh.nodes[member], axis=1))
    place[far > below] = mean[far > below]
    for level in (_RIM, _LOCKED):  # the mean of what is held most
        its = held[member] == level
        number = np.bincount(group[its], minlength=count)
        some = number > 0
        middle = [np.bincount(group[its], mesh.nodes[member[its]][:, d], count) for d in range(3)]
        place[some] = np.column_stack(middle)[some] / number[some, None]
        one = some & (number == 1)
        place[group[its][one[group[its]]]] = mesh.nodes[member[its][one[group[its]]]]  # to the last bit
    return np.asarray(place[group])


def without_collapsed(mesh: Mesh, going: Array) -> Mesh:
    """The mesh without some elements, and triangles, quads and tets that have a node twice.

    A quad with one edge gone becomes a triangle.
    """
    drop, triangles, like = [going], [], []
    for name, block, span in mesh.blocks():
        if name in ("tri", "quad"):
            nodes = block.connectivity
            same = nodes == np.roll(nodes, -1, axis=1)
            its = np.flatnonzero(same.any(axis=1))
            if name == "quad":
                crossed = (nodes[:, 0] == nodes[:, 2]) | (nodes[:, 1] == nodes[:, 3])
                its = np.flatnonzero(same.any(axis=1) | crossed)
                for row in its[(same[its].sum(axis=1) == 1) & ~crossed[its]].tolist():
                    if not (going == span.start + row).any():
                        triangles.append(nodes[row][~same[row]])
                        like.append(span.start + row)
            drop.append(span.start + its)
        elif name == "tet":
            nodes = np.sort(block.connectivity, axis=1)
            drop.append(span.start + np.flatnonzero((nodes[:, 1:] == nodes[:, :-1]).any(axis=1)))
    added = np.array(triangles, np.int32).reshape(-1, 3)
    return edited(
        mesh, drop=np.unique(np.concatenate(drop)), add=Added(triangles=added, like=np.array(like, int), derived=True)
    )


def _turned(old: Mesh, new: Mesh) -> Array:
    """Elements of the new mesh of which a triangle looks away from where that of the old one looked."""
    t = new.triangulation
    row = elements_in(new, old)[t.element]
    before = np.zeros((old.n_elements, 3))
    area, normal = areas_and_normals(old.nodes[old.triangulation.triangles])
    np.add.at(before, old.triangulation.element, area[:, None] * normal)
    _, after = areas_and_normals(new.nodes[t.triangles])
    away = (np.einsum("ij,ij->i", before[row], after) < 0) & (row >= 0)
    return np.unique(t.element[away])
