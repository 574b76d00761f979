"""What a pick selects of a mesh."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Literal, cast

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import OddSeamError, PickError
from oddseam.features.find_features import find_features
from oddseam.findings.classes.rim_shapes import rim_lengths
from oddseam.findings.judged.qualities import element_quality
from oddseam.findings.list_pieces import piece_order
from oddseam.formats import read_mesh
from oddseam.geometry.shapes.quality import MORE_IS_WORSE
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import area_vectors
from oddseam.model import KINDS, Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.enclosing import is_inside
from oddseam.model.rings import grown, nodes_of
from oddseam.model.units import Unit
from oddseam.picks.language import Node, parse_pick
from oddseam.picks.of_findings import EDGES_OF_FINDINGS, FINDINGS
from oddseam.picks.on_skin import OF_SURFACES, has_skin_alone, skin_on_nodes

#: What can be picked.
Of = Literal["elements", "nodes", "edges", "rims"]
#: Two patches lie on one surface if what describes them agrees within this share of the diagonal, or of one.
_ONE_SURFACE = 1e-3


def selected(mesh: Mesh, pick: str, of: Of = "elements") -> Array:
    """What :func:`pick` gives."""
    tree = parse_pick(pick)
    by = {"elements": _Elements, "edges": _Edges}.get(of, _Nodes)
    mark = by(mesh, pick).of(tree)
    if of == "rims":
        mark = np.array([mark[rim.nodes].all() for rim in mesh.connectivity.rims], bool)
    chosen = np.flatnonzero(mark)
    if not len(chosen):
        raise PickError(f"pick {pick!r} selects {'nothing' if of == 'elements' else 'no ' + of}")
    return chosen


def measure_name(node: Node) -> str:
    """The measure that a step ``worst`` names."""
    return str(node.values[1]).replace("-", "_").replace(" ", "_")


class _Elements:
    """Works a tree out into a mark for every element."""

    def __init__(self, mesh: Mesh, text: str) -> None:
        self._mesh, self._text = mesh, text

    def _fail(self, node: Node, reason: str) -> PickError:
        return PickError(f"pick {self._text!r}, column {node.column + 1}: {reason}")

    @property
    def _count(self) -> int:
        return self._mesh.n_elements

    def of(self, node: Node) -> Array:
        """(m,) bool for a step."""
        if node.kind in OF_SURFACES and self._skin is not None:
            return self._from_skin(node)
        if node.kind == "flat":
            return self._flat(node)
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
                return self._rings(below[0], int(str(node.values[0])))
            case "all":
                return np.ones(self._count, bool)
        atom: Callable[[Node], Array] = getattr(self, f"_{node.kind}")
        return atom(node)

    # ------------------------------------------------------------------ of solids by their skin

    @cached_property
    def _skin(self) -> _Skin | None:
        """What works steps out that speak of surfaces, where a mesh has solids and no shells."""
        return _Skin(self._mesh, self._text) if has_skin_alone(self._mesh) else None

    def _from_skin(self, node: Node) -> Array:
        """Solids with a face that is selected."""
        assert self._skin is not None
        return self._marked(self._skin.owner[self._skin.of(node)])

    # ------------------------------------------------------------------ by what they are

    def _ids(self, node: Node) -> Array:
        return self._with_ids(node, self._mesh.element_ids, "element")

    def _with_ids(self, node: Node, ids: Array, what: str) -> Array:
        found = np.zeros(len(ids), bool)
        for first, last in node.ranges:
            mine = (ids >= first) & (ids <= last)
            if not mine.any():
                span = f"{first}" if first == last else f"{first}-{last}"
                raise self._fail(node, f"there is no {what} {span}")
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

    def _finding(self, node: Node) -> Array:
        name = str(node.values[0])
        if name not in FINDINGS:
            raise self._fail(node, f"there is no finding {name!r} to pick; there are {', '.join(FINDINGS)}")
        return self._marked(FINDINGS[name](self._mesh))

    def _worst(self, node: Node) -> Array:
        count, name = int(str(node.values[0])), measure_name(node)
        values = np.full(self._mesh.n_elements, np.nan)
        known: set[str] = set()
        for index, measures in element_quality(self._mesh).values():
            known |= measures.keys()
            if name in measures:
                values[index] = measures[name]
        if name not in known:
            raise self._fail(node, f"there is no measure {name!r}; there are {', '.join(sorted(known)) or '(none)'}")
        order = np.argsort(-values if name in MORE_IS_WORSE else values, kind="stable")
        return self._marked(order[: min(count, int((~np.isnan(values)).sum()))])

    # ------------------------------------------------------------------ by the surface

    def _near(self, node: Node) -> Array:
        return self._marked(np.array([self._nearest(node)]))

    def _piece(self, node: Node) -> Array:
        surface = self._mesh.triangulation
        piece = self._mesh.pieces.of_triangle
        (which,) = node.values
        if isinstance(which, int):
            order = piece_order(self._mesh)
            if not 1 <= which <= len(order):
                raise self._fail(
                    node, f"there is no piece {which}; there are {len(order):,} (`oddseam pieces` lists them)"
                )
            return self._marked(surface.element[piece == order[which - 1]])
        its = piece[np.flatnonzero(surface.element == self._nearest(node))[0]]
        return self._marked(surface.element[piece == its])

    @cached_property
    def _with_patches(self) -> Mesh:
        return self._mesh if self._mesh.patches is not None else find_features(self._mesh)

    def _patch(self, node: Node) -> Array:
        patches = self._with_patches.patches
        assert patches is not None
        if isinstance(node.values[0], tuple):
            return np.asarray(patches.label == patches.label[self._nearest(node)])
        names = [patch.name for patch in patches.table]
        if node.values[0] not in names:
            raise self._fail(node, f"there is no patch {node.values[0]!r}; patches are {', '.join(names[:8])}")
        return np.asarray(patches.label == names.index(str(node.values[0])))

    def _surface(self, node: Node) -> Array:
        """All patches on the plane, cylinder, cone, sphere or torus of the one at a point."""
        patches = self._with_patches.patches
        assert patches is not None
        own = int(patches.label[self._nearest(node)])
        mine = patches.table[own]
        if own < 0 or mine.kind == "free-form" or mine.centre is None:
            raise self._fail(node, "the surface there is free-form; pick its patch")
        near = _ONE_SURFACE * self._mesh.diagonal
        same = []
        for k, other in enumerate(patches.table):
            if other.kind != mine.kind or other.centre is None:
                continue
            away = np.subtract(other.centre, mine.centre)
            if mine.axis is not None and other.axis is not None:
                if np.linalg.norm(np.cross(mine.axis, other.axis)) > _ONE_SURFACE:
                    continue
                along = float(away @ np.array(mine.axis))
                if mine.kind == "cylinder":
                    away = away - along * np.array(mine.axis)
                elif mine.kind == "plane":
                    away = np.array([along])
            sizes = [(mine.radius, other.radius), (mine.tube, other.tube)]
            differ = [abs((a or 0.0) - (b or 0.0)) for a, b in sizes]
            if np.linalg.norm(away) <= near and max(differ) <= (_ONE_SURFACE * 90.0 if mine.kind == "cone" else near):
                same.append(k)
        return np.isin(patches.label, same)

    def _rim(self, node: Node) -> Array:
        return self._marked(self._at_rims(self._nearest_rim(node)))

    def _rims(self, node: Node) -> Array:
        return self._marked(self._at_rims(self._small_rims(node)))

    def _small_rims(self, node: Node) -> list[int]:
        return np.flatnonzero(rim_lengths(self._mesh) < float(str(node.values[0]))).tolist()

    def _nearest_rim(self, node: Node) -> list[int]:
        rims = self._mesh.connectivity.rims
        if not rims:
            raise self._fail(node, "the surface has no rim")
        place = np.array(node.values[0], float)
        away = [float(np.linalg.norm(self._mesh.nodes[rim.nodes] - place, axis=1).min()) for rim in rims]
        return [int(np.argmin(away))]

    def _at_rims(self, numbers: list[int]) -> Array:
        """Elements along rims."""
        c = self._mesh.connectivity
        faces = [c.face[c.rims[k].corners] for k in numbers]
        return np.asarray(self._mesh.faces.element[np.concatenate([np.zeros(0, np.int64), *faces])])

    def _nearest(self, node: Node) -> int:
        surface = self._mesh.triangulation
        if not len(surface.triangles):
            raise self._fail(node, "the mesh has no shell elements to be near to")
        tree = BoxTree(self._mesh.nodes[surface.triangles])
        _, row = tree.closest(np.array([node.values[0]], float))
        return int(surface.element[tree.order[row[0]]])

    # ------------------------------------------------------------------ by place

    def _box(self, node: Node) -> Array:
        ends = np.array(node.values, float)
        low, high = ends.min(axis=0), ends.max(axis=0)
        return self._placed(((self._mesh.nodes >= low) & (self._mesh.nodes <= high)).all(axis=1))

    def _sphere(self, node: Node) -> Array:
        away = np.linalg.norm(self._mesh.nodes - np.array(node.values[0], float), axis=1)
        return self._placed(away <= float(str(node.values[1])))

    def _cylinder(self, node: Node) -> Array:
        begin, end = (np.array(node.values[k], float) for k in (0, 1))
        axis, away = end - begin, self._mesh.nodes - begin
        length = float(np.linalg.norm(axis))
        if length == 0:
            raise self._fail(node, "the two ends of the axis are one point")
        along = away @ (axis / length)
        out = np.linalg.norm(away - along[:, None] * (axis / length), axis=1)
        return self._placed((along >= 0) & (along <= length) & (out <= float(str(node.values[2]))))

    def _inside(self, node: Node) -> Array:
        try:
            body = read_mesh(str(node.values[0]), unit=cast(Unit | None, self._mesh.unit))
        except OddSeamError as error:
            raise self._fail(node, str(error)) from None
        return self._placed(is_inside(body, self._mesh.nodes))

    def _placed(self, inside: Array) -> Array:
        return self._by_nodes(inside, all_of_them=True)

    def _by_nodes(self, inside: Array, *, all_of_them: bool) -> Array:
        """Elements with all their nodes, or any, among those marked."""
        held = [np.zeros(0, bool)]
        for block in self._mesh.elements.values():
            mark = inside[block.connectivity]
            held.append(np.asarray(mark.all(axis=1) if all_of_them else mark.any(axis=1)))
        return np.concatenate(held)

    def _marked(self, elements: Array) -> Array:
        found = np.zeros(self._mesh.n_elements, bool)
        found[elements] = True
        return found

    # ------------------------------------------------------------------ grown

    def _rings(self, chosen: Array, count: int) -> Array:
        """Grown by rings of elements of a like dimension that share a node."""
        like = np.concatenate(
            [
                np.zeros(0, np.int8),
                *(np.full(len(b), KINDS[k].dimension, np.int8) for k, b in self._mesh.elements.items()),
            ]
        )
        return grown(self._mesh, chosen, count, np.isin(like, like[chosen]))

    def _flat(self, node: Node) -> Array:
        """Grown across edges that turn by less than an angle, to elements that look the way the seeds do, about."""
        chosen = self.of(node.below[0])
        angle, limit = (np.radians(float(str(value))) for value in node.values)
        mesh, c = self._mesh, self._mesh.connectivity
        vectors = np.zeros((mesh.n_elements, 3))
        t = mesh.triangulation
        np.add.at(vectors, t.element, area_vectors(mesh.nodes[t.triangles]))
        size = np.linalg.norm(vectors, axis=1)
        normal = vectors / np.where(size > 0, size, 1.0)[:, None]
        seed = vectors[chosen].sum(axis=0)
        length = float(np.linalg.norm(seed))
        open_ = np.ones(mesh.n_elements, bool)
        if length > 0:
            open_ = normal @ (seed / length) >= np.cos(limit) - 1e-12
        one, two = mesh.faces.element[c.face[c.pairs]].astype(np.int64).T
        cosine = np.where(c.pair_agrees, 1.0, -1.0) * np.einsum("ij,ij->i", normal[one], normal[two])
        flat = (cosine >= np.cos(angle)) & open_[one] & open_[two]
        label = label_components(mesh.n_elements, one[flat], two[flat])[1]
        return np.asarray(chosen | np.isin(label, label[chosen & (size > 0)]) & open_ & (size > 0))


class _Skin(_Elements):
    """Works a tree out into a mark for every outer face of solids; what does not speak of surfaces, by their solids."""

    def __init__(self, solids: Mesh, text: str) -> None:
        surface, self.owner = skin_on_nodes(solids)
        super().__init__(surface, text)
        self.surface, self._solids = surface, solids

    def of(self, node: Node) -> Array:
        if node.kind in OF_SURFACES or node.below:
            return super().of(node)
        return np.asarray(_Elements(self._solids, self._text).of(node)[self.owner])


class _Nodes(_Elements):
    """Works a tree out into a mark for every node: by its own place, or as one of the elements that are picked."""

    def __init__(self, mesh: Mesh, text: str) -> None:
        super().__init__(mesh, text)
        self._elements = _Elements(mesh, text)

    @property
    def _count(self) -> int:
        return self._mesh.n_nodes

    def _from_skin(self, node: Node) -> Array:
        """Nodes of faces that are selected; the nearest one is that of all."""
        if node.kind == "near":
            return self._near(node)
        assert self._skin is not None
        return nodes_of(self._skin.surface, self._skin.of(node))

    def _ids(self, node: Node) -> Array:
        return self._with_ids(node, self._mesh.node_ids, "node")

    def _placed(self, inside: Array) -> Array:
        return inside

    def _near(self, node: Node) -> Array:
        found = np.zeros(self._mesh.n_nodes, bool)
        if len(found):
            found[int(np.argmin(np.linalg.norm(self._mesh.nodes - np.array(node.values[0], float), axis=1)))] = True
        return found

    def _group(self, node: Node) -> Array:
        found = np.zeros(self._mesh.n_nodes, bool)
        if str(node.values[0]) not in self._mesh.groups.nodes:
            return self._of_elements(node)
        found[self._mesh.groups.nodes[str(node.values[0])]] = True
        return found

    def _rim(self, node: Node) -> Array:
        return self._on_rims(self._nearest_rim(node))

    def _rims(self, node: Node) -> Array:
        return self._on_rims(self._small_rims(node))

    def _on_rims(self, numbers: list[int]) -> Array:
        found = np.zeros(self._mesh.n_nodes, bool)
        for k in numbers:
            found[self._mesh.connectivity.rims[k].nodes] = True
        return found

    def _rings(self, chosen: Array, count: int) -> Array:
        for _ in range(count):
            touched = self._by_nodes(chosen, all_of_them=False)
            chosen = chosen | nodes_of(self._mesh, touched)
        return chosen

    def _flat(self, node: Node) -> Array:
        return self._of_elements(node)

    def _of_elements(self, node: Node) -> Array:
        return nodes_of(self._mesh, self._elements.of(node))

    _part = _piece = _patch = _surface = _finding = _worst = _of_elements


class _Edges(_Elements):
    """Works a tree out into a mark for every edge: those of a finding, else those with both nodes picked."""

    def __init__(self, mesh: Mesh, text: str) -> None:
        super().__init__(mesh, text)
        self._nodes = _Nodes(mesh, text)

    @property
    def _count(self) -> int:
        return len(self._mesh.connectivity.edges)

    def of(self, node: Node) -> Array:
        if node.kind in ("and", "or", "minus", "not"):
            return super().of(node)
        if node.kind == "finding" and node.values[0] in EDGES_OF_FINDINGS:
            return EDGES_OF_FINDINGS[str(node.values[0])](self._mesh)
        return np.asarray(self._nodes.of(node)[self._mesh.connectivity.edges].all(axis=1))
