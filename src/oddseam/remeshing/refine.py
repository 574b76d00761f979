"""Refining picked elements; those beside them are split so that the mesh stays conforming."""

from __future__ import annotations

import dataclasses
from typing import Literal

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.findings.judged.judging import judged
from oddseam.findings.judged.limits import LimitsLike, limits_with
from oddseam.geometry.edge_keys import edges_among
from oddseam.inputs import check_count
from oddseam.model import KINDS, Creases, Groups, Mesh
from oddseam.model.descent import with_sides_of_pieces
from oddseam.model.editing import Added, edited
from oddseam.model.loss import changed_triangles, half_edges, measure_loss
from oddseam.model.origins import elements_in
from oddseam.model.prove import worse
from oddseam.picks import selected
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.splitting import Pieces, split, with_longest
from oddseam.remeshing.surfaces.round_surfaces import surfaces_of_patches

#: Halvings at most to come down to a size, and at most that are asked for: each makes four elements of one.
_MOST, _MOST_TIMES = 30, 12


@recorded()
def refine(
    mesh: Mesh,
    pick: str,
    *,
    times: int | None = None,
    size: float | None = None,
    surface: Literal["recognised", "facets"] = "recognised",
    limits: LimitsLike | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Split the elements of a pick; those beside it are split to fit.

    Every edge of a picked element is halved; a triangle beside it is halved at its longest edge first, so
    that no angle gets smaller than half of the smallest there was, however often it is done.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        A pick, see ``pick``; its tri and quad elements are refined.
    times : int, optional
        How often; once by default.
    size : float, optional
        Instead of ``times``: until no edge of what was picked is longer.
    surface : str
        Where new nodes are put: ``"recognised"``, on the surface that a patch was recognised as, elsewhere on the
        facets; or ``"facets"``, on these everywhere.
    limits : Limits or mapping of str to float, optional
        Limits of quality that count instead of the usual ones of ``Limits``, such as
        ``{"minimum_angle": 5}``; what is beyond is unmet.
    progress : callable, optional

    Returns
    -------
    Mesh
        Parts, patches, element groups, side groups and creases follow; a node group gets the node between two of
        its members that an edge joins.  New ids lie above the highest.

    Raises
    ------
    Refusal
        If a line, a solid or a quadratic element uses an edge that would be split.
    PickError
        If the pick cannot be understood, or selects nothing.

    Notes
    -----
    Linear in the size of the mesh for each time.  M. C. Rivara (1984), Algorithms for refining triangular
    grids suitable for adaptive and multigrid techniques.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> fine = oddseam.refine(corner, "near (0.6, 0.6, 0.6)")
    >>> fine.n_elements, oddseam.prove(fine).is_closed
    (10, True)
    """
    held = limits_with(limits)
    if times is not None and size is not None:
        raise Refusal("say times or size, not both")
    if size is not None and not 0 < size < np.inf:
        raise Refusal(f"size {size} is not positive")
    if times is not None:
        check_count("times", times, most=_MOST_TIMES)
    picked = np.zeros(mesh.n_elements, bool)
    picked[selected(mesh, pick)] = True
    if not picked[mesh.faces.element].any():
        raise Refusal(f"pick {pick!r} selects no tri or quad elements; only these can be refined")
    new, steps = mesh, []
    for number in range(_MOST if size is not None else times or 1):
        marked = _edges_of(new, picked, size)
        if not marked.any():
            break
        count = new.n_elements
        new, picked, far = _refined(new, picked, marked, surface == "facets")
        detail = "edges, " + ("chords of the old surface" if far == 0 else "middles moved to recognised surfaces")
        steps.append(Step(f"halve ({number + 1})", int(marked.sum()), far, detail))
        steps.append(Step("split", new.n_elements - count, 0.0, "more elements"))
    unmet = [f"{fault} after refining" for fault in worse(new, mesh)]
    step, poor = judged(new, new.triangulation.element[changed_triangles(mesh, new)[1]], held)
    outcome = Outcome((*steps, step), (), (*unmet, *poor))
    return new, outcome.with_loss(measure_loss(mesh, new, half_edges(mesh)))


def _edges_of(mesh: Mesh, picked: Array, size: float | None) -> Array:
    """(e,) bool: edges of picked elements, those longer than a size if there is one."""
    c = mesh.connectivity
    marked = np.zeros(len(c.edges), bool)
    corner = np.flatnonzero(picked[mesh.faces.element][c.face] & (c.edge_of >= 0))
    marked[c.edge_of[corner]] = True
    if size is not None:
        ends = mesh.nodes[c.edges]
        marked &= np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) > size
    return marked


def _refined(mesh: Mesh, picked: Array, marked: Array, facets: bool) -> tuple[Mesh, Array, float]:
    """Split once; which elements are picked then, and how far a new node went from the middle of its edge."""
    c, faces = mesh.connectivity, mesh.faces
    ends = mesh.nodes[c.edges]
    rank = np.empty(len(c.edges), np.int64)
    rank[np.argsort(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1), kind="stable")] = np.arange(len(rank))
    edges = {k: c.edge_of[rows] for k, rows in ((k, _corners(faces.first, k)) for k in (3, 4))}
    marked = with_longest(edges[3][(edges[3] >= 0).all(axis=1)], marked, rank)
    _check_others(mesh, marked)

    middle = np.full(len(c.edges) + 1, -1)
    middle[np.flatnonzero(marked)] = mesh.n_nodes + np.arange(int(marked.sum()))
    points = [0.5 * (ends[marked, 0] + ends[marked, 1])]
    row_of = {k: np.flatnonzero(np.diff(faces.first) == k) for k in (3, 4)}
    whole = np.flatnonzero((middle[edges[4]] >= 0).all(axis=1))
    centre = np.full(len(edges[4]), -1)
    centre[whole] = mesh.n_nodes + len(points[0]) + np.arange(len(whole))
    points.append(mesh.nodes[faces.node[_corners(faces.first, 4)[whole]]].mean(axis=1))
    added = np.concatenate(points)
    far = 0.0
    if not facets and mesh.patches is not None:
        far = _put_on_surfaces(mesh, added, np.flatnonzero(marked), row_of[4][whole])
    nodes = np.concatenate([mesh.nodes, added])

    pieces: dict[int, list[Pieces]] = {3: [], 4: []}
    for k in (3, 4):
        touched = np.flatnonzero((middle[edges[k]] >= 0).any(axis=1))
        corners = faces.node[_corners(faces.first, k)[touched]]
        its_centre = centre[touched] if k == 4 else np.full(len(touched), -1)
        element = faces.element[row_of[k][touched]]
        for its in split(nodes, corners, middle[edges[k][touched]], its_centre, rank[edges[k][touched]]):
            pieces[its.nodes.shape[1]].append(its._replace(row=element[its.row]))
    tri, quad = (Pieces(*(np.concatenate(columns) for columns in zip(*pieces[k], strict=True))) for k in (3, 4))
    like = np.concatenate([tri.row, quad.row])
    bare = mesh.replaced(groups=Groups(elements=mesh.groups.elements))
    new = edited(
        bare,
        drop=np.unique(like),
        add=Added(nodes=added, triangles=tri.nodes, quads=quad.nodes, like=like, derived=True),
    )
    made = {"tri": tri, "quad": quad}
    row = elements_in(new, mesh)
    row[row < 0] = like
    now = picked[row]
    middles = np.full((len(added), 2), -1)
    middles[: int(marked.sum())] = c.edges[marked]
    groups = Groups(_node_groups(mesh, middle), new.groups.elements)
    new = dataclasses.replace(new, groups=groups, creases=_creases(mesh, middle))
    return with_sides_of_pieces(mesh, new, {name: whose.row for name, whose in made.items()}, middles), now, far


def _corners(first: Array, k: int) -> Array:
    """(m, k) corners of the faces with k of them."""
    at = first[:-1][np.diff(first) == k]
    return np.asarray(at[:, None] + np.arange(k))


def _check_others(mesh: Mesh, marked: Array) -> None:
    """Refuse edges that elements use which cannot be split here."""
    split = mesh.connectivity.edges[marked]
    for name, block in mesh.elements.items():
        if name in ("tri", "quad"):
            continue
        for a, b in KINDS[name].edges:
            ends = block.connectivity[:, [a, b]]
            hit = np.flatnonzero(edges_among(ends, split, mesh.n_nodes))
            if len(hit):
                raise Refusal(
                    f"{name} element {block.ids[hit[0]]} and {len(hit) - 1} others use edges that would be split, at "
                    f"{point_text(mesh.nodes[ends[hit[0]]].mean(axis=0))}; pick elements farther away from them"
                )


def _put_on_surfaces(mesh: Mesh, added: Array, edges: Array, quads: Array) -> float:
    """Put the middles of edges, and then those of quads, on the recognised surfaces they lie between or on."""
    onto = surfaces_of_patches(mesh)
    if onto is None or mesh.patches is None:
        return 0.0
    c, faces = mesh.connectivity, mesh.faces
    label = mesh.patches.label[faces.element]
    one, two = np.full(len(c.edges), len(mesh.patches.table)), np.full(len(c.edges), -1)
    corner = np.flatnonzero(c.edge_of >= 0)
    np.minimum.at(one, c.edge_of[corner], label[c.face[corner]])
    np.maximum.at(two, c.edge_of[corner], label[c.face[corner]])
    moved = onto.met(added, np.concatenate([one[edges], label[quads]]), np.concatenate([two[edges], label[quads]]))
    far = float(np.linalg.norm(moved - added, axis=1).max(initial=0.0))
    added[:] = moved
    return far


def _node_groups(mesh: Mesh, middle: Array) -> dict[str, Array]:
    """Node groups, with the nodes between two of their members."""
    groups = {}
    for name, members in mesh.groups.nodes.items():
        inside = np.zeros(mesh.n_nodes, bool)
        inside[members] = True
        between = middle[:-1][inside[mesh.connectivity.edges].all(axis=1)]
        groups[name] = np.concatenate([members, between[between >= 0]])
    return groups


def _creases(mesh: Mesh, middle: Array) -> Creases | None:
    """Creases, those along split edges in halves."""
    if mesh.creases is None:
        return None
    its = mesh.creases.edges
    at = mesh.connectivity.numbers_of(its)
    half = np.where(at >= 0, middle[at], -1)
    cut = half >= 0
    kind = mesh.creases.kind
    halves = [np.column_stack([its[cut, k], half[cut]]) for k in (0, 1)]
    return Creases(
        np.concatenate([its[~cut], *halves]).astype(np.int32), np.concatenate([kind[~cut], kind[cut], kind[cut]])
    )
