"""Elements that are picked deleted, and nodes that nothing uses."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.model import Mesh
from oddseam.model.editing import edited, without_nodes
from oddseam.model.loss import changed_shape
from oddseam.model.rings import corner_means, used_nodes
from oddseam.picks import selected
from oddseam.progress import Progress, silent


@recorded(loss=changed_shape)
def delete(
    mesh: Mesh, pick: str | None = None, *, unused_nodes: bool = False, progress: Progress = silent
) -> tuple[Mesh, Outcome]:
    """Delete the elements of a pick, or nodes that nothing uses.

    Everything else keeps its id, its nodes and its bits.

    Parameters
    ----------
    mesh : Mesh
    pick : str, optional
        A pick, such as ``"finding slivers"`` or ``"ids 5 7 10-20"``.
    unused_nodes : bool
        Whether to drop, afterwards, the nodes that no element uses, no group holds, and no card of the deck that was
        read refers to.
    progress : callable, optional

    Raises
    ------
    PickError
        If the pick cannot be understood or selects nothing.
    Refusal
        If nothing would be left, or nothing is asked for.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.delete(corner, "near (0.6, 0.6, 0.6)").element_ids.tolist()
    [1, 2, 3]
    """
    if pick is None and not unused_nodes:
        raise Refusal("say what is to be deleted: a pick of elements, or unused_nodes")
    steps, new = [], mesh
    notes: tuple[str, ...] = ()
    if pick is not None:
        chosen = selected(mesh, pick)
        if len(chosen) == mesh.n_elements:
            raise Refusal(f"pick {pick!r} selects every element; nothing would be left")
        places = tuple(point_of(place) for place in corner_means(mesh)[chosen[:MOST_PLACES]])
        steps.append(Step("delete", len(chosen), 0.0, pick, places))
        new = edited(mesh, drop=chosen)
    if unused_nodes:
        new, step, notes = _without_unused(new)
        steps.append(step)
    return new, Outcome(tuple(steps), notes)


def _without_unused(mesh: Mesh) -> tuple[Mesh, Step, tuple[str, ...]]:
    """The mesh without nodes that nothing uses, and what is to be said of those that stay although no element does."""
    used = used_nodes(mesh)
    spare = int((~used).sum())
    for its in mesh.groups.nodes.values():
        used[its] = True
    if mesh.source is not None and mesh.source.references is not None:
        used |= mesh.source.references.named("node", mesh.node_ids)
    gone = np.flatnonzero(~used)
    new = without_nodes(mesh, ~used)
    notes: tuple[str, ...] = ()
    if spare > len(gone):
        notes = (f"kept: {spare - len(gone):,} nodes without elements that groups or cards of the deck refer to",)
    places = tuple(point_of(mesh.nodes[row]) for row in gone[:MOST_PLACES])
    return new, Step("drop", len(gone), 0.0, "nodes that nothing uses", places), notes
