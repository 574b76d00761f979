"""A region cut out of a surface, and another surface put in its place: trimmed to fit, joined node for node."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, Point, point_text
from oddseam.editing.lines.cut_lines import Cut, Line, cut_lines, laid_on
from oddseam.errors import Refusal
from oddseam.features.edges.strips import Fold, either_way
from oddseam.features.patches.small import Small
from oddseam.findings.classes.distances import distance_to
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.geometry.edge_keys import arc_keys
from oddseam.geometry.tolerances import SNAP
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import areas_and_normals
from oddseam.inputs import PointLike, check_share
from oddseam.model import Creases, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import Added, edited
from oddseam.model.held_back import held_back
from oddseam.model.loss import changed_shape
from oddseam.model.origins import nodes_in
from oddseam.model.prove import worse
from oddseam.model.rings import used_nodes
from oddseam.model.splicing import extracted
from oddseam.picks import selected
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.merging import merge


class _Reach(NamedTuple):
    """How far the replacement may be from the border, and which share of an edge two nodes may be apart to be one."""

    distance: float
    snap: float


@recorded(loss=changed_shape, judge=judge_touched)
def splice(
    mesh: Mesh,
    pick: str,
    replacement: Mesh,
    *,
    distance: float,
    keep: PointLike | None = None,
    snap: float | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Cut picked elements out, and put another surface in their place.

    The border of the cut is brought to the replacement and imprinted there; what lies beyond it is trimmed off, and the
    rest is joined to the mesh node for node.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        A pick of tri and quad elements.
    replacement : Mesh
        A surface that covers the cut, as it lies in space; it may reach farther, or be a whole part.
    distance : float
        How far the replacement may be from the border of the cut; its nodes there go to the mesh's.
    keep : (x, y, z), optional
        A point near what is to be kept of the replacement; without, the pieces that are nearer to what is cut out than
        to the rest.
    snap : float, optional
        A node of the replacement this near to one of the border, over the length of edges there, becomes one with
        it; 0.15 by default.
    progress : callable, optional

    Returns
    -------
    Mesh
        Elements that were not picked keep ids and nodes to the last bit, except for those split at the border where the
        replacement has a sharp edge between two nodes.  New elements have part and groups of what lay there.  The
        account says how far old and new are apart, at the border and elsewhere, and where.

    Raises
    ------
    Refusal
        If the replacement does not cover the cut, is too far from its border, or would cross the rest.

    Notes
    -----
    See ``imprint`` for the method; about linear in the size of both meshes.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners = np.concatenate([np.column_stack([a, a + 1, a + 12]), np.column_stack([a, a + 12, a + 11])])
    >>> panel = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), corners, unit="mm")
    >>> domed = panel.replaced(nodes=np.column_stack([x, y, np.maximum(0, 1 - 0.1 * np.hypot(x - 5, y - 5) ** 2)]))
    >>> new = oddseam.splice(panel, "box (1,1,-1) (9,9,1)", replacement=domed, distance=0.1)
    >>> float(new.nodes[:, 2].max()), oddseam.prove(new).is_clean, oddseam.prove(new).rims
    (1.0, True, 1)
    """
    if not 0 < distance < np.inf:
        raise Refusal(f"distance {distance} is not a length")
    snap = SNAP if snap is None else snap
    check_share("snap", snap)
    reach = _Reach(distance, snap)
    elements = selected(mesh, pick)
    region = extracted(mesh, elements)
    surface = _surface_of(replacement)
    notes = [f"left out of the replacement: {count:,} {name}" for name, count in _others(replacement)]
    notes += held_back(replacement, groups=True)
    lines = cut_lines(mesh, region, elements)
    rest = extracted(mesh, np.delete(np.arange(mesh.n_elements), elements))
    trimmed, cuts, farthest, worst_at = laid_on(surface, mesh, lines, distance, snap)
    own, beyond = _pieces(trimmed, cuts, region, rest, keep)
    kept = extracted(trimmed, own)
    standing = _standing(mesh, region, rest, lines)
    is_met, at = _met(mesh, standing, kept, reach)
    new, split = _joined(mesh, elements, region, kept, trimmed, cuts, reach, (standing[is_met], at[is_met]))
    faults = worse(new, mesh)
    left = _stranded(mesh, standing[~is_met])
    place = point_of(region.nodes.mean(axis=0))
    if faults:
        raise Refusal(f"with the replacement at {point_text(place)} there would be faults: {'; '.join(faults)}")
    away, back = _farthest(region, kept), _farthest(kept, region)
    steps = (
        Step("compare the border", sum(len(cut.nodes) for cut in cuts), farthest,
             f"nodes of the cut, up to {farthest:.4g} off the replacement", (worst_at,)),
        Step("compare the surfaces", len(elements), 0.0, f"elements, up to {away[0]:.4g} off the replacement, "
             f"which is up to {back[0]:.4g} off them", (away[1], back[1])),
        Step("cut out", len(elements), 0.0, "elements", (place,)),
        Step("trim", beyond, 0.0, "elements of the replacement beyond the border"),
        Step("put in", kept.n_elements, 0.0, "elements"),
        Step("split", split, 0.0, "more elements at the border, where the replacement has sharp edges"),
    )  # fmt: skip
    return new, Outcome(steps, tuple(notes), left)


def _standing(mesh: Mesh, region: Mesh, rest: Mesh, lines: list[Line]) -> Array:
    """Nodes of the mesh within the cut, not on its border, on which something else stands."""
    border = mesh.node_ids[np.concatenate([nodes for nodes, _ in lines])]
    own = np.setdiff1d(np.intersect1d(region.node_ids, rest.node_ids[used_nodes(rest)]), border)
    return IdIndex(mesh.node_ids).of(own)[0]


def _met(mesh: Mesh, nodes: Array, kept: Mesh, reach: _Reach) -> tuple[Array, Array]:
    """Which of some nodes the replacement has a node at, and that."""
    from scipy.spatial import cKDTree

    t = kept.triangulation.triangles
    if not len(nodes):
        return np.zeros(0, bool), nodes
    used = np.unique(t)
    step = float(np.linalg.norm(kept.nodes[t[:, 0]] - kept.nodes[t[:, 1]], axis=1).mean())
    away, row = cKDTree(kept.nodes[used]).query(mesh.nodes[nodes])
    _, which, count = np.unique(row, return_inverse=True, return_counts=True)
    return (away <= min(reach.distance, reach.snap * step)) & (count[which] == 1), used[row]


def _stranded(mesh: Mesh, nodes: Array) -> tuple[str, ...]:
    """What stood on the region and is not joined to what came in its place."""
    if not len(nodes):
        return ()
    return (
        f"what stood on {len(nodes):,} nodes of the cut, such as {int(mesh.node_ids[nodes[0]])} at "
        f"{point_text(mesh.nodes[nodes[0]])}, is not joined to the replacement (`attach` joins it)",
    )


def _surface_of(replacement: Mesh) -> Mesh:
    """Its tri and quad elements."""
    its = [np.zeros(0, np.int64)]
    for name, _, span in replacement.blocks():
        if name in ("tri", "quad"):
            its.append(np.arange(span.start, span.stop))
    rows = np.concatenate(its)
    if not len(rows):
        raise Refusal("the replacement has no tri or quad elements")
    return extracted(replacement, rows)


def _others(replacement: Mesh) -> list[tuple[str, int]]:
    return [(name, len(block)) for name, block in replacement.elements.items() if name not in ("tri", "quad")]


def _pieces(trimmed: Mesh, cuts: list[Cut], region: Mesh, rest: Mesh, keep: PointLike | None) -> tuple[Array, int]:
    """Elements of the replacement that are kept, and the number of those that are not."""
    c = trimmed.connectivity
    is_cut = np.zeros(len(c.edges), bool)
    for cut in cuts:
        ends = np.column_stack([cut.rows, np.roll(cut.rows, -1)])[: None if cut.closed else -1]
        numbers = c.numbers_of(ends)
        is_cut[numbers[numbers >= 0]] = True
    open_ = ~is_cut[c.pair_edges]
    element = trimmed.faces.element[c.face]
    one, two = element[c.pairs[open_]].T
    count, label = label_components(trimmed.n_elements, one, two)
    across = element[c.pairs[~open_]]
    same = label[across[:, 0]] == label[across[:, 1]]
    if same.any():
        at = point_text(trimmed.nodes[c.edges[c.pair_edges[~open_][same][0]]].mean(axis=0))
        raise Refusal(
            f"the border of the cut does not divide the replacement at {at}, which goes on beyond the free edges where "
            "that ends; trim it there first"
        )
    t = trimmed.triangulation
    middles = trimmed.nodes[t.triangles].mean(axis=1)
    if keep is not None:
        near = int(np.argmin(np.linalg.norm(middles - np.array(keep, float), axis=1)))
        chosen = label == label[t.element[near]]
    else:
        area, _ = areas_and_normals(trimmed.nodes[t.triangles])
        away = [np.bincount(label[t.element], area * distance_to(middles, mesh), count) for mesh in (region, rest)]
        chosen = (away[0] < away[1])[label]
    if not chosen.any():
        raise Refusal(
            "no piece of the replacement is nearer to what is picked than to the rest; say `keep`, a point of it"
        )
    touched = np.zeros(trimmed.n_nodes, bool)
    touched[t.triangles[chosen[t.element]]] = True
    for cut in cuts:
        if not touched[cut.rows].all():
            at = point_text(trimmed.nodes[cut.rows[~touched[cut.rows]][0]])
            raise Refusal(f"what is kept of the replacement does not reach the border of the cut at {at}")
    rows = np.flatnonzero(chosen)
    return rows, trimmed.n_elements - len(rows)


def _farthest(one: Mesh, two: Mesh) -> tuple[float, Point]:
    """How far nodes and middles of a surface are from another one at most, and where."""
    t = one.triangulation.triangles
    points = np.concatenate([one.nodes[np.unique(t)], one.nodes[t].mean(axis=1)])
    away = distance_to(points, two)
    k = int(np.argmax(away))
    return float(away[k]), point_of(points[k])


def _joined(
    mesh: Mesh,
    elements: Array,
    region: Mesh,
    kept: Mesh,
    trimmed: Mesh,
    cuts: list[Cut],
    reach: _Reach,
    met: tuple[Array, Array],
) -> tuple[Mesh, int]:
    """The mesh with the replacement in the place of the region, and how many elements were split at its border.

    ``met`` are nodes of the mesh within the cut on which something stands, and those of the replacement there.
    """
    kept = _facing(mesh, kept, trimmed, cuts)
    t = region.triangulation
    tree = BoxTree(region.nodes[t.triangles])
    blocks = {name: kept.elements[name].connectivity for name in ("tri", "quad") if name in kept.elements}
    middles = [kept.nodes[its].mean(axis=1) for its in blocks.values()]
    beneath = [elements[t.element[tree.order[tree.closest(points)[1]]]] for points in middles]
    creases = None
    if kept.creases is not None:
        creases = Creases(kept.creases.edges + mesh.n_nodes, kept.creases.kind)
    added = {name: its.astype(np.int64) + mesh.n_nodes for name, its in blocks.items()}
    new = edited(
        mesh,
        drop=elements,
        add=Added(
            nodes=kept.nodes,
            triangles=added.get("tri"),
            quads=added.get("quad"),
            like=np.concatenate(beneath),
            derived=True,
            creases=creases,
        ),
    )
    first = new.n_nodes - kept.n_nodes
    kept_row, own = nodes_in(trimmed, kept), nodes_in(mesh, new)
    folds = []
    for cut in cuts:
        chain, row = own[cut.nodes], kept_row[cut.rows]
        step = float(np.linalg.norm(np.diff(new.nodes[chain], axis=0), axis=1).mean())
        fold = either_way(new.nodes, chain, first + row, reach.distance + step, reach.snap * step, closed=cut.closed)
        if fold is None:
            at = point_text(mesh.nodes[cut.nodes[0]])
            raise Refusal(f"the border of the replacement cannot be laid on that of the cut at {at}")
        folds.append(fold)
    stays = own[np.concatenate([*(cut.nodes for cut in cuts), met[0]])]
    feet = np.column_stack([own[met[0]], first + met[1]]).astype(np.int64)
    whole = Fold(
        np.concatenate([*(fold.ends for fold in folds), np.repeat(feet[:, :, None], 2, axis=2)]),
        np.concatenate([*(fold.share for fold in folds), np.zeros(feet.shape)]),
        max(fold.width for fold in folds), sum(fold.length for fold in folds),
    )  # fmt: skip
    place = point_of(mesh.nodes[cuts[0].nodes].mean(axis=0))
    seam = Small("seam", whole.width, whole.length, place, "", np.unique(whole.ends), whole)
    made = merge(new, [seam], set(), 2.0 * reach.distance, rims=True, stays=stays, goes=np.arange(first, new.n_nodes))
    if made.refused or len(made.turned):
        why = next(iter(made.refused.values()), f"{len(made.turned)} elements would be turned over")
        raise Refusal(f"the replacement cannot be joined to the border of the cut: {why}")
    return made.mesh, made.mesh.n_elements - new.n_elements


def _facing(mesh: Mesh, kept: Mesh, trimmed: Mesh, cuts: list[Cut]) -> Mesh:
    """What is kept, its sheets turned over whose faces run against the lines of the cut."""
    c, kept_row = kept.connectivity, nodes_in(trimmed, kept)
    element = kept.faces.element[c.face]
    label = label_components(kept.n_elements, *element[c.pairs].T)[1]
    along = np.column_stack([kept.faces.node, kept.faces.node[c.next]]).astype(np.int64)
    key = arc_keys(along, kept.n_nodes)
    votes = np.zeros(int(label.max(initial=-1)) + 1)
    for cut in cuts:
        rows = kept_row[cut.rows]
        points = kept.nodes[rows]
        # the line of the replacement runs as that of the cut does, or against it
        at = [int(np.argmin(np.linalg.norm(points - mesh.nodes[node], axis=1))) for node in cut.nodes[:2]]
        forward = (at[1] - at[0]) % len(rows) <= len(rows) // 2 if cut.closed else at[1] >= at[0]
        line = rows if forward else rows[::-1]
        arcs = np.column_stack([line[:-1], line[1:]])
        for ends, vote in ((arcs, 1.0), (arcs[:, ::-1], -1.0)):
            np.add.at(votes, label[element[np.isin(key, arc_keys(ends, kept.n_nodes))]], vote)
    against = np.flatnonzero(votes[label] < 0)
    return edited(kept, turn=against) if len(against) else kept
