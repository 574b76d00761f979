"""Mending by hand: delete, flip, fill and weld what is picked."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, Point, point_text
from oddseam.errors import PickError, Refusal
from oddseam.findings.finding import point_of
from oddseam.findings.judging import judge_touched
from oddseam.findings.rim_shapes import rim_shape
from oddseam.geometry.boxtree import BoxTree
from oddseam.inputs import IdsLike, PointLike, PointsLike
from oddseam.mending.clusters import gathered_nodes
from oddseam.mending.filling import fill_rims
from oddseam.model import Groups, Mesh
from oddseam.model.editing import edited, merged, new_elements
from oddseam.model.loss import changed_shape, kept_shape
from oddseam.model.rings import used_nodes
from oddseam.picks import pick
from oddseam.remeshing.around import like_around


@recorded("delete", loss=changed_shape)
def delete(mesh: Mesh, what: str) -> tuple[Mesh, Outcome]:
    """Delete the elements of a pick; everything else keeps its id, its nodes and its bits.

    Parameters
    ----------
    mesh : Mesh
    what : str
        A pick, such as ``"finding slivers"`` or ``"ids 5 7 10-20"``.

    Raises
    ------
    PickError
        If the pick cannot be understood or selects nothing.
    Refusal
        If nothing would be left.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.delete(corner, "near (0.6, 0.6, 0.6)").element_ids.tolist()
    [1, 2, 3]
    """
    chosen = pick(mesh, what)
    if len(chosen) == mesh.n_elements:
        raise Refusal(f"pick {what!r} selects every element; nothing would be left")
    return edited(mesh, drop=chosen), Outcome((Step("delete", len(chosen), 0.0, what, _places(mesh, chosen)),))


@recorded("add group")
def add_group(mesh: Mesh, name: str, what: str, *, of: str = "elements") -> tuple[Mesh, Outcome]:
    """Keep a pick as a group of elements or nodes; one of that name is replaced.

    Parameters
    ----------
    mesh : Mesh
    name : str
    what : str
        A pick, see ``pick``.
    of : str
        ``"elements"`` or ``"nodes"``.

    Raises
    ------
    Refusal
        If it is of something else.
    PickError
        If the pick cannot be understood, or selects nothing.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> len(oddseam.pick(oddseam.add_group(corner, "foot", "near (0.5, 0.5, 0)"), "group foot"))
    1
    """
    if of not in ("elements", "nodes"):
        raise Refusal(f"groups are of elements or nodes, not of {of}")
    chosen = pick(mesh, what, of=of)
    groups = mesh.groups
    kept = {"nodes": dict(groups.nodes), "elements": dict(groups.elements)}
    kept[of][name] = chosen
    new = mesh.replaced(groups=Groups(kept["nodes"], kept["elements"], groups.sides))
    return new, Outcome((Step("add group", len(chosen), 0.0, f"{of} in {name!r}"),))


@recorded("flip", loss=kept_shape)
def flip(mesh: Mesh, what: str) -> tuple[Mesh, Outcome]:
    """Turn the shell elements of a pick over.

    Parameters
    ----------
    mesh : Mesh
    what : str
        A pick.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.prove(oddseam.flip(corner, "all")).inward_pieces
    1
    """
    chosen = pick(mesh, what)
    shells = np.intersect1d(chosen, mesh.faces.element)
    if not len(shells):
        raise Refusal(f"pick {what!r} selects no shell elements; others have no side to turn")
    notes = (f"left as they were: {len(chosen) - len(shells):,} other elements",) if len(shells) < len(chosen) else ()
    step = Step("turn", len(shells), 0.0, what, _places(mesh, shells))
    return edited(mesh, turn=shells), Outcome((step,), notes)


@recorded("fill", loss=kept_shape, judge=judge_touched)
def fill(
    mesh: Mesh,
    *,
    near: PointLike | PointsLike | None = None,
    below: float | None = None,
    nodes: IdsLike | None = None,
    flat: bool = False,
    may_cross: bool = False,
) -> tuple[Mesh, Outcome]:
    """Fill a rim or some, all rims below a diameter, or the loop of some nodes; one of the three.

    New elements take the part of their neighbours, borders between parts go on over the hole, and ids are new.  Among
    quads the fill becomes quads as large as those, and two rings of elements round it are meshed anew for that.

    Parameters
    ----------
    mesh : Mesh
    near : (x, y, z) or a sequence of such, optional
        The rim nearest to each point; not the outer border of a flat sheet, which a fill would double.
    below : float, optional
        Every rim that is shorter, see the length in ``list_openings``; the outer border of a flat sheet is none.
    nodes : tuple of int, optional
        Ids of nodes on one rim, in order round it: the part of the hole between them is
        filled, straight from the last to the first.
    flat : bool
        Whether fills are as flat as their borders let them be; else they follow the curvature round them.
    may_cross : bool
        Whether a fill is made even if it crosses other facets (a union cuts these along one another); that is unmet.

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
    if points.ndim not in (1, 2) or points.shape[-1] != 3 or not np.isfinite(points).all():
        raise Refusal("near is a point of three numbers, or several")
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
    filled = edited(mesh, add_triangles=triangles, like=like)
    worse = int(filled.connectivity.is_nonmanifold.sum()) > int(c.is_nonmanifold.sum())
    if worse or len(filled.crossing_triangles) > len(mesh.crossing_triangles):
        raise Refusal("the facets over these nodes would cross others, or give an edge three facets")
    step = Step("fill over nodes", len(triangles), 0.0, "", (point_of(mesh.nodes[rows].mean(axis=0)),))
    return filled, Outcome((step,))


@recorded("weld", loss=kept_shape)
def weld(mesh: Mesh, *, tolerance: float, parts: tuple[str, str] | None = None) -> tuple[Mesh, Outcome]:
    """Join nodes of elements that are not farther apart than a tolerance.

    Of nodes that become one, that with the lowest id stays, where it is: by id every node stays that is near to none
    which stays already, and each of the others goes to the nearest of these.  So a second weld finds nothing to join.
    Nodes of one element stay apart, and so do those that would leave a facet without area.

    Parameters
    ----------
    mesh : Mesh
    tolerance : float
        In the unit of the mesh; 0 joins nodes at the very same place.
    parts : (str, str), optional
        Only pairs with one node in each of these parts.

    Raises
    ------
    Refusal
        For a tolerance that is no length.
    PickError
        For a part that is not there.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [2, 2, 0], [0, 2.01, 0], [2.01, 0, 0]]
    >>> torn = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [5, 3, 4]], unit="mm")
    >>> oddseam.weld(torn, tolerance=0.02).connectivity.n_pieces
    1
    """
    if not 0 <= tolerance < np.inf:
        raise Refusal(f"the tolerance {tolerance} is not a length")
    used = np.zeros(mesh.n_nodes, np.int8)
    if parts is None:
        used[used_nodes(mesh)] = 3
    else:
        for bit, name in enumerate(parts):
            for node in _nodes_of_part(mesh, name):
                used[node] |= 1 << bit
    rows = np.flatnonzero(used)
    if not len(rows):
        return mesh, Outcome((Step("weld", 0, 0.0, "no nodes"),))
    points = mesh.nodes[rows]
    one, two = BoxTree(np.repeat(points[:, None], 3, axis=1)).near(points, tolerance)
    keep = (one < two) if parts is None else (one < two) & ((used[rows[one]] | used[rows[two]]) == 3)
    a, b = rows[one[keep]], rows[two[keep]]
    beside = _sharing(mesh, np.concatenate([a, b]))
    into = gathered_nodes(mesh.nodes, a, b, mesh.node_ids, lambda k: beside.get(k, ()))
    into = _without_collapse(mesh, into)
    gone = np.flatnonzero(into != np.arange(mesh.n_nodes))
    if not len(gone):
        return mesh, Outcome((Step("weld", 0, 0.0, f"no two nodes within {tolerance:g}"),))
    move = float(np.linalg.norm(mesh.nodes[gone] - mesh.nodes[into[gone]], axis=1).max())
    places = tuple(point_of(mesh.nodes[row]) for row in gone[:12].tolist())
    return merged(mesh, into), Outcome((Step("weld", len(gone), move, f"nodes within {tolerance:g}", places),))


def _without_collapse(mesh: Mesh, into: Array) -> Array:
    """The same, but for nodes whose joining would leave a facet without area."""
    was = set(mesh.element_ids[mesh.triangulation.element[mesh.degenerate_triangles]].tolist())
    while True:
        stays = np.flatnonzero(into == np.arange(mesh.n_nodes))
        new = merged(mesh, into)
        t = new.triangulation
        ids = new.element_ids[t.element[new.degenerate_triangles]]
        fresh = new.degenerate_triangles[[number not in was for number in ids.tolist()]]
        if not len(fresh):
            return into
        kept = np.isin(into, stays[t.triangles[fresh]])
        into = np.where(kept, np.arange(mesh.n_nodes), into)


def _nodes_of_part(mesh: Mesh, name: str) -> list[int]:
    names = [part.name for part in mesh.parts]
    if name not in names:
        raise PickError(f"there is no part {name!r}; parts are {', '.join(names[:8])}")
    number = names.index(name)
    found = [b.connectivity[b.part == number].ravel() for b in mesh.elements.values()]
    nodes: list[int] = np.unique(np.concatenate(found)).tolist()
    return nodes


def _sharing(mesh: Mesh, wanted: Array) -> dict[int, set[int]]:
    """For each of some nodes the others of them that it shares an element with."""
    mark = np.zeros(mesh.n_nodes, bool)
    mark[wanted] = True
    beside: dict[int, set[int]] = {}
    for block in mesh.elements.values():
        held = mark[block.connectivity]
        for row in np.flatnonzero(held.sum(axis=1) > 1).tolist():
            its = set(block.connectivity[row][held[row]].tolist())
            for node in its:
                beside.setdefault(node, set()).update(its - {node})
    return beside


def _places(mesh: Mesh, elements: Array) -> tuple[Point, ...]:
    """Middles of the first few elements."""
    found, at = [], 0
    for block in mesh.elements.values():
        mine = elements[(elements >= at) & (elements < at + len(block))] - at
        found += [point_of(mesh.nodes[nodes].mean(axis=0)) for nodes in block.connectivity[mine[:12]]]
        at += len(block)
    return tuple(found[:12])
