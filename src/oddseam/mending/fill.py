"""Rims filled by hand, or the part of a hole between some nodes."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.errors import PickError, Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.classes.rim_shapes import rim_shape
from oddseam.findings.judged.judging import judge_touched
from oddseam.inputs import IdsLike, PointLike, PointsLike
from oddseam.mending.holes.filling import fill_rims
from oddseam.model import Mesh
from oddseam.model.editing import Added, edited
from oddseam.model.loss import kept_shape
from oddseam.model.origins import new_elements
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.around import like_around


@recorded(loss=kept_shape, judge=judge_touched)
def fill(
    mesh: Mesh,
    *,
    near: PointLike | PointsLike | None = None,
    below: float | None = None,
    nodes: IdsLike | None = None,
    flat: bool = False,
    may_cross: bool = False,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Fill rims: those near points, those below a diameter, or a loop of nodes.

    New elements take the part of their neighbours, borders between parts go on over the hole, and ids are new.  Among
    quads the fill becomes quads as large as those, and two rings of elements round it are meshed anew for that.

    Parameters
    ----------
    mesh : Mesh
    near : (x, y, z) or a sequence of such, optional
        The rim nearest to each point; not the outer border of a flat sheet, which a fill would double.
    below : float, optional
        Every rim that is shorter, see the length in ``list_openings``; the outer border of a flat sheet does not count
        as one.
    nodes : tuple of int, optional
        Ids of nodes on one rim, in order round it: the part of the hole between them is
        filled, straight from the last to the first.
    flat : bool
        Whether fills are as flat as their borders let them be; else they follow the curvature round them.
    may_cross : bool
        Whether a fill is made even if it crosses other facets (a union cuts these along one another); that is unmet.
    progress : callable, optional

    Raises
    ------
    Refusal
        If there is no such rim, or it cannot be filled without crossing or doubling something.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> tent = oddseam.Mesh.from_triangles(nodes, [[0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.prove(oddseam.fill(tent, near=(0, 0, 0))).is_closed
    True
    """
    if sum(given is not None for given in (near, below, nodes)) != 1:
        raise Refusal("say one of: near a point, below a diameter, or nodes")
    c = mesh.connectivity
    if not c.n_rims:
        raise Refusal("the surface has no rim to fill")
    if nodes is not None:
        return _fill_nodes(mesh, nodes)
    if below is not None:
        shapes = [rim_shape(mesh, rim) for rim in c.rims]
        chosen = [rim for rim, shape in zip(c.rims, shapes, strict=True) if shape.length < below and not shape.is_lid]
        if not chosen:
            raise Refusal(f"no rim is less than {below:g} across; the smallest is {min(s.length for s in shapes):.4g}")
    else:
        chosen = [c.rims[k] for k in _nearest_rims(mesh, np.array(near, float))]
        for rim in chosen:
            if rim_shape(mesh, rim).is_lid:
                at = point_text(mesh.nodes[rim.nodes].mean(axis=0))
                raise Refusal(
                    f"the rim with {len(rim.nodes):,} nodes about {at} is the outer border of a flat sheet, which a "
                    "fill would double; name a point nearer to the opening"
                )
    filled, report = fill_rims(mesh, chosen, flat=flat, may_cross=may_cross)
    unmet = tuple(
        f"the rim at {point_text(mesh.nodes[rim.nodes].mean(axis=0))} was not filled: {reason}"
        for rim, reason in report.left
    )
    if not report.rims:
        raise Refusal("nothing was filled: " + "; ".join(unmet[:3]))
    unmet += tuple(
        f"the fill over the rim at {point_text(mesh.nodes[rim.nodes].mean(axis=0))} crosses {what}"
        for rim, what in report.crossing
    )
    places = tuple(point_of(mesh.nodes[rim.nodes].mean(axis=0)) for rim in chosen[:12])
    steps = [Step("fill rims", report.rims, 0.0, report.text, places)]
    beside = np.concatenate([mesh.faces.element[c.face[rim.corners]] for rim in chosen])
    notes = []
    if np.isin(mesh.element_ids[beside], mesh.elements["quad"].ids if "quad" in mesh.elements else ()).mean() > 0.5:
        new = new_elements(filled, mesh)
        like = like_around(filled, new)
        if like is None:
            notes.append("the fill is of triangles: quads like those around would have crossed or overlapped something")
        else:
            count = len(new_elements(like, mesh))
            steps.append(Step("mesh anew", count, 0.0, "elements, quads like those around; two rings round the fill"))
            filled = like
    return filled, Outcome(tuple(steps), tuple(notes), unmet)


def _nearest_rims(mesh: Mesh, points: Array) -> list[int]:
    """The rim nearest to each of some points, or to one."""
    rims = mesh.connectivity.rims
    found = []
    for point in points.reshape(-1, 3):
        away = [np.linalg.norm(mesh.nodes[rim.nodes] - point, axis=1).min() for rim in rims]
        found.append(int(np.argmin(away)))
    return sorted(set(found))


def _fill_nodes(mesh: Mesh, ids: IdsLike) -> tuple[Mesh, Outcome]:
    rows, missing = IdIndex(mesh.node_ids).of(np.array(ids, np.int64))
    if missing.any():
        raise PickError(f"there is no node {ids[int(np.argmax(missing))]}")
    if len(ids) < 3 or len(set(ids)) != len(ids):
        raise Refusal("three different nodes at least make a loop")
    c, node = mesh.connectivity, mesh.faces.node
    steps = set(zip(rows.tolist(), np.roll(rows, -1).tolist(), strict=True))
    free = np.flatnonzero(c.edge_of >= 0)
    free = free[c.is_free[c.edge_of[free]] & np.isin(node[free], rows)]
    runs = [(int(x), int(node[x]), int(node[c.next[x]])) for x in free.tolist()]
    ahead = [x for x, a, b in runs if (a, b) in steps]
    behind = [x for x, a, b in runs if (b, a) in steps]
    if not ahead and not behind:
        raise Refusal(
            "no two of these nodes, one after the other, are joined by a free edge; there is no hole to close"
        )
    triangles = np.column_stack([np.full(len(rows) - 2, rows[0]), rows[1:-1], rows[2:]])
    triangles = triangles[:, ::-1] if ahead else triangles  # against the facets that are there
    corner = (ahead or behind)[0]
    like = np.full(len(triangles), mesh.faces.element[c.face[corner]])
    filled = edited(mesh, add=Added(triangles=triangles, like=like))
    worse = int(filled.connectivity.is_nonmanifold.sum()) > int(c.is_nonmanifold.sum())
    if worse or len(filled.crossing_triangles) > len(mesh.crossing_triangles):
        raise Refusal("the facets over these nodes would cross others, or give an edge three facets")
    step = Step("fill over nodes", len(triangles), 0.0, "", (point_of(mesh.nodes[rows].mean(axis=0)),))
    return filled, Outcome((step,))
