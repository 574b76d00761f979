"""Round openings moved, or given another diameter: filled, and cut again."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import IdIndex, point_text
from oddseam.editing.listing import nearest_rim, rim_row
from oddseam.editing.openings import cut_opening
from oddseam.errors import Refusal
from oddseam.findings.finding import point_of
from oddseam.findings.judging import judge_touched
from oddseam.inputs import NumbersLike, PointLike
from oddseam.mending.by_hand import fill
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.loss import changed_shape

#: Least over largest radius of an opening that counts as round.
_ROUND = 0.9


@recorded("move opening", loss=changed_shape, judge=judge_touched)
def move_opening(
    mesh: Mesh,
    *,
    near: PointLike,
    to: PointLike | None = None,
    diameter: float | None = None,
    nodes: int | None = None,
    collars: NumbersLike = (),
) -> tuple[Mesh, Outcome]:
    """Move the round opening nearest to a point, or change its diameter, or both.

    Parameters
    ----------
    mesh : Mesh
    near : (x, y, z)
        The rim with the node nearest to this point.
    to : (x, y, z), optional
        Where its middle goes, on or near the surface; it stays without.
    diameter : float, optional
        As it is without.
    nodes : int, optional
        On the rim; as many as it has without.
    collars : sequence of float
        See ``cut_opening``.

    Returns
    -------
    Mesh
        Where the opening was there are elements like those around; away from both places everything stays.  Nodes of
        the rim keep their ids where their number stays.

    Raises
    ------
    Refusal
        If the rim is not round, cannot be filled, or the new opening does not fit, see ``cut_opening``.

    Examples
    --------
    >>> import numpy as np, oddseam
    >>> x, y = (w.ravel() for w in np.meshgrid(np.arange(11.0), np.arange(11.0)))
    >>> a = np.arange(100) + np.arange(100) // 10
    >>> corners = np.concatenate([np.column_stack([a, a + 1, a + 12]), np.column_stack([a, a + 12, a + 11])])
    >>> panel = oddseam.Mesh.from_triangles(np.column_stack([x, y, 0 * x]), corners, unit="mm")
    >>> cut = oddseam.cut_opening(panel, at=(4, 5, 0), diameter=2.0)
    >>> moved = oddseam.move_opening(cut, near=(4, 5, 0), to=(6, 5, 0), diameter=3.0)
    >>> [(round(row["diameter"], 6), row["nodes"]) for row in oddseam.list_openings(moved)][0]
    (3.0, 12)
    """
    own = nearest_rim(mesh, near)
    rim = rim_row(mesh, own)
    if rim["roundness"] < _ROUND:
        raise Refusal(
            f"the rim at {point_text(rim['centre'])} is not round (its radii vary by {1 - rim['roundness']:.0%}); "
            "fill it and cut a new one"
        )
    closed = fill(mesh, near=point_of(mesh.nodes[own.nodes[0]]))
    cut = cut_opening(
        closed,
        at=rim["centre"] if to is None else to,
        direction=rim["axis"] if to is None else None,
        diameter=rim["diameter"] if diameter is None else diameter,
        nodes=rim["nodes"] if nodes is None else nodes,
        collars=collars,
    )
    cut = _with_rim_ids(mesh, own, cut, rim["centre"] if to is None else to)
    steps = (*closed.account.last.outcome.steps, *cut.account.last.outcome.steps)
    what = Step("move", 1, 0.0, f"opening of diameter {rim['diameter']:.6g}", (rim["centre"],))
    return cut, Outcome((what, *steps), closed.account.last.outcome.notes, ())


def _with_rim_ids(mesh: Mesh, rim: Rim, cut: Mesh, at: PointLike) -> Mesh:
    """The mesh whose new rim has the ids of the old one, node for node as they lie about its middle."""
    new = nearest_rim(cut, _on_rim(cut, at))
    if len(new.nodes) != len(rim.nodes):
        return cut
    old_at, new_at = (m.nodes[its.nodes] - m.nodes[its.nodes].mean(axis=0) for m, its in ((mesh, rim), (cut, new)))
    old_at /= np.linalg.norm(old_at, axis=1).mean()
    new_at /= np.linalg.norm(new_at, axis=1).mean()
    ways = [(way, k) for way in (1, -1) for k in range(len(new_at))]
    off = [float(((np.roll(new_at[::way], k, axis=0) - old_at) ** 2).sum()) for way, k in ways]
    way, k = ways[int(np.argmin(off))]
    rows = np.roll(new.nodes[::way], k)
    ids = cut.node_ids.copy()
    wanted = mesh.node_ids[rim.nodes]
    where, missing = IdIndex(cut.node_ids).of(wanted)
    ids[where[~missing]] = cut.node_ids[rows[~missing]]  # one that is still there elsewhere takes the other's
    ids[rows] = wanted
    return cut.replaced(node_ids=ids) if len(np.unique(ids)) == len(ids) else cut


def _on_rim(cut: Mesh, at: PointLike) -> tuple[float, float, float]:
    """A node of the closed rim whose middle is nearest to a place."""
    rims = [rim for rim in cut.connectivity.rims if rim.closed]
    middles = np.array([cut.nodes[rim.nodes].mean(axis=0) for rim in rims])
    return point_of(cut.nodes[rims[int(np.argmin(np.linalg.norm(middles - np.array(at), axis=1)))].nodes[0]])
