"""What a mesh is to a morph: its surface on the mesh's own nodes, the patches and feature edges, and midside nodes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.find_features import find_features
from oddseam.features.patches.simple import primitive_of
from oddseam.geometry.shapes.fitted import NEAREST, FittedSurface
from oddseam.geometry.shapes.primitives import Primitive
from oddseam.geometry.triangles import area_vectors
from oddseam.model import KINDS, Elements, Groups, Mesh, Patch
from oddseam.model.faces import duplicate_rows
from oddseam.model.skin import outer_faces
from oddseam.morphing.drives.settling import Level


@dataclass(frozen=True, eq=False)
class Skeleton:
    """The surface of a mesh, and what lies on it.

    Attributes
    ----------
    mesh : Mesh
    surface : Mesh
        Shells and outer faces of solids, with their corners, on the nodes of the mesh; with creases and patches.
    """

    mesh: Mesh
    surface: Mesh

    @classmethod
    def of(cls, mesh: Mesh) -> Skeleton:
        """The skeleton of a mesh; patches are those of the mesh where it is of shells alone and has some.

        Raises
        ------
        Refusal
            If it has neither shells nor solids.
        """
        outer = outer_faces(mesh)
        surface = _on_own_nodes(mesh, outer)
        if mesh.patches is not None and not outer:
            label = mesh.patches.label[_shell_rows(mesh)]
            return cls(mesh, surface.replaced(patches=type(mesh.patches)(label, mesh.patches.table)))
        return cls(mesh, find_features(surface))

    # ------------------------------------------------------------------ patches

    @property
    def label(self) -> Array:
        """(m,) patch of every element of the surface, or -1."""
        assert self.surface.patches is not None
        return self.surface.patches.label

    @property
    def table(self) -> tuple[Patch, ...]:
        """What every patch is."""
        assert self.surface.patches is not None
        return self.surface.patches.table

    @cached_property
    def primitives(self) -> tuple[Primitive | None, ...]:
        """The simple surface that each patch lies on, or ``None``."""
        return tuple(primitive_of(patch) for patch in self.table)

    def level(self, patch: int) -> Level | None:
        """The surface that a patch lies on: a simple one, else one through its nodes; ``None`` for too few of them."""
        if patch not in self._levels:
            found: Level | None = self.primitives[patch]
            if found is None:
                elements = self.label == patch
                t = self.surface.triangulation
                nodes = np.unique(t.triangles[elements[t.element]])
                if len(nodes) >= NEAREST:
                    found = FittedSurface(self.mesh.nodes[nodes], normals_at(self.surface, elements)[nodes])
            self._levels[patch] = found
        return self._levels[patch]

    @cached_property
    def _levels(self) -> dict[int, Level | None]:
        return {}

    @cached_property
    def of_node(self) -> tuple[Array, Array]:
        """(k,) nodes and (k,) patches: every pair of a node and a patch that it lies on, by node; midside ones too."""
        faces = self.surface.faces
        patch = np.repeat(self.label[faces.element], np.diff(faces.first))
        pairs = [np.column_stack([faces.node, patch])]
        mid, ends = self.midsides
        c = self.surface.connectivity
        edge = c.numbers_of(ends)
        corner = np.flatnonzero(c.edge_of >= 0)
        mid_of = np.full(len(c.edges), -1)
        mid_of[edge[edge >= 0]] = mid[edge >= 0]
        its = mid_of[c.edge_of[corner]]
        pairs.append(np.column_stack([its, patch[corner]])[its >= 0])
        every = np.concatenate(pairs).astype(np.int64)
        width = len(self.table) + 1
        key = np.unique(every[:, 0] * width + every[:, 1] + 1)
        node, patch = key // width, key % width - 1
        return node[patch >= 0], patch[patch >= 0]

    def nodes_on(self, patches: Array) -> Array:
        """(n,) bool: nodes on any of some patches."""
        node, patch = self.of_node
        found = np.zeros(self.mesh.n_nodes, bool)
        found[node[np.isin(patch, patches)]] = True
        return found

    @cached_property
    def on_surface(self) -> Array:
        """(n,) bool: nodes of the surface, midside ones too."""
        found: Array = np.zeros(self.mesh.n_nodes, bool)
        found[self.surface.faces.node] = True
        mid, ends = self.midsides
        found[mid[self.surface.connectivity.numbers_of(ends) >= 0]] = True
        return found

    @cached_property
    def normals(self) -> Array:
        """(n, 3) unit normals of the surface at its nodes, outwards; zero elsewhere."""
        return normals_at(self.surface, np.ones(self.surface.n_elements, bool))

    @cached_property
    def feature_edges(self) -> Array:
        """(k, 2) edges where patches end, more or fewer than two faces meet, or a crease is drawn."""
        c, label = self.surface.connectivity, self.label
        one, two = label[self.surface.faces.element[c.face[c.pairs]]].T
        is_feature = c.face_count != 2
        is_feature[c.pair_edges[one != two]] = True
        if self.surface.creases is not None:
            drawn = c.numbers_of(self.surface.creases.edges)
            is_feature[drawn[drawn >= 0]] = True
        return np.asarray(c.edges[is_feature])

    # ------------------------------------------------------------------ midside nodes

    @cached_property
    def midsides(self) -> tuple[Array, Array]:
        """(k,) midside nodes, each once, and (k, 2) the corners at the ends of their edges."""
        mids, ends = [np.zeros(0, np.int64)], [np.zeros((0, 2), np.int64)]
        for name, block in self.mesh.elements.items():
            kind = KINDS[name]
            if kind.is_quadratic:
                mids.append(block.connectivity[:, kind.corners :].ravel().astype(np.int64))
                ends.append(block.connectivity[:, np.array(kind.edges)].reshape(-1, 2).astype(np.int64))
        mid, first = np.unique(np.concatenate(mids), return_index=True)
        return mid, np.concatenate(ends)[first]


def normals_at(surface: Mesh, which: Array) -> Array:
    """(n, 3) unit normals at nodes, the mean of those elements (m,) that are marked; zero without any."""
    t = surface.triangulation
    rows = np.flatnonzero(which[t.element])
    vectors = area_vectors(surface.nodes[t.triangles[rows]])
    total = np.zeros((surface.n_nodes, 3))
    for k in range(3):
        for d in range(3):
            total[:, d] += np.bincount(t.triangles[rows, k], vectors[:, d], minlength=len(total))
    size = np.linalg.norm(total, axis=1, keepdims=True)
    return np.asarray(total / np.where(size > 0, size, 1.0))


def _shell_rows(mesh: Mesh) -> Array:
    """Indices of shell elements, those of three corners first."""
    found: dict[int, list[Array]] = {3: [], 4: []}
    for name, _, span in mesh.blocks():
        if KINDS[name].dimension == 2:
            found[KINDS[name].corners].append(np.arange(span.start, span.stop))
    return np.concatenate([np.zeros(0, np.int64), *found[3], *found[4]])


def _on_own_nodes(mesh: Mesh, outer: dict[str, tuple[Array, Array, Array]]) -> Mesh:
    """Shells and outer faces as linear elements on the nodes of a mesh; a face that lies under a shell is left out."""
    faces: dict[int, list[tuple[Array, Array]]] = {3: [], 4: []}
    for name, block in mesh.elements.items():
        if KINDS[name].dimension == 2:
            faces[KINDS[name].corners].append((block.connectivity[:, : KINDS[name].corners], block.part))
    for name, (table, element, _) in outer.items():
        k = KINDS[name].corners
        faces[k].append((table[:, :k], mesh.element_part[element]))
    elements, at = {}, 0
    for name, k in (("tri", 3), ("quad", 4)):
        if not faces[k]:
            continue
        table, part = (np.concatenate(column) for column in zip(*faces[k], strict=True))
        if outer:
            keep = np.ones(len(table), bool)
            keep[duplicate_rows(table[:, :3] if k == 3 else np.sort(table, axis=1)[:, :3])] = False
            table, part = table[keep], part[keep]
        elements[name] = Elements(table, np.arange(at + 1, at + 1 + len(table)), part)
        at += len(table)
    if not elements:
        raise Refusal("the mesh has neither shells nor solids to morph")
    groups = Groups({**_nodes_of_groups(mesh), **mesh.groups.nodes})
    return Mesh(mesh.nodes, elements, mesh.parts, mesh.node_ids, groups, mesh.creases, unit=mesh.unit)


def _nodes_of_groups(mesh: Mesh) -> dict[str, Array]:
    """Nodes of every group of elements, and of every group of sides, by name."""
    found: dict[str, list[Array]] = {name: [] for name in (*mesh.groups.elements, *mesh.groups.sides)}
    for name, block, span in mesh.blocks():
        rows = range(span.start, span.stop)
        for group, index in mesh.groups.elements.items():
            its = index[(index >= rows.start) & (index < rows.stop)] - span.start
            found[group].append(np.unique(block.connectivity[its]))
        for group, pairs in mesh.groups.sides.items():
            its = pairs[(pairs[:, 0] >= rows.start) & (pairs[:, 0] < rows.stop)]
            for side, corners in enumerate(KINDS[name].sides):
                mine = its[its[:, 1] == side, 0] - span.start
                found[group].append(np.unique(block.connectivity[mine][:, list(corners)]))
    return {name: np.unique(np.concatenate([np.zeros(0, np.int32), *nodes])) for name, nodes in found.items()}
