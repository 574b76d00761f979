"""A picked feature, such as a rib on its foot, repeated along a vector or round an axis, each copy sewn in."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.editing.lines.imprinted_lines import brought_to
from oddseam.editing.lines.paths import with_paths
from oddseam.editing.zones.acceptance import said, worst_of
from oddseam.editing.zones.chart import unit
from oddseam.editing.zones.copying import lies_in_sheet, with_copy
from oddseam.errors import Refusal
from oddseam.features.patches.curves import trace_curves
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.geometry.tolerances import OFF_SURFACE, SAME_NODE
from oddseam.inputs import PointLike, check_count
from oddseam.model import Mesh
from oddseam.model.editing import Added, edited
from oddseam.model.loss import changed_shape
from oddseam.model.origins import new_elements
from oddseam.model.prove import worse
from oddseam.model.rings import used_nodes
from oddseam.model.splicing import extracted
from oddseam.picks import selected
from oddseam.progress import Progress, silent


@recorded(loss=changed_shape, judge=judge_touched)
def repeat(
    mesh: Mesh,
    pick: str,
    *,
    times: int,
    vector: PointLike | None = None,
    axis: PointLike | None = None,
    about: PointLike = (0.0, 0.0, 0.0),
    angle: float | None = None,
    distance: float | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Repeat picked elements along a vector or round an axis, sewn in.

    Every copy is sewn to what it stands on.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        A pick of tri and quad elements, such as ``"part rib"``.  Nodes that others use too are its foot.  Or a piece of
        a surface that goes on round it, such as a hole with its collars; its copies replace what is there.
    times : int
        How many copies.
    vector : (x, y, z), optional
        From each copy to the next.
    axis, about : (x, y, z), optional
        Direction of an axis and a point of it, to go round instead.
    angle : float, optional
        In degrees, from each copy to the next; evenly all round without, the original included.
    distance : float, optional
        How far the foot of a copy, or the border of a piece, may be off the surface, and is brought to it; a fifth of
        the size of its elements by default.
    progress : callable, optional

    Returns
    -------
    Mesh
        Copies have part and groups of the original, and new ids.  Where a foot meets nodes it takes these, else it is
        imprinted (see ``imprint``); elements elsewhere keep ids, nodes and every bit.

    Raises
    ------
    Refusal
        If a copy's foot is off the surface or cannot be imprinted, or a copy would cross or double something; it says
        which.  A copy of a piece needs ligaments round it, see ``cut``.

    Notes
    -----
    Linear in the size of the mesh for each copy.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> nodes = [(x, y, 0) for y in range(9) for x in range(9)] + [(2, y, 2) for y in range(9)]
    >>> a = np.array([9 * y + x for y in range(8) for x in range(8)])
    >>> rib = [(9 * y + 2, 9 * y + 11, 82 + y, 81 + y) for y in range(8)]
    >>> quads = np.concatenate([np.column_stack([a, a + 1, a + 10, a + 9]), rib])
    >>> block = oddseam.Elements(quads, np.arange(1, 73), np.zeros(72, np.int32))
    >>> bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm")
    >>> ribbed = oddseam.repeat(bare.replaced(elements={"quad": block}), "ids 65-72", times=2, vector=(2, 0, 0))
    >>> ribbed.n_elements, oddseam.prove(ribbed).nonmanifold_edges
    (88, 24)
    """
    check_count("copies", times)
    if distance is not None and not 0 < distance < np.inf:
        raise Refusal(f"distance {distance} is not a length")
    if (vector is None) == (axis is None):
        raise Refusal("say a vector, or an axis to go round")
    elements = selected(mesh, pick)
    others = _other_kinds(mesh, elements)
    if others:
        raise Refusal(f"only tri and quad elements can be repeated; the pick has {', '.join(others)}")
    feature = extracted(mesh, elements)
    rest = extracted(mesh, np.delete(np.arange(mesh.n_elements), elements))
    is_foot = np.isin(feature.node_ids, rest.node_ids[used_nodes(rest)])
    if lies_in_sheet(mesh, elements):
        copies = range(1, times + 1)
        its = [_transformed(feature.nodes, copy, times, vector, axis, about, angle) for copy in copies]
        return _pieces(mesh, feature, is_foot, its, distance)
    ids = feature.element_ids
    size = _mean_edge(feature)
    within = OFF_SURFACE * size if distance is None else distance
    new, moved, lines, places = mesh, 0.0, 0, []
    for copy in range(1, times + 1):
        points = _transformed(feature.nodes, copy, times, vector, axis, about, angle)
        where = f"copy {copy} of {times}, at {point_text(points.mean(axis=0))}"
        try:
            new, rows, off, count = _with_foot(new, feature, points, is_foot, size, within)
        except Refusal as refusal:
            raise Refusal(f"{where}: {refusal}") from None
        moved, lines = max(moved, off), lines + count
        index = np.empty(feature.n_nodes, np.int64)
        index[is_foot] = rows
        index[~is_foot] = new.n_nodes + np.arange(int((~is_foot).sum()))
        like = IdIndex(new.element_ids).of(ids)[0]
        triangles, quads = (
            index[feature.elements[name].connectivity] if name in feature.elements else np.zeros((0, k), np.int64)
            for name, k in (("tri", 3), ("quad", 4))
        )
        new = edited(new, add=Added(nodes=points[~is_foot], triangles=triangles, quads=quads, like=like, derived=True))
        places.append(point_of(points.mean(axis=0)))
    faults = [fault for fault in worse(new, mesh) if not fault.startswith("non-manifold")]
    if faults:
        raise Refusal(f"the copies would have faults: {'; '.join(faults)}; they cross or double something")
    steps = (
        Step("repeat", times, moved, f"copies of {len(elements):,} elements", tuple(places[:12])),
        Step("imprint", lines, 0.0, f"lines, for feet without nodes beneath them; {_worst_new(mesh, new)}"),
    )
    return new, Outcome(steps)


def _pieces(
    mesh: Mesh, feature: Mesh, beside: Array, places: list[Array], distance: float | None
) -> tuple[Mesh, Outcome]:
    """Copies of a piece of a surface, of which some nodes are ``beside`` the rest."""
    loops = [rim for rim in feature.connectivity.rims if beside[rim.nodes].any()]
    if len(loops) != 1 or not loops[0].closed or not beside[loops[0].nodes].all():
        raise Refusal("a piece of a surface needs one closed border with the rest; pick all that goes with it")
    loop = loops[0].nodes.astype(np.int64)
    new, moved, taken, middles = mesh, 0.0, 0, []
    for copy, points in enumerate(places, start=1):
        middle = points[loop].mean(axis=0)
        try:
            new, off, zone = with_copy(new, feature, loop, points, distance)
        except Refusal as refusal:
            raise Refusal(f"copy {copy} of {len(places)}, at {point_text(middle)}: {refusal}") from None
        moved, taken = max(moved, off), taken + len(zone.elements)
        middles.append(point_of(middle))
    what = f"copies of {feature.n_elements:,} elements of the surface"
    steps = (
        Step("repeat", len(places), moved, what, tuple(middles[:12])),
        Step("take out", taken, 0.0, f"elements, and others put round the copies; {_worst_new(mesh, new)}"),
    )
    return new, Outcome(steps)


def _worst_new(mesh: Mesh, new: Mesh) -> str:
    """The worst of all there was, and of what is new."""
    worst = worst_of(mesh, np.arange(mesh.n_elements)), worst_of(new, new_elements(new, mesh))
    return f"worst before: {said(worst[0])}, worst new: {said(worst[1])}"


def _other_kinds(mesh: Mesh, elements: Array) -> list[str]:
    found = []
    for name, _, span in mesh.blocks():
        count = int(((elements >= span.start) & (elements < span.stop)).sum())
        if count and name not in ("tri", "quad"):
            found.append(f"{count:,} {name}")
    return found


def _mean_edge(mesh: Mesh) -> float:
    ends = mesh.nodes[mesh.connectivity.edges]
    return float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).mean())


def _transformed(
    points: Array,
    copy: int,
    times: int,
    vector: PointLike | None,
    axis: PointLike | None,
    about: PointLike,
    angle: float | None,
) -> Array:
    """Where points of the original are in a copy."""
    if vector is not None:
        return np.asarray(points + copy * np.array(vector, float))
    assert axis is not None
    k = unit(axis, "axis")
    turn = np.radians(copy * (360.0 / (times + 1) if angle is None else angle))
    arm = points - np.array(about, float)
    along = np.outer(arm @ k, k)
    return np.asarray(about + along + np.cos(turn) * (arm - along) + np.sin(turn) * np.cross(k, arm))


def _with_foot(
    mesh: Mesh, feature: Mesh, points: Array, is_foot: Array, size: float, within: float
) -> tuple[Mesh, Array, float, int]:
    """The mesh with nodes for the foot of a copy, these, how far it was off the surface, and how many lines it took."""
    rows = np.flatnonzero(is_foot)
    if not len(rows):
        return mesh, rows, 0.0, 0
    near = _nearest_nodes(mesh, points[rows])
    away = np.linalg.norm(mesh.nodes[near] - points[rows], axis=1)
    if (away <= SAME_NODE * size).all():
        return mesh, near, float(away.max()), 0
    placed, normals, elements = brought_to(mesh, points[rows], None)
    ids = mesh.element_ids[elements]
    off = np.linalg.norm(placed - points[rows], axis=1)
    if off.max() > within:
        k = int(np.argmax(off))
        at = point_text(points[rows[k]])
        raise Refusal(
            f"its foot is {off[k]:.4g} off the surface at {at}, more than the distance of {within:.4g}; is the pick "
            "the whole of the feature?"
        )
    same = away <= SAME_NODE * size
    placed[same] = mesh.nodes[near[same]]
    number = np.full(feature.n_nodes, -1)
    number[rows] = np.arange(len(rows))
    edges = feature.connectivity.edges[feature.connectivity.is_free]
    edges = number[edges[is_foot[edges].all(axis=1)]].astype(np.int64)
    curves = trace_curves(placed, edges, np.zeros(len(rows), bool))
    lines = [curves.node[i:j] for i, j in zip(curves.first[:-1], curves.first[1:], strict=True)]
    its = []
    for curve in lines:
        closed = bool(curve[0] == curve[-1])
        line = curve[:-1] if closed else curve
        its.append((placed[line], normals[line], ids[line], closed))
    for made, (line, *_) in zip(with_paths(mesh, its), its, strict=True):
        if len(made.rows) > len(line):
            raise Refusal(f"its foot crosses a sharp edge near {point_text(line[0])} without a node on that")
        mesh = made.mesh
    found = _nearest_nodes(mesh, placed)
    return mesh, found, float(off.max()), len(lines)


def _nearest_nodes(mesh: Mesh, points: Array) -> Array:
    """(k,) the node nearest to each point."""
    return np.array([int(np.argmin(np.linalg.norm(mesh.nodes - point, axis=1))) for point in points], np.int64)
