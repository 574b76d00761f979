"""Round openings moved, or given another diameter: filled, and cut again."""

from __future__ import annotations

from collections.abc import Sequence

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import point_text
from oddseam.editing.listing import nearest_rim, rim_row
from oddseam.editing.openings import cut_opening
from oddseam.errors import Refusal
from oddseam.findings.finding import point_of
from oddseam.mending.by_hand import fill
from oddseam.model import Mesh
from oddseam.model.loss import changed_shape

#: Least over largest radius of an opening that counts as round.
_ROUND = 0.9


@recorded("move opening", loss=changed_shape)
def move_opening(
    mesh: Mesh,
    *,
    near: tuple[float, float, float],
    to: tuple[float, float, float] | None = None,
    diameter: float | None = None,
    nodes: int | None = None,
    collars: Sequence[float] = (),
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
        Where the opening was there are elements like those around; away from both places everything stays.

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
    steps = (*closed.account.last.outcome.steps, *cut.account.last.outcome.steps)
    what = Step("move", 1, 0.0, f"opening of diameter {rim['diameter']:.6g}", (rim["centre"],))
    return cut, Outcome((what, *steps), closed.account.last.outcome.notes, ())
