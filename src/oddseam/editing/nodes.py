"""Single nodes moved along their face or crease, and merged; what that does to elements is said at once."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, IdIndex, listed, point_text
from oddseam.editing.bounds import bounds_of
from oddseam.errors import Refusal
from oddseam.features.curves import chains_of
from oddseam.features.patches import find_features
from oddseam.features.simple import primitive_of
from oddseam.findings import Limits
from oddseam.findings.finding import point_of
from oddseam.findings.qualities import beyond_limit, element_quality, inverted_indices
from oddseam.geometry.boxtree import BoxTree
from oddseam.geometry.primitives import Primitive
from oddseam.geometry.quality import MORE_IS_WORSE
from oddseam.model import KINDS, Mesh, Patches
from oddseam.model.connectivity import label_components
from oddseam.model.editing import merged
from oddseam.model.loss import changed_shape, kept_shape
from oddseam.model.outer_faces import has_solids, skin
from oddseam.model.rings import grown
from oddseam.model.splicing import extracted
from oddseam.remeshing.merging import without_collapsed

Point = tuple[float, float, float]
#: Rings of elements round a node within which it moves.
_RINGS = 4
#: A node lies on a surface if it is this near to it, over the size of the surroundings.
_SAME = 1e-4
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
    local = extracted(mesh, np.flatnonzero(_around(mesh, row, _RINGS)))
    place, along = (goal, "as asked") if free else _placed(local, node, goal)
    nodes = mesh.nodes.copy()
    nodes[row] = place
    step_of = 0.5 * (place - mesh.nodes[row])
    along_with = _midsides_at(mesh, row)
    nodes[along_with] += step_of
    if not free:
        nodes[along_with] = _on_round_face(
            local, IdIndex(local.node_ids).of(mesh.node_ids[along_with])[0], nodes[along_with]
        )
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


def _surface_of(local: Mesh) -> Mesh:
    return skin(local) if has_solids(local) else local


def _on_round_face(local: Mesh, rows: Array, points: Array) -> Array:
    """Points (k, 3) of nodes brought onto the cylinder, sphere and so on that their face lies on, if it does."""
    if not len(rows):
        return points
    surface = _surface_of(local)
    patches = _patches_of(surface)
    of_node = _nodes_of_faces(surface)
    placed = points.copy()
    row, missing = IdIndex(surface.node_ids).of(local.node_ids[rows])
    for k in np.flatnonzero(~missing).tolist():
        its = np.unique(patches.label[of_node.get(int(row[k]), np.zeros(0, np.int64))])
        primitive = primitive_of(patches.table[int(its[0])]) if len(its) == 1 and its[0] >= 0 else None
        if primitive is not None and primitive.kind != "plane" and _lies_on(primitive, local.nodes[rows[k]], surface):
            placed[k] = points[k] - primitive.distance(points[k : k + 1]) * primitive.normal(points[k : k + 1])[0]
    return placed


def _lies_on(primitive: Primitive, point: Array, surface: Mesh) -> bool:
    """Whether a node was on a surface before it was moved."""
    return bool(np.abs(primitive.distance(point[None])[0]) <= _SAME * surface.diagonal)


def _patches_of(surface: Mesh) -> Patches:
    found = surface if surface.patches is not None else find_features(surface)
    assert found.patches is not None
    return found.patches


def _nodes_of_faces(surface: Mesh) -> dict[int, Array]:
    """By node, midside ones too, the elements of a surface that have it."""
    node, element, at = [], [], 0
    for block in surface.elements.values():
        node.append(block.connectivity.ravel())
        element.append(np.repeat(np.arange(at, at + len(block)), block.connectivity.shape[1]))
        at += len(block)
    nodes, elements = np.concatenate(node), np.concatenate(element)
    order = np.argsort(nodes, kind="stable")
    names, first = np.unique(nodes[order], return_index=True)
    return dict(zip(names.tolist(), np.split(elements[order], first[1:]), strict=True))


def _placed(local: Mesh, node: int, goal: Array) -> tuple[Array, str]:
    """The nearest place to a goal on what a node lies on, and what that is."""
    surface = _surface_of(local)
    found, missing = IdIndex(surface.node_ids).of(np.array([node], np.int64))
    if missing[0]:
        return goal, "within the solid"
    k, c = int(found[0]), surface.connectivity
    is_corner = bool((surface.faces.node == k).any())
    feature = bounds_of(surface) >= 0
    at = np.flatnonzero((c.edges == k).any(axis=1) & feature)
    if not is_corner:
        return _placed_midside(surface, k, goal, feature)
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
        rows = IdIndex(local.node_ids).of(np.array([node], np.int64))[0]
        return _on_round_face(local, rows, place)[0], "along its face"
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


def _placed_midside(surface: Mesh, k: int, goal: Array, feature: Array) -> tuple[Array, str]:
    """The nearest place to a goal on the face that a midside node lies in, or on the crease."""
    elements = _nodes_of_faces(surface)[k]
    c = surface.connectivity
    for name, block in surface.elements.items():
        kind = KINDS[name]
        if not kind.is_quadratic:
            continue
        row, column = np.nonzero(block.connectivity[:, kind.corners :] == k)
        if len(row):
            ends = block.connectivity[row[0], list(kind.edges[column[0]])]
            edge = int(c.numbers_of(ends[None])[0])
            if edge >= 0 and feature[edge]:
                place, _ = BoxTree(surface.nodes[ends[[0, 1, 1]]][None]).closest(goal[None])
                return place[0], "along its crease, rim or joint"
    t = surface.triangulation
    place, _ = BoxTree(surface.nodes[t.triangles[np.isin(t.element, elements)]]).closest(goal[None])
    return _on_round_face(surface, np.array([k]), place)[0], "along its face"


def _complaints(mesh: Mesh, new: Mesh, row: int, new_row: int) -> list[str]:
    """Elements at a node that have fallen below a limit, and facets there that have come to cross others."""
    limits, said = Limits(), []
    before = _measures(extracted(mesh, np.flatnonzero(_around(mesh, row, 0))), limits)
    at = extracted(new, np.flatnonzero(_around(new, new_row, 0)))
    for measure, found in _measures(at, limits).items():
        fresh = [(number, value) for number, value in found if number not in dict(before.get(measure, []))]
        if fresh:
            fresh.sort(key=lambda one: -one[1] if measure in MORE_IS_WORSE else one[1])
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
