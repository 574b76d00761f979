"""A picked region lifted out of the surface or sunk into it, with a wall round it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.editing.openings.profile import wall_profile
from oddseam.editing.zones.acceptance import said, worst_of
from oddseam.editing.zones.chart import Chart, unit
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.geometry.edge_keys import edges_of_triangles
from oddseam.geometry.triangles import area_vectors
from oddseam.inputs import PointLike
from oddseam.model import Mesh
from oddseam.model.editing import Added, edited, parted
from oddseam.model.loss import changed_shape
from oddseam.model.origins import elements_in, new_elements, nodes_in
from oddseam.model.prove import worse
from oddseam.model.splicing import extracted
from oddseam.picks import selected
from oddseam.progress import Progress, silent

#: The region is seen along the direction under no flatter angle than of this sine.
_STEEP = 0.2


class _Loop(NamedTuple):
    """A loop of the border: nodes, (k, 2) where each goes in the plane per unit inwards, elements at its edges."""

    nodes: Array
    inward: Array
    elements: Array


@recorded(loss=changed_shape, judge=judge_touched)
def lift(
    mesh: Mesh,
    pick: str,
    *,
    by: float,
    taper: float = 0.0,
    rounding: float = 0.0,
    direction: PointLike | None = None,
    rows: int | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Raise picked elements, or sink them, with a wall round them.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        A pick of tri and quad elements, such as ``"patch near (0, 0, 9)"``.
    by : float
        By which they are lifted; negative sinks them.
    taper : float
        Degrees by which the wall leans in; negative leans out.
    rounding : float
        Radius of the rim between wall and top.
    direction : (x, y, z), optional
        The mean normal of what is picked without.
    rows : int, optional
        Of elements on the wall, beneath the rounding; as many as the elements there are fine without.
    progress : callable, optional

    Returns
    -------
    Mesh
        The lifted elements keep their ids, and their shape except for what taper and rounding take; the wall has new
        ones in the same part.  Everything else stays to the last bit.

    Raises
    ------
    Refusal
        If the wall would be folded, other elements hold nodes of what is picked, or anything would cross.

    Notes
    -----
    What taper and rounding move the border of the top by in its plane is spread evenly over the top, by differences
    weighted with the lengths of edges.  Linear in the size of the mesh, and about so in that of the pick.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners, ids = np.column_stack([a, a + 1, a + 12, a + 11]), np.arange(1, 101)
    >>> block = oddseam.Elements(corners, ids, np.zeros(100, np.int32))
    >>> bare = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), np.zeros((0, 3), int), unit="mm")
    >>> boss = oddseam.lift(bare.replaced(elements={"quad": block}), "box (3,3,-1) (7,7,1)", by=2, taper=10)
    >>> boss.n_elements, float(boss.nodes[:, 2].max()), oddseam.prove(boss).is_clean
    (132, 2.0, True)
    """
    elements = selected(mesh, pick)
    _check(mesh, elements)
    region = extracted(mesh, elements)
    chart = _chart(region, direction)
    loops = _borders(region, chart)
    ends = [region.nodes[loop.nodes] for loop in loops]
    lengths = np.concatenate([np.linalg.norm(its - np.roll(its, 1, axis=0), axis=1) for its in ends])
    profile = wall_profile(by, taper, rounding, float(lengths.mean()), rows)
    top = _top(region, chart, loops, profile[-1])
    new, walls = _built(mesh, elements, region, chart, loops, profile, top)
    faults = worse(new, mesh)
    if faults:
        raise Refusal(f"what is lifted at {point_text(chart.origin)} would have faults: {'; '.join(faults)}")
    before = worst_of(mesh, elements)
    row = np.flatnonzero(elements_in(new, region) >= 0)
    fresh = new_elements(new, mesh)
    move = float(np.linalg.norm(top - region.nodes, axis=1).max())
    place = (point_of(chart.origin),)
    steps = (
        Step("lift", len(elements), move, f"elements, worst: {said(before)}; now {said(worst_of(new, row))}", place),
        Step(
            "build", walls, 0.0, f"elements of the wall, {len(profile) - 1} rows, worst: {said(worst_of(new, fresh))}"
        ),
    )
    return new, Outcome(steps)


def _check(mesh: Mesh, elements: Array) -> None:
    """Refuse what is no region of shells that nothing else holds."""
    inside = np.zeros(mesh.n_elements, bool)
    inside[elements] = True
    mine, others = np.zeros(mesh.n_nodes, bool), np.zeros(mesh.n_nodes, bool)
    for name, block, span in mesh.blocks():
        chosen = inside[span]
        if chosen.any() and name not in ("tri", "quad"):
            raise Refusal(f"only tri and quad elements can be lifted; the pick has {int(chosen.sum()):,} {name}")
        mine[block.connectivity[chosen]] = True
        others[block.connectivity[~chosen]] = True
    faces = extracted(mesh, elements)
    c = faces.connectivity
    if not c.n_rims:
        raise Refusal("what is picked has no border; it is a whole closed surface")
    if len(c.nonmanifold_nodes) or c.is_nonmanifold.any():
        its = c.nonmanifold_nodes if len(c.nonmanifold_nodes) else c.edges[c.is_nonmanifold][:, 0]
        raise Refusal(f"what is picked meets itself in a point or a T-joint at {point_text(faces.nodes[its[0]])}")
    border = np.isin(mesh.node_ids, faces.node_ids[np.unique(c.edges[c.is_free])])
    held = np.flatnonzero(mine & others & ~border)
    if len(held):
        raise Refusal(
            f"other elements use {len(held):,} nodes within what is picked, such as {int(mesh.node_ids[held[0]])} at "
            f"{point_text(mesh.nodes[held[0]])}; pick these too, or less"
        )


def _chart(region: Mesh, direction: PointLike | None) -> Chart:
    """The plane across the direction, looking where the region does."""
    vectors = area_vectors(region.nodes[region.triangulation.triangles])
    total = vectors.sum(axis=0)
    if not np.linalg.norm(total) > 1e-9 * np.linalg.norm(vectors, axis=1).sum():
        raise Refusal("what is picked looks to all sides; say a direction")
    axis = unit(total.tolist()) if direction is None else unit(direction)
    size = np.linalg.norm(vectors, axis=1)
    seen = vectors @ axis
    if (seen < _STEEP * size).any() and (seen > -_STEEP * size).any():
        k = int(np.argmin(seen / np.where(size > 0, size, 1.0)))
        at = point_text(region.nodes[region.triangulation.triangles[k]].mean(axis=0))
        raise Refusal(f"what is picked is too steep along the direction at {at}, or looks the other way")
    return Chart.along(region.nodes[np.unique(region.triangulation.triangles)].mean(axis=0), axis)


def _borders(region: Mesh, chart: Chart) -> list[_Loop]:
    """The loops of the border."""
    c = region.connectivity
    loops = []
    flat = chart.flat(region.nodes)
    looks = float((area_vectors(region.nodes[region.triangulation.triangles]) @ chart.normal).sum())
    for rim in c.rims:
        nodes = rim.nodes.astype(np.int64)
        ahead = np.roll(flat[nodes], -1, axis=0) - flat[nodes]
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-300)
        left = np.column_stack([-ahead[:, 1], ahead[:, 0]]) * np.sign(looks)
        before = np.roll(left, 1, axis=0)
        share = 1.0 + np.einsum("ij,ij->i", left, before)
        if share.min() < 0.05:
            at = point_text(region.nodes[nodes[int(np.argmin(share))]])
            raise Refusal(f"the border of what is picked turns back at {at}")
        loops.append(_Loop(nodes, (left + before) / share[:, None], region.faces.element[c.face[rim.corners]]))
    return loops


def _top(region: Mesh, chart: Chart, loops: list[_Loop], end: Array) -> Array:
    """(n, 3) where nodes of the region come to lie."""
    from scipy.sparse import coo_array, diags
    from scipy.sparse.linalg import spsolve

    flat = chart.flat(region.nodes)
    shift = np.zeros_like(flat)
    fixed = np.zeros(region.n_nodes, bool)
    for loop in loops:
        shift[loop.nodes] = end[0] * loop.inward
        fixed[loop.nodes] = True
    free = np.flatnonzero(~fixed)
    if end[0] and len(free):
        t = region.triangulation.triangles
        ends = np.unique(np.sort(edges_of_triangles(t).reshape(-1, 2), axis=1), axis=0)
        weight = 1.0 / np.maximum(np.linalg.norm(flat[ends[:, 1]] - flat[ends[:, 0]], axis=1), 1e-300)
        rows, columns = np.concatenate([ends, ends[:, ::-1]]).T
        links = coo_array((np.tile(weight, 2), (rows, columns)), shape=(len(flat), len(flat))).tocsr()
        matrix = (diags(np.asarray(links.sum(axis=1)).ravel()) - links).tocsr()
        right = -matrix[free][:, np.flatnonzero(fixed)] @ shift[fixed]
        shift[free] = spsolve(matrix[free][:, free].tocsc(), right).reshape(-1, 2)
    t = region.triangulation.triangles
    corners, after = flat[t], (flat + shift)[t]
    turned = np.sign(_doubled_area(corners)) * _doubled_area(after) <= 0
    if turned.any():
        at = point_text(region.nodes[t[turned][0]].mean(axis=0))
        raise Refusal(f"taper and rounding take {end[0]:.4g} off the border of the top, which folds it at {at}")
    if not end[0]:
        return np.asarray(region.nodes + end[1] * chart.normal)
    looks = t if _doubled_area(corners).sum() > 0 else t[:, ::-1]
    placed, row = chart.lifted(flat + shift, region.nodes, looks)
    raised = np.where(
        (row >= 0)[:, None], placed, chart.raised(flat + shift) + _over(region, chart)[:, None] * chart.normal
    )
    return np.asarray(raised + end[1] * chart.normal)


def _over(region: Mesh, chart: Chart) -> Array:
    """(n,) how far nodes are over the plane."""
    return np.asarray((region.nodes - chart.origin) @ chart.normal)


def _doubled_area(corners: Array) -> Array:
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])


def _built(
    mesh: Mesh, elements: Array, region: Mesh, chart: Chart, loops: list[_Loop], profile: Array, top: Array
) -> tuple[Mesh, int]:
    """The mesh with the region on top of its walls, and how many elements these have."""
    of = nodes_in(region, mesh)
    border = np.concatenate([loop.nodes for loop in loops])
    copy = np.full(region.n_nodes, -1)
    copy[border] = np.arange(len(border))
    nodes = mesh.nodes.copy()
    nodes[of[copy < 0]] = top[copy < 0]
    corners = [np.column_stack([np.nonzero(copy[block.connectivity] >= 0)]) for block in region.elements.values()]
    starts = np.cumsum([0, *(len(block) for block in region.elements.values())])
    element = np.concatenate([elements[start + row] for start, (row, _) in zip(starts[:-1], corners, strict=True)])
    node = np.concatenate([b.connectivity[*its] for b, its in zip(region.elements.values(), corners, strict=True)])
    new = parted(mesh.replaced(nodes=nodes), element, of[node], copy[node], top[border])
    quads, points, first = [], [], new.n_nodes
    for loop in loops:
        rings = [of[loop.nodes]]
        for lean, up in profile[1:-1]:
            shift = lean * (loop.inward[:, :1] * chart.u + loop.inward[:, 1:] * chart.v)
            points.append(region.nodes[loop.nodes] + shift + up * chart.normal)
            rings.append(first + np.arange(len(loop.nodes)))
            first += len(loop.nodes)
        rings.append(mesh.n_nodes + copy[loop.nodes])
        quads += [
            np.column_stack([np.roll(high, -1), high, low, np.roll(low, -1)])
            for low, high in zip(rings[:-1], rings[1:], strict=True)
        ]
    wall = np.concatenate(quads)
    like = elements[np.concatenate([loop.elements for loop in loops for _ in profile[1:]])]
    added = np.concatenate([np.zeros((0, 3)), *points])
    if "quad" in region.elements:
        return edited(new, add=Added(nodes=added, quads=wall, like=like)), len(wall)
    triangles = np.concatenate([wall[:, [0, 1, 2]], wall[:, [0, 2, 3]]])
    return edited(new, add=Added(nodes=added, triangles=triangles, like=np.tile(like, 2))), len(triangles)
