"""A node moved along its face or crease; what that does to elements is said at once."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array
from oddseam.editing.nodes.node_changes import complaints, elements_round, row_of
from oddseam.editing.zones.resting import Surroundings
from oddseam.findings.classes.finding import point_of
from oddseam.inputs import PointLike
from oddseam.model import KINDS, Mesh
from oddseam.model.loss import changed_shape
from oddseam.model.splicing import extracted

#: Rings of elements round a node within which it moves.
_RINGS = 4


@recorded(loss=changed_shape)
def move_node(mesh: Mesh, node: int, *, to: PointLike, free: bool = False) -> tuple[Mesh, Outcome]:
    """Move a node along the face, crease or rim that it lies on.

    Parameters
    ----------
    mesh : Mesh
        Of shells or solids.
    node : int
        Its id.
    to : (x, y, z)
        Where it is to go; it goes to the nearest place of its face or crease within four rings of elements.
    free : bool
        Whether it goes exactly there, and corners may be moved too.

    Returns
    -------
    Mesh
        Midside nodes of its edges follow; nothing else changes.  ``outcome.unmet`` names the elements that fall below a
        limit, the worst first, and facets that cross.

    Raises
    ------
    Refusal
        If there is no such node, or it is a corner: where one, three or more creases meet.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0], [1, 1, 0]]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]], unit="mm")
    >>> oddseam.move_node(sheet, 5, to=(1.2, 0.9, 0.5)).nodes[4].round(9).tolist()
    [1.2, 0.9, 0.0]
    """
    goal = np.array(to, float)
    row = row_of(mesh, node)
    around = Surroundings(extracted(mesh, np.flatnonzero(elements_round(mesh, row, _RINGS))))
    place, along = (goal, "as asked") if free else around.nearest(node, goal)
    nodes = mesh.nodes.copy()
    nodes[row] = place
    step_of = 0.5 * (place - mesh.nodes[row])
    along_with = _midsides_at(mesh, row)
    nodes[along_with] += step_of
    if not free and len(along_with):
        nodes[along_with] = around.on_round_faces(mesh.node_ids[along_with], nodes[along_with])
    new = mesh.replaced(nodes=nodes)
    move = float(np.linalg.norm(place - mesh.nodes[row]))
    off = float(np.linalg.norm(place - goal))
    steps = [Step("move", 1, move, f"node, {along}; {off:.4g} from where it was to go", (point_of(place),))]
    if len(along_with):
        far = float(np.linalg.norm(nodes[along_with] - mesh.nodes[along_with], axis=1).max())
        steps.append(Step("follow", len(along_with), far, "midside nodes of its edges"))
    return new, Outcome(tuple(steps), (), tuple(complaints(mesh, new, row, row)))


def _midsides_at(mesh: Mesh, row: int) -> Array:
    """Midside nodes of the edges that end at a node."""
    found = [np.zeros(0, np.int64)]
    for name, block in mesh.elements.items():
        kind = KINDS[name]
        if kind.is_quadratic:
            ends = block.connectivity[:, np.array(kind.edges)]
            found.append(block.connectivity[:, kind.corners :][(ends == row).any(axis=2)])
    return np.unique(np.concatenate(found))
