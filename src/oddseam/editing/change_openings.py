"""Round openings moved, or given another diameter or number of nodes: filled, and cut again."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import IdIndex, point_text
from oddseam.editing.cut import cut
from oddseam.editing.list_openings import nearest_rim, rim_row
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.judging import judge_touched
from oddseam.inputs import NumbersLike, PointLike, PointsLike
from oddseam.mending.fill import fill
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.loss import changed_shape
from oddseam.progress import Progress, silent

#: Least over largest radius of an opening that counts as round.
_ROUND = 0.9


@recorded(loss=changed_shape, judge=judge_touched)
def change_openings(
    mesh: Mesh,
    *,
    near: PointLike | PointsLike | None = None,
    below: float | None = None,
    to: PointLike | None = None,
    diameter: float | None = None,
    rim_nodes: int | None = None,
    collars: NumbersLike = (),
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Move round openings, or change their diameter or nodes on the rim.

    Parameters
    ----------
    mesh : Mesh
    near : (x, y, z) or a sequence of such, optional
        The closed rim nearest to each point; all round openings without.  The outer border of a sheet does not
        count as one.
    below : float, optional
        Only openings with a smaller diameter.
    to : (x, y, z), optional
        Where the middle goes, on or near the surface; it stays without.  Of one opening only.
    diameter : float, optional
        New diameter; as it is without.
    rim_nodes : int, optional
        So many nodes on the rim; as many as it has without.
    collars : sequence of float
        Widths of rings of regular elements round the rim, see ``cut``.
    progress : callable, optional

    Returns
    -------
    Mesh
        Where an opening was there are elements like those around; away from both places everything stays.  Nodes of
        the rim keep their ids where their number stays.

    Raises
    ------
    Refusal
        If nothing is to change, there is no such opening, one that is meant is not round or cannot be filled, or the
        new one does not fit, see ``cut``.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners = np.concatenate([np.column_stack([a, a + 1, a + 12]), np.column_stack([a, a + 12, a + 11])])
    >>> panel = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), corners, unit="mm")
    >>> holed = oddseam.cut(panel, at=(4, 5, 0), diameter=2.0)
    >>> moved = oddseam.change_openings(holed, near=(4, 5, 0), to=(6, 5, 0), diameter=3.0)
    >>> [(round(row.diameter, 6), row.rim_nodes) for row in oddseam.list_openings(moved)][0]
    (3.0, 12)
    """
    if to is None and diameter is None and rim_nodes is None and not collars:
        raise Refusal("say what is to change: to, diameter, rim_nodes or collars")
    chosen, notes = _chosen(mesh, near, below)
    if to is not None and len(chosen) > 1:
        raise Refusal(f"{len(chosen):,} openings are meant, and only one can be moved to a place")
    steps: list[Step] = []
    for number, node in enumerate(chosen, start=1):
        progress(f"opening {number} of {len(chosen)}", (number - 1) / len(chosen))
        own = _rim_with(mesh, node)
        rim = rim_row(mesh, own)
        try:
            closed = fill(mesh, near=point_of(mesh.nodes[own.nodes[0]]))
            opened = cut(
                closed,
                at=rim.centre if to is None else to,
                direction=rim.axis if to is None else None,
                diameter=rim.diameter if diameter is None else diameter,
                rim_nodes=rim.rim_nodes if rim_nodes is None else rim_nodes,
                collars=collars,
            )
        except Refusal as refusal:
            if len(chosen) == 1:
                raise
            which = f"the opening of diameter {rim.diameter:.6g} at {point_text(rim.centre)} cannot be changed"
            raise Refusal(f"{which} ({refusal}); leave it out with `near` or `below`") from None
        changed = _with_rim_ids(mesh, own, opened, rim.centre if to is None else to)
        steps.append(Step("change", 1, 0.0, f"opening of diameter {rim.diameter:.6g}", (rim.centre,)))
        steps += [*closed.account.last.outcome.steps, *opened.account.last.outcome.steps]
        notes += closed.account.last.outcome.notes
        mesh = changed
    return mesh, Outcome(tuple(steps), tuple(notes))


def _chosen(mesh: Mesh, near: PointLike | PointsLike | None, below: float | None) -> tuple[list[int], list[str]]:
    """The id of a node on every rim that is meant, and what is to be said of others."""
    if near is not None:
        if below is not None:
            raise Refusal("say near or below, not both")
        rims = {id(rim): rim for rim in (nearest_rim(mesh, point) for point in np.array(near, float).reshape(-1, 3))}
        found = list(rims.values())
        for row in (rim_row(mesh, rim) for rim in found):
            if row.roundness < _ROUND:
                raise Refusal(
                    f"the rim at {point_text(row.centre)} is not round (its radii vary by "
                    f"{1 - row.roundness:.0%}); fill it and cut a new one"
                )
        return [int(mesh.node_ids[rim.nodes[0]]) for rim in found], []
    pairs = [(rim, rim_row(mesh, rim)) for rim in mesh.connectivity.rims if rim.closed]
    inner = [(rim, row) for rim, row in pairs if row.kind == "rim" and (below is None or row.diameter < below)]
    found = [rim for rim, row in inner if row.roundness >= _ROUND]
    if not found:
        raise Refusal("there is no round opening" + ("" if below is None else f" with a diameter below {below:g}"))
    other = len(inner) - len(found)
    notes = [f"{other:,} opening(s) that are not round stay as they are"] * (other > 0)
    return [int(mesh.node_ids[rim.nodes[0]]) for rim in found], notes


def _rim_with(mesh: Mesh, node: int) -> Rim:
    """The closed rim with a node of an id."""
    return next(rim for rim in mesh.connectivity.rims if rim.closed and bool((mesh.node_ids[rim.nodes] == node).any()))


def _with_rim_ids(mesh: Mesh, rim: Rim, opened: Mesh, at: PointLike) -> Mesh:
    """The mesh whose new rim has the ids of the old one, node for node as they lie about its middle."""
    new = nearest_rim(opened, _on_rim(opened, at))
    if len(new.nodes) != len(rim.nodes):
        return opened
    old_at, new_at = (m.nodes[its.nodes] - m.nodes[its.nodes].mean(axis=0) for m, its in ((mesh, rim), (opened, new)))
    old_at /= np.linalg.norm(old_at, axis=1).mean()
    new_at /= np.linalg.norm(new_at, axis=1).mean()
    ways = [(way, k) for way in (1, -1) for k in range(len(new_at))]
    off = [float(((np.roll(new_at[::way], k, axis=0) - old_at) ** 2).sum()) for way, k in ways]
    way, k = ways[int(np.argmin(off))]
    rows = np.roll(new.nodes[::way], k)
    ids = opened.node_ids.copy()
    wanted = mesh.node_ids[rim.nodes]
    where, missing = IdIndex(opened.node_ids).of(wanted)
    ids[where[~missing]] = opened.node_ids[rows[~missing]]  # one that is still there elsewhere takes the other's
    ids[rows] = wanted
    return opened.replaced(node_ids=ids) if len(np.unique(ids)) == len(ids) else opened


def _on_rim(opened: Mesh, at: PointLike) -> tuple[float, float, float]:
    """A node of the closed rim whose middle is nearest to a place."""
    rims = [rim for rim in opened.connectivity.rims if rim.closed]
    middles = np.array([opened.nodes[rim.nodes].mean(axis=0) for rim in rims])
    return point_of(opened.nodes[rims[int(np.argmin(np.linalg.norm(middles - np.array(at), axis=1)))].nodes[0]])
