"""A free edge attached to a face beside it: a T-joint."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.editing.lines.paths import with_path
from oddseam.editing.lines.seams import run_near
from oddseam.editing.zones.acceptance import said, worst_taken
from oddseam.errors import Refusal
from oddseam.features.edges.strips import Fold, either_way
from oddseam.features.patches.small import Small
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.geometry.tolerances import SNAP
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import unit_normals
from oddseam.inputs import PointLike, check_share
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.loss import kept_shape
from oddseam.model.origins import nodes_in
from oddseam.model.prove import worse
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.merging import merge


@recorded(loss=kept_shape, judge=judge_touched)
def attach(
    mesh: Mesh, *, near: PointLike, distance: float, snap: float | None = None, progress: Progress = silent
) -> tuple[Mesh, Outcome]:
    """Attach a free edge to the face beside it, as a T-joint.

    The face gets nodes and edges along it.

    Parameters
    ----------
    mesh : Mesh
    near : (x, y, z)
        The rim with the node nearest to this point; its run of nodes that are within reach of another face.
    distance : float
        How far the nodes of the edge may be from the face, and go to it.
    snap : float, optional
        A node of the edge this near to one of the face, over the length of edges there, goes to that; 0.15 by
        default.
    progress : callable, optional

    Returns
    -------
    Mesh
        The face is where it was; elements away from the joint keep ids, nodes and every bit.

    Raises
    ------
    Refusal
        If there is no face near, it is no run of two nodes at least, the line cannot be imprinted (see ``imprint``), or
        facets would cross.

    Notes
    -----
    See ``imprint`` for the method.  Where the line needs more nodes than the edge has, as on creases of the face, the
    edge is split.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> nodes = [(x, y, 0) for y in range(9) for x in range(9)] + [(3.4, y, z) for z in (0.1, 2) for y in range(1, 8)]
    >>> a = np.array([9 * y + x for y in range(8) for x in range(8)])
    >>> rib = [(81 + y, 82 + y, 89 + y, 88 + y) for y in range(6)]
    >>> quads = np.concatenate([np.column_stack([a, a + 1, a + 10, a + 9]), rib])
    >>> block = oddseam.Elements(quads, np.arange(1, 71), np.zeros(70, np.int32))
    >>> bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm")
    >>> joined = oddseam.attach(bare.replaced(elements={"quad": block}), near=(3.4, 4, 0), distance=0.2)
    >>> oddseam.prove(joined).nonmanifold_edges, joined.connectivity.n_pieces
    (6, 1)
    """
    if not 0 < distance < np.inf:
        raise Refusal(f"distance {distance} is not a length")
    snap = SNAP if snap is None else snap
    check_share("snap", snap)
    run, closed, placed, normals, elements = _run_on_face(mesh, np.array(near, float), distance, snap)
    at = point_text(mesh.nodes[run].mean(axis=0))
    made, chain, zones, worst = with_path(mesh, placed, normals, mesh.element_ids[elements], closed=closed)
    row = nodes_in(mesh, made)[run]
    if (row < 0).any():
        raise Refusal(f"the edge at {at} belongs to what would be meshed anew; is it on the face already?")
    steps = np.linalg.norm(np.diff(made.nodes[chain], axis=0), axis=1)
    most, snap = 2.0 * distance + float(steps.max()), 0.5 * float(steps.min())
    fold = either_way(made.nodes, chain, row, most, snap, closed=closed)
    if fold is None:
        raise Refusal(f"the edge at {at} cannot be laid on the line imprinted for it")
    move = _farthest(made.nodes, fold)
    if move > distance:
        raise Refusal(f"a node of the edge at {at} would go {move:.4g} to the line on the face, more than {distance:g}")
    place = point_of(mesh.nodes[run].mean(axis=0))
    thing = Small("joint", fold.width, fold.length, place, "", np.unique(fold.ends), fold)
    joined = merge(made, [thing], set(), 2.0 * distance, rims=True, stays=chain)
    if joined.refused:
        raise Refusal(f"the edge at {at} cannot be attached: {joined.refused[0]}")
    faults = [fault for fault in worse(joined.mesh, mesh) if not fault.startswith("non-manifold")]
    if faults or len(joined.turned):
        why = "; ".join(faults) or f"{len(joined.turned)} elements would be turned over"
        raise Refusal(f"the edge at {at} cannot be attached: {why}")
    taken = sum(len(zone.elements) for zone in zones)
    fresh = made.n_elements - mesh.n_elements + taken
    done = (
        Step("attach", len(chain), move, "nodes of the joint", (place,)),
        Step("take out", taken, 0.0, f"elements of the face, worst: {said(worst_taken(zones))}"),
        Step("mesh anew", fresh, 0.0, f"elements, worst: {said(worst)}"),
    )
    return joined.mesh, Outcome(done)


def _farthest(points: Array, fold: Fold) -> float:
    """How far the node of the second side that goes farthest is from its place on the first."""
    is_node = fold.ends[:, 1, 0] == fold.ends[:, 1, 1]
    ends, share = fold.ends[is_node, 0], fold.share[is_node, 0, None]
    place = points[ends[:, 0]] * (1 - share) + points[ends[:, 1]] * share
    return float(np.linalg.norm(place - points[fold.ends[is_node, 1, 0]], axis=1).max())


def _run_on_face(mesh: Mesh, near: Array, distance: float, snap: float) -> tuple[Array, bool, Array, Array, Array]:
    """Nodes of a rim near to another face, whether all round; their places on it, its normals and elements there."""
    c = mesh.connectivity
    if not c.n_rims:
        raise Refusal("the mesh has no free edge")
    rim = min(c.rims, key=lambda rim: float(np.linalg.norm(mesh.nodes[rim.nodes] - near, axis=1).min()))
    one, two = c.face[c.pairs].T
    label = label_components(len(mesh.faces), one, two)[1]
    of_element = np.full(mesh.n_elements, -1)
    of_element[mesh.faces.element] = label
    t = mesh.triangulation
    own = label[c.face[rim.corners[0]]]
    others = np.flatnonzero(of_element[t.element] != own)
    if not len(others):
        raise Refusal(f"there is no face beside the one that the edge at {point_text(near)} is of")
    nodes = rim.nodes.astype(np.int64)
    tree = BoxTree(mesh.nodes[t.triangles[others]])
    placed, found = tree.closest(mesh.nodes[nodes])
    rows = others[tree.order[found]]
    away = np.linalg.norm(placed - mesh.nodes[nodes], axis=1)
    k = int(np.argmin(np.linalg.norm(mesh.nodes[nodes] - near, axis=1)))
    if away[k] > distance:
        raise Refusal(
            f"the edge is {away[k]:.4g} away from the nearest face at {point_text(mesh.nodes[nodes[k]])}, more than "
            f"the distance of {distance:g}"
        )
    its = run_near(away <= distance, k, rim.closed)
    if len(its) < 2:
        raise Refusal(f"only one node of the edge at {point_text(mesh.nodes[nodes[k]])} lies within {distance:g}")
    placed, rows = _snapped(mesh, nodes[its], placed[its], rows[its], distance, snap)
    closed = rim.closed and len(its) == len(nodes)
    return nodes[its], closed, placed, unit_normals(mesh.nodes[t.triangles[rows]]), t.element[rows]


def _snapped(mesh: Mesh, nodes: Array, placed: Array, rows: Array, distance: float, snap: float) -> tuple[Array, Array]:
    """Places on triangles, those near to a corner at that, unless two would come to one or a node would go too far."""
    corners = mesh.nodes[mesh.triangulation.triangles[rows]]
    size = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).mean(axis=1)
    away = np.linalg.norm(corners - placed[:, None], axis=2)
    nearest = np.argmin(away, axis=1)
    k = np.arange(len(placed))
    at = corners[k, nearest]
    _, which, count = np.unique(at, axis=0, return_inverse=True, return_counts=True)
    reach = np.linalg.norm(at - mesh.nodes[nodes], axis=1) <= distance
    near = (away[k, nearest] <= snap * size) & (count[which.ravel()] == 1) & reach
    return np.where(near[:, None], at, placed), rows
