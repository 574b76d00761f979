"""A region cut out of a surface, and another surface put in its place: trimmed to fit, joined node for node."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.editing.lines import brought_to
from oddseam.editing.paths import with_paths
from oddseam.errors import Refusal
from oddseam.features.small import Small
from oddseam.features.strips import either_way
from oddseam.findings.comparison import distance_to
from oddseam.findings.finding import point_of
from oddseam.findings.judging import judge_touched
from oddseam.geometry.boxtree import BoxTree
from oddseam.geometry.triangles import areas_and_normals
from oddseam.model import Creases, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import edited
from oddseam.model.held_back import held_back
from oddseam.model.loss import changed_shape
from oddseam.model.proof import worse
from oddseam.model.rings import used_nodes
from oddseam.model.splicing import extracted
from oddseam.picks import pick
from oddseam.remeshing.merging import merge

Point = tuple[float, float, float]
#: Nodes nearer to a place on the cut than this share of its edges become one with it.
_SNAP = 0.15
#: A place on the replacement this near to its rim, over the size of elements, is on that.
_ON_RIM = 1e-6


class _Cut(NamedTuple):
    """One line of the cut: nodes of the mesh in order, whether it is closed, and its places on the replacement."""

    nodes: Array
    closed: bool
    rows: Array


@recorded("splice", loss=changed_shape, judge=judge_touched)
def splice(
    mesh: Mesh, what: str, *, replacement: Mesh, within: float, keep: Point | None = None
) -> tuple[Mesh, Outcome]:
    """Cut picked elements out, and put another surface in their place.

    The border of the cut is brought to the replacement and imprinted there; what lies beyond it is trimmed off, and the
    rest is joined to the mesh node for node.

    Parameters
    ----------
    mesh : Mesh
    what : str
        A pick of tri and quad elements.
    replacement : Mesh
        A surface that covers the cut, as it lies in space; it may reach farther, or be a whole part.
    within : float
        How far the replacement may be from the border of the cut; its nodes there go to the mesh's.
    keep : (x, y, z), optional
        A point near what is to be kept of the replacement; without, the pieces that are nearer to what is cut out than
        to the rest.

    Returns
    -------
    Mesh
        Elements that were not picked keep ids and nodes to the last bit, but for those split at the border where the
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
    >>> new = oddseam.splice(panel, "box (1,1,-1) (9,9,1)", replacement=domed, within=0.1)
    >>> float(new.nodes[:, 2].max()), oddseam.prove(new).is_clean, oddseam.prove(new).rims
    (1.0, True, 1)
    """
    if not 0 < within < np.inf:
        raise Refusal(f"within {within} is no length")
    elements = pick(mesh, what)
    region = extracted(mesh, elements)
    surface = _surface_of(replacement)
    notes = [f"left out of the replacement: {count:,} {name}" for name, count in _others(replacement)]
    notes += held_back(replacement, groups=True)
    chains = _cut_lines(mesh, region, elements)
    rest = extracted(mesh, np.delete(np.arange(mesh.n_elements), elements))
    trimmed, cuts, farthest, worst_at = _trimmed(surface, mesh, chains, within)
    own, beyond = _pieces(trimmed, cuts, region, rest, keep)
    kept = extracted(trimmed, own)
    new, split = _joined(mesh, elements, region, kept, trimmed, cuts, within)
    faults = worse(new, mesh)
    left = _stranded(mesh, region, rest, chains)
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


def _stranded(mesh: Mesh, region: Mesh, rest: Mesh, chains: list[tuple[Array, bool]]) -> tuple[str, ...]:
    """What stood on the region and is not joined to what came in its place."""
    border = mesh.node_ids[np.concatenate([nodes for nodes, _ in chains])]
    own = np.setdiff1d(np.intersect1d(region.node_ids, rest.node_ids[used_nodes(rest)]), border)
    if not len(own):
        return ()
    at = point_text(mesh.nodes[IdIndex(mesh.node_ids).of(own[:1])[0][0]])
    return (
        f"what stood on {len(own):,} nodes of the cut, such as {int(own[0])} at {at}, is not joined to the replacement "
        "(`attach` joins it)",
    )


def _surface_of(replacement: Mesh) -> Mesh:
    """Its tri and quad elements."""
    its, at = [np.zeros(0, np.int64)], 0
    for name, block in replacement.elements.items():
        if name in ("tri", "quad"):
            its.append(np.arange(at, at + len(block)))
        at += len(block)
    rows = np.concatenate(its)
    if not len(rows):
        raise Refusal("the replacement has no tri or quad elements")
    return extracted(replacement, rows)


def _others(replacement: Mesh) -> list[tuple[str, int]]:
    return [(name, len(block)) for name, block in replacement.elements.items() if name not in ("tri", "quad")]


def _cut_lines(mesh: Mesh, region: Mesh, elements: Array) -> list[tuple[Array, bool]]:
    """Nodes of the mesh along the border between what is picked and the rest, and whether they go all round.

    In the direction of the picked faces.
    """
    rest = np.ones(mesh.n_elements, bool)
    rest[elements] = False
    c = mesh.connectivity
    its = rest[mesh.faces.element[c.face]] & (c.edge_of >= 0)
    shared = np.zeros(len(c.edges), bool)
    shared[c.edge_of[its]] = True
    row, _ = IdIndex(mesh.node_ids).of(region.node_ids)
    lines: list[tuple[Array, bool]] = []
    for rim in region.connectivity.rims:
        nodes = row[rim.nodes]
        after = np.roll(nodes, -1)[: len(rim.corners)]
        number = c.numbers_of(np.column_stack([nodes[: len(rim.corners)], after]))
        is_border = shared[number]
        if is_border.all() and rim.closed:
            lines.append((nodes, True))
            continue
        if rim.closed and is_border[0]:  # begin where it comes from the mesh's own rim
            begin = int(np.argmin(is_border))
            nodes, after, is_border = np.roll(nodes, -begin), np.roll(after, -begin), np.roll(is_border, -begin)
        places = np.flatnonzero(is_border)
        for run in np.split(places, np.flatnonzero(np.diff(places) > 1) + 1):
            if len(run):
                lines.append((np.append(nodes[run], after[run[-1:]]), False))
    if not lines:
        raise Refusal("what is picked has no border with the rest; delete it, and combine the meshes")
    return lines


def _trimmed(
    surface: Mesh, mesh: Mesh, chains: list[tuple[Array, bool]], within: float
) -> tuple[Mesh, list[_Cut], float, Point]:
    """The replacement with the lines of the cut imprinted, these, and how far it was from them at most and where."""
    farthest, worst_at = 0.0, (0.0, 0.0, 0.0)
    placed = []
    for nodes, _ in chains:
        points, normals, rows = brought_to(surface, mesh.nodes[nodes], None)
        away = np.linalg.norm(points - mesh.nodes[nodes], axis=1)
        k = int(np.argmax(away))
        if away[k] > within:
            what = "ends" if _on_rim(surface, points[k : k + 1])[0] else "is"
            at = point_text(mesh.nodes[nodes[k]])
            raise Refusal(
                f"the replacement {what} {away[k]:.4g} off the border of the cut at {at}; within is {within:g}"
            )
        if away[k] >= farthest:
            farthest, worst_at = float(away[k]), point_of(mesh.nodes[nodes[k]])
        placed.append((points, normals, surface.element_ids[rows], _on_rim(surface, points)))
    ids: dict[int, Array] = {}
    lines = {}
    for k, ((_, closed), (points, normals, numbers, on_rim)) in enumerate(zip(chains, placed, strict=True)):
        if on_rim.all() and closed:  # it fits as it is
            rims = [rim for rim in surface.connectivity.rims if rim.closed]
            near = [float(np.linalg.norm(surface.nodes[rim.nodes] - points[0], axis=1).min()) for rim in rims]
            ids[k] = surface.node_ids[rims[int(np.argmin(near))].nodes]
        else:
            lines[k] = points, normals, numbers, closed
    for k, path in zip(lines, with_paths(surface, list(lines.values())), strict=True):
        surface = path.mesh
        ids[k] = surface.node_ids[path.rows]
    index = IdIndex(surface.node_ids)
    cuts = [_Cut(nodes, closed, index.of(ids[k])[0]) for k, (nodes, closed) in enumerate(chains)]
    return surface, cuts, farthest, worst_at


def _on_rim(surface: Mesh, points: Array) -> Array:
    """(k,) bool: places of a surface that lie on its rim."""
    c = surface.connectivity
    if not c.is_free.any():
        return np.zeros(len(points), bool)
    ends = surface.nodes[c.edges[c.is_free]]
    size = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).mean())
    found, _ = BoxTree(ends[:, [0, 1, 1]]).closest(points)
    return np.asarray(np.linalg.norm(found - points, axis=1) <= _ON_RIM * size)


def _pieces(trimmed: Mesh, cuts: list[_Cut], region: Mesh, rest: Mesh, keep: Point | None) -> tuple[Array, int]:
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
    mesh: Mesh, elements: Array, region: Mesh, kept: Mesh, trimmed: Mesh, cuts: list[_Cut], within: float
) -> tuple[Mesh, int]:
    """The mesh with the replacement in the place of the region, and how many elements were split at its border."""
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
        mesh, drop=elements, add_nodes=kept.nodes, add_triangles=added.get("tri"), add_quads=added.get("quad"),
        like=np.concatenate(beneath), derived=True, add_creases=creases,
    )  # fmt: skip
    first = new.n_nodes - kept.n_nodes
    index, own = IdIndex(kept.node_ids), IdIndex(new.node_ids)
    things, stays = [], []
    for cut in cuts:
        chain, _ = own.of(mesh.node_ids[cut.nodes])
        row, _ = index.of(trimmed.node_ids[cut.rows])
        step = float(np.linalg.norm(np.diff(new.nodes[chain], axis=0), axis=1).mean())
        fold = either_way(new.nodes, chain, first + row, within + step, _SNAP * step, closed=cut.closed)
        if fold is None:
            at = point_text(mesh.nodes[cut.nodes[0]])
            raise Refusal(f"the border of the replacement cannot be laid on that of the cut at {at}")
        place = point_of(mesh.nodes[cut.nodes].mean(axis=0))
        things.append(Small("seam", fold.width, fold.length, place, "", np.unique(fold.ends), fold))
        stays.append(chain)
    made = merge(new, things, set(), 2.0 * within, rims=True, stays=np.concatenate(stays))
    if made.refused or len(made.turned):
        why = next(iter(made.refused.values()), f"{len(made.turned)} elements would be turned over")
        raise Refusal(f"the replacement cannot be joined to the border of the cut: {why}")
    return made.mesh, made.mesh.n_elements - new.n_elements


def _facing(mesh: Mesh, kept: Mesh, trimmed: Mesh, cuts: list[_Cut]) -> Mesh:
    """What is kept, turned over if its faces run against the first line of the cut."""
    cut = cuts[0]
    rows, _ = IdIndex(kept.node_ids).of(trimmed.node_ids[cut.rows])
    points = kept.nodes[rows]
    # the line of the replacement runs as that of the cut does, or against it
    at = [int(np.argmin(np.linalg.norm(points - mesh.nodes[node], axis=1))) for node in cut.nodes[:2]]
    forward = (at[1] - at[0]) % len(rows) <= len(rows) // 2 if cut.closed else at[1] >= at[0]
    line = rows if forward else rows[::-1]
    c = kept.connectivity
    ends = {tuple(pair) for pair in np.column_stack([kept.faces.node, kept.faces.node[c.next]]).tolist()}
    along = [(a, b) in ends for a, b in zip(line[:-1].tolist(), line[1:].tolist(), strict=True)]
    return kept if 2 * sum(along) > len(along) else edited(kept, turn=np.arange(kept.n_elements))
