"""Single nodes moved along their face or crease, and merged; what that does to elements is said at once."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, listed, point_text
from oddseam.editing.resting import Surroundings
from oddseam.errors import Refusal
from oddseam.findings import Limits
from oddseam.findings.finding import point_of
from oddseam.findings.qualities import inverted_indices
from oddseam.findings.worsening import beyond_by_id, worsened_by_id
from oddseam.inputs import PointLike
from oddseam.model import KINDS, Mesh
from oddseam.model.editing import merged
from oddseam.model.loss import changed_shape, kept_shape
from oddseam.model.rings import grown
from oddseam.model.splicing import extracted
from oddseam.remeshing.merging import without_collapsed

#: Rings of elements round a node within which it moves.
_RINGS = 4
#: So many elements are named.
_NAMED = 6


@recorded("move node", loss=changed_shape)
def move_node(mesh: Mesh, node: int, *, to: PointLike, free: bool = False) -> tuple[Mesh, Outcome]:
    """Move a node; it stays on its face, or on the crease, rim or joint that it lies on.

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
        If there is no such node, or it is a corner: where other than two creases meet.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0], [1, 1, 0]]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]], unit="mm")
    >>> oddseam.move_node(sheet, 5, to=(1.2, 0.9, 0.5)).nodes[4].round(9).tolist()
    [1.2, 0.9, 0.0]
    """
    goal = np.array(to, float)
    if goal.shape != (3,) or not np.isfinite(goal).all():
        raise Refusal(f"{to} is no point")
    row = _row(mesh, node)
    around = Surroundings(extracted(mesh, np.flatnonzero(_around(mesh, row, _RINGS))))
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
    return new, Outcome(tuple(steps), (), tuple(_complaints(mesh, new, row, row)))


@recorded("merge nodes", loss=kept_shape)
def merge_nodes(mesh: Mesh, keep: int, gone: int, *, collapse: bool = False) -> tuple[Mesh, Outcome]:
    """Merge a node into another one, which stays where it is.

    Triangles that have both go, quads with both at one edge become triangles; tets that have both go if that is asked.

    Parameters
    ----------
    mesh : Mesh
    keep, gone : int
        Ids of nodes.
    collapse : bool
        Whether tets that have both nodes go.

    Raises
    ------
    Refusal
        If there is no such node, solids or lines have both, solids would be turned inside out, or more than two facets
        would come to meet in an edge.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0], [1, 1, 0]]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, [[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]], unit="mm")
    >>> oddseam.merge_nodes(sheet, 1, 5).n_elements
    2
    """
    if keep == gone:
        raise Refusal(f"node {keep} cannot be merged into itself")
    kept, lost = _row(mesh, keep), _row(mesh, gone)
    for name, block in mesh.elements.items():
        both = (block.connectivity == kept).any(axis=1) & (block.connectivity == lost).any(axis=1)
        if both.any() and name not in ("tri", "quad") and not (collapse and name == "tet"):
            say = "; they may go with `collapse`" if name == "tet" else ""
            raise Refusal(
                f"{int(both.sum())} {name} element(s), such as {int(block.ids[both][0])}, have both nodes{say}"
            )
    into = np.arange(mesh.n_nodes)
    into[lost] = kept
    new = without_collapsed(merged(mesh, into), np.zeros(0, np.int64))
    turned = np.setdiff1d(new.element_ids[inverted_indices(new)], mesh.element_ids[inverted_indices(mesh)])
    if len(turned):
        raise Refusal(f"{len(turned):,} solid(s) would be turned inside out: {listed(turned.tolist())}")
    edges = [int(one.connectivity.is_nonmanifold.sum()) for one in (mesh, new)]
    if edges[1] > edges[0]:
        raise Refusal(f"more than two facets would meet in an edge at node {keep}, {point_text(mesh.nodes[kept])}")
    move = float(np.linalg.norm(mesh.nodes[kept] - mesh.nodes[lost]))
    dropped = mesh.n_elements - new.n_elements
    steps = (Step("merge", 1, move, "node", (point_of(mesh.nodes[kept]),)), Step("collapse", dropped, 0.0, "elements"))
    return new, Outcome(steps, (), tuple(_complaints(mesh, new, lost, _row(new, keep))))


def _row(mesh: Mesh, node: int) -> int:
    row, missing = IdIndex(mesh.node_ids).of(np.array([node], np.int64))
    if missing[0]:
        raise Refusal(f"there is no node {node}")
    return int(row[0])


def _around(mesh: Mesh, row: int, rings: int) -> Array:
    """(m,) bool: elements with a node, and rings round them."""
    held = [(block.connectivity == row).any(axis=1) for block in mesh.elements.values()]
    mask = np.concatenate([np.zeros(0, bool), *held])
    if not mask.any():
        raise Refusal(f"no element uses node {int(mesh.node_ids[row])}")
    return grown(mesh, mask, rings, np.ones(mesh.n_elements, bool))


def _midsides_at(mesh: Mesh, row: int) -> Array:
    """Midside nodes of the edges that end at a node."""
    found = [np.zeros(0, np.int64)]
    for name, block in mesh.elements.items():
        kind = KINDS[name]
        if kind.is_quadratic:
            ends = block.connectivity[:, np.array(kind.edges)]
            found.append(block.connectivity[:, kind.corners :][(ends == row).any(axis=2)])
    return np.unique(np.concatenate(found))


def _complaints(mesh: Mesh, new: Mesh, row: int, new_row: int) -> list[str]:
    """Elements at a node that have come to be beyond a limit or lie farther beyond it, and facets that cross others."""
    limits, said = Limits(), []
    at = extracted(new, np.flatnonzero(_around(new, new_row, 0)))
    before = beyond_by_id(extracted(mesh, np.flatnonzero(_around(mesh, row, 0))), limits)
    for measure, fresh in worsened_by_id(before, beyond_by_id(at, limits)).items():
        over = sum(value <= 0 for _, value in fresh) if measure == "scaled_jacobian" else 0
        words = f"{over} inside out; " if over else ""
        words += ", ".join(f"{number} ({value:.3g})" for number, value in fresh[:_NAMED])
        more = ", ..." if len(fresh) > _NAMED else ""
        limit = getattr(limits, measure)
        said.append(f"{measure.replace('_', ' ')} beyond {limit:g}: {len(fresh)} element(s): {words}{more}")
    low, high = at.nodes.min(axis=0), at.nodes.max(axis=0)
    crossed = [len(_nearby(one, low, high).unsound_triangles) for one in (mesh, new)]
    if crossed[1] > crossed[0]:
        said.append(f"{crossed[1] - crossed[0]} facet(s) at the node cross others, or have no area")
    return said


def _nearby(mesh: Mesh, low: Array, high: Array) -> Mesh:
    """The elements whose boxes reach into a box."""
    near, at = np.zeros(mesh.n_elements, bool), 0
    for block in mesh.elements.values():
        corners = mesh.nodes[block.connectivity]
        meets = (corners.max(axis=1) >= low).all(axis=1) & (corners.min(axis=1) <= high).all(axis=1)
        near[at : at + len(block)] = meets
        at += len(block)
    return extracted(mesh, np.flatnonzero(near))
