"""What a pick selects of a mesh."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import PickError
from oddseam.findings import Limits, defects
from oddseam.findings.qualities import inverted_indices
from oddseam.geometry.boxtree import BoxTree
from oddseam.model import KINDS, Mesh
from oddseam.model.rings import grown
from oddseam.picks.language import Node, parse_pick


def pick(mesh: Mesh, what: str) -> Array:
    """Indices of the elements that a pick selects.

    Parameters
    ----------
    mesh : Mesh
    what : str
        Such as ``"part hood and not sphere (0, 0, 9) 2.5"``; see the page on picks.

    Returns
    -------
    (k,) int64 array
        Element indices, ascending.

    Raises
    ------
    PickError
        If the text cannot be understood (with the column), names what is not there, or
        selects nothing.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.pick(corner, "ids 2-3 or near (0.6, 0.6, 0.6)").tolist()
    [1, 2, 3]
    """
    chosen = np.flatnonzero(_Selection(mesh, what).of(parse_pick(what)))
    if not len(chosen):
        raise PickError(f"pick {what!r} selects nothing")
    return chosen


class _Selection:
    """Works a tree out into a mark for every element."""

    def __init__(self, mesh: Mesh, text: str) -> None:
        self._mesh, self._text = mesh, text

    def _fail(self, node: Node, reason: str) -> PickError:
        return PickError(f"pick {self._text!r}, column {node.column + 1}: {reason}")

    def of(self, node: Node) -> Array:
        """(m,) bool for a step."""
        below = [self.of(other) for other in node.below]
        match node.kind:
            case "and":
                return np.asarray(below[0] & below[1])
            case "or":
                return np.asarray(below[0] | below[1])
            case "minus":
                return np.asarray(below[0] & ~below[1])
            case "not":
                return ~below[0]
            case "rings":
                return self._grown(below[0], node)
            case "all":
                return np.ones(self._mesh.n_elements, bool)
        atom: Callable[[Node], Array] = getattr(self, f"_{node.kind}")
        return atom(node)

    # ------------------------------------------------------------------ atoms

    def _ids(self, node: Node) -> Array:
        found = np.zeros(self._mesh.n_elements, bool)
        for first, last in node.ranges:
            mine = (self._mesh.element_ids >= first) & (self._mesh.element_ids <= last)
            if not mine.any():
                span = f"{first}" if first == last else f"{first}-{last}"
                raise self._fail(node, f"there is no element {span}")
            found |= mine
        return found

    def _part(self, node: Node) -> Array:
        names = [part.name for part in self._mesh.parts]
        if node.values[0] not in names:
            raise self._fail(node, f"there is no part {node.values[0]!r}; parts are {', '.join(names[:8])}")
        return np.asarray(self._mesh.element_part == names.index(str(node.values[0])))

    def _group(self, node: Node) -> Array:
        groups, name = self._mesh.groups, str(node.values[0])
        found = np.zeros(self._mesh.n_elements, bool)
        if name in groups.elements:
            found[groups.elements[name]] = True
        elif name in groups.sides:
            found[groups.sides[name][:, 0]] = True
        elif name in groups.nodes:
            inside = np.zeros(self._mesh.n_nodes, bool)
            inside[groups.nodes[name]] = True
            return self._by_nodes(inside, all_of_them=True)
        else:
            names = [*groups.elements, *groups.sides, *groups.nodes]
            raise self._fail(node, f"there is no group {name!r}; groups are {', '.join(names[:8]) or '(none)'}")
        return found

    def _near(self, node: Node) -> Array:
        found = np.zeros(self._mesh.n_elements, bool)
        found[self._nearest(node)] = True
        return found

    def _piece(self, node: Node) -> Array:
        surface = self._mesh.triangulation
        piece = self._mesh.pieces.of_triangle
        its = piece[np.flatnonzero(surface.element == self._nearest(node))[0]]
        found = np.zeros(self._mesh.n_elements, bool)
        found[surface.element[piece == its]] = True
        return found

    def _nearest(self, node: Node) -> int:
        surface = self._mesh.triangulation
        if not len(surface.triangles):
            raise self._fail(node, "the mesh has no shell elements to be near to")
        tree = BoxTree(self._mesh.nodes[surface.triangles])
        _, row = tree.closest(np.array([node.values[0]], float))
        return int(surface.element[tree.order[row[0]]])

    def _box(self, node: Node) -> Array:
        ends = np.array(node.values, float)
        low, high = ends.min(axis=0), ends.max(axis=0)
        inside = ((self._mesh.nodes >= low) & (self._mesh.nodes <= high)).all(axis=1)
        return self._by_nodes(inside, all_of_them=True)

    def _sphere(self, node: Node) -> Array:
        away = np.linalg.norm(self._mesh.nodes - np.array(node.values[0], float), axis=1)
        return self._by_nodes(away <= float(str(node.values[1])), all_of_them=True)

    def _finding(self, node: Node) -> Array:
        name = str(node.values[0])
        if name not in _FINDINGS:
            raise self._fail(node, f"there is no finding {name!r} to pick; there are {', '.join(_FINDINGS)}")
        found = np.zeros(self._mesh.n_elements, bool)
        found[_FINDINGS[name](self._mesh)] = True
        return found

    # ------------------------------------------------------------------ by nodes

    def _by_nodes(self, inside: Array, *, all_of_them: bool) -> Array:
        """Elements with all their nodes, or any, among those marked."""
        held = [np.zeros(0, bool)]
        for block in self._mesh.elements.values():
            mark = inside[block.connectivity]
            held.append(np.asarray(mark.all(axis=1) if all_of_them else mark.any(axis=1)))
        return np.concatenate(held)

    def _grown(self, chosen: Array, node: Node) -> Array:
        """Grown by rings of elements of a like dimension that share a node."""
        like = np.concatenate(
            [
                np.zeros(0, np.int8),
                *(np.full(len(b), KINDS[k].dimension, np.int8) for k, b in self._mesh.elements.items()),
            ]
        )
        return grown(self._mesh, chosen, int(str(node.values[0])), np.isin(like, like[chosen]))


def _of_triangles(rows: Callable[[Mesh], Array]) -> Callable[[Mesh], Array]:
    return lambda mesh: mesh.triangulation.element[rows(mesh)]


def _at_edges(which: str) -> Callable[[Mesh], Array]:
    def elements(mesh: Mesh) -> Array:
        c = mesh.connectivity
        corner = np.flatnonzero(c.edge_of >= 0)
        return np.asarray(mesh.faces.element[c.face[corner[getattr(c, which)[c.edge_of[corner]]]]])

    return elements


def _of_crumbs(mesh: Mesh) -> Array:
    pieces = defects.crumb_pieces(mesh, Limits().crumb * mesh.diagonal)
    return np.asarray(mesh.triangulation.element[np.isin(mesh.pieces.of_triangle, pieces)])


def _of_inward(mesh: Mesh) -> Array:
    return np.asarray(mesh.triangulation.element[np.isin(mesh.pieces.of_triangle, mesh.pieces.inward)])


#: Elements of the findings that can be picked, by the names that a survey gives them.
_FINDINGS: dict[str, Callable[[Mesh], Array]] = {
    "duplicate facets": _of_triangles(lambda mesh: mesh.duplicate_triangles),
    "degenerate facets": _of_triangles(lambda mesh: mesh.degenerate_triangles),
    "crossing facets": _of_triangles(lambda mesh: mesh.crossing_triangles.ravel()),
    "slivers": _of_triangles(lambda mesh: defects.sliver_rows(mesh)[0]),
    "free edges": _at_edges("is_free"),
    "non-manifold edges": _at_edges("is_nonmanifold"),
    "misoriented edges": lambda mesh: mesh.faces.element[defects.minority_faces(mesh)[0]],
    "crumbs": _of_crumbs,
    "inside-out pieces": _of_inward,
    "inverted elements": inverted_indices,
}
