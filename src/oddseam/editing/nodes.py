"""Single nodes moved along their face or crease, and merged; what that does to elements is said at once."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, point_text
from oddseam.editing.bounds import bounds_of
from oddseam.errors import Refusal
from oddseam.features.curves import chains_of
from oddseam.findings import Limits
from oddseam.findings.finding import point_of
from oddseam.findings.qualities import beyond_limit, element_quality
from oddseam.geometry.boxtree import BoxTree
from oddseam.model import KINDS, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.editing import merged
from oddseam.model.loss import changed_shape, kept_shape
from oddseam.model.outer_faces import skin
from oddseam.model.rings import grown
from oddseam.model.splicing import extracted
from oddseam.remeshing.merging import without_collapsed

Point = tuple[float, float, float]
#: Rings of elements round a node within which it moves.
_RINGS = 4
#: So many elements are named.
_NAMED = 6


@recorded("move node", loss=changed_shape)
def move_node(mesh: Mesh, node: int, *, to: Point, free: bool = False) -> tuple[Mesh, Outcome]:
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
        Nothing else changes.  ``outcome.unmet`` names the elements that fall below a limit, and facets that cross.

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
    local = extracted(mesh, np.flatnonzero(_around(mesh, row, _RINGS)))
    place, along = (goal, "as asked") if free else _placed(local, node, goal)
    nodes = mesh.nodes.copy()
    nodes[row] = place
    new = mesh.replaced(nodes=nodes)
    move = float(np.linalg.norm(place - mesh.nodes[row]))
    off = float(np.linalg.norm(place - goal))
    step = Step("move", 1, move, f"node, {along}; {off:.4g} from where it was to go", (point_of(place),))
    return new, Outcome((step,), (), tuple(_complaints(mesh, new, row, row)))


@recorded("merge nodes", loss=kept_shape)
def merge_nodes(mesh: Mesh, keep: int, gone: int) -> tuple[Mesh, Outcome]:
    """Merge a node into another one, which stays where it is.

    Triangles that have both go, quads with both at one edge become triangles.

    Parameters
    ----------
    mesh : Mesh
    keep, gone : int
        Ids of nodes.

    Raises
    ------
    Refusal
        If there is no such node, solids or lines have both, or more than two facets would come to meet in an edge.

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
        if both.any() and name not in ("tri", "quad"):
            raise Refusal(f"{int(both.sum())} {name} element(s), such as {int(block.ids[both][0])}, have both nodes")
    into = np.arange(mesh.n_nodes)
    into[lost] = kept
    new = without_collapsed(merged(mesh, into), np.zeros(0, np.int64))
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


def _placed(local: Mesh, node: int, goal: Array) -> tuple[Array, str]:
    """The nearest place to a goal on what a node lies on, and what that is."""
    surface = skin(local) if any(KINDS[name].dimension == 3 for name in local.elements) else local
    found, missing = IdIndex(surface.node_ids).of(np.array([node], np.int64))
    if missing[0]:
        return goal, "within the solid"
    k, c = int(found[0]), surface.connectivity
    feature = bounds_of(surface, across_parts=False) >= 0
    at = np.flatnonzero((c.edges == k).any(axis=1) & feature)
    if len(at) == 0:
        open_ = ~feature[c.pair_edges]
        one, two = c.face[c.pairs[open_]].T
        label = label_components(len(surface.faces), one, two)[1]
        t = surface.triangulation
        of_element = np.full(surface.n_elements, -1)
        of_element[surface.faces.element] = label
        its = of_element[t.element]
        own = its[(t.triangles == k).any(axis=1)][0]
        place, _ = BoxTree(surface.nodes[t.triangles], its).closest(goal[None], np.array([own]))
        return place[0], "along its face"
    if len(at) != 2:
        raise Refusal(
            f"node {node} at {point_text(surface.nodes[k])} is a corner, where {len(at)} creases meet; "
            "`free` moves it all the same"
        )
    count = np.bincount(c.edges[feature].ravel(), minlength=surface.n_nodes)
    chain = c.edges[feature]
    ends = count != 2
    ends[k] = False
    label = chains_of(chain, ends)
    its = chain[label == label[(chain == k).any(axis=1)][0]]
    place, _ = BoxTree(surface.nodes[its[:, [0, 1, 1]]]).closest(goal[None])
    return place[0], "along its crease, rim or joint"


def _complaints(mesh: Mesh, new: Mesh, row: int, new_row: int) -> list[str]:
    """Elements at a node that have fallen below a limit, and facets there that have come to cross others."""
    limits, said = Limits(), []
    before = _measures(extracted(mesh, np.flatnonzero(_around(mesh, row, 0))), limits)
    at = extracted(new, np.flatnonzero(_around(new, new_row, 0)))
    for measure, found in _measures(at, limits).items():
        fresh = [(number, value) for number, value in found if number not in dict(before.get(measure, []))]
        if fresh:
            words = ", ".join(f"{number} ({value:.3g})" for number, value in fresh[:_NAMED])
            more = ", ..." if len(fresh) > _NAMED else ""
            limit = getattr(limits, measure)
            said.append(f"{measure.replace('_', ' ')} beyond {limit:g}: {len(fresh)} element(s): {words}{more}")
    low, high = at.nodes.min(axis=0), at.nodes.max(axis=0)
    crossed = [len(_nearby(one, low, high).unsound_triangles) for one in (mesh, new)]
    if crossed[1] > crossed[0]:
        said.append(f"{crossed[1] - crossed[0]} facet(s) at the node cross others, or have no area")
    return said


def _measures(mesh: Mesh, limits: Limits) -> dict[str, list[tuple[int, float]]]:
    """By measure, the ids of elements beyond the limit, with their values."""
    found: dict[str, list[tuple[int, float]]] = {}
    for index, measures in element_quality(mesh).values():
        for measure, values in measures.items():
            bad = np.flatnonzero(beyond_limit(measure, values, float(getattr(limits, measure))))
            ids = mesh.element_ids[index[bad]].tolist()
            found.setdefault(measure, []).extend(zip(ids, values[bad].tolist(), strict=True))
    return found


def _nearby(mesh: Mesh, low: Array, high: Array) -> Mesh:
    """The elements whose boxes reach into a box."""
    near, at = np.zeros(mesh.n_elements, bool), 0
    for block in mesh.elements.values():
        corners = mesh.nodes[block.connectivity]
        meets = (corners.max(axis=1) >= low).all(axis=1) & (corners.min(axis=1) <= high).all(axis=1)
        near[at : at + len(block)] = meets
        at += len(block)
    return extracted(mesh, np.flatnonzero(near))
