"""Where a node may go: on the face, the crease or the round surface that it lies on."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from oddseam.arrays import Array, IdIndex, point_text
from oddseam.editing.zones.bounds import bounds_of
from oddseam.errors import Refusal
from oddseam.features.find_features import find_features
from oddseam.features.patches.curves import chains_of
from oddseam.features.patches.simple import primitive_of
from oddseam.geometry.shapes.primitives import Primitive
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.model import KINDS, Mesh, Patches
from oddseam.model.connectivity import label_components
from oddseam.model.skin import has_solids, skin

#: A node lies on a surface if it is this near to it, over the size of the surroundings.
_ON_SURFACE = 1e-4


class Surroundings:
    """The surface round a node.

    Parameters
    ----------
    local : Mesh
        The elements there, with their ids.
    """

    def __init__(self, local: Mesh) -> None:
        self._surface = skin(local) if has_solids(local) else local

    @cached_property
    def _patches(self) -> Patches:
        found = self._surface if self._surface.patches is not None else find_features(self._surface)
        assert found.patches is not None
        return found.patches

    @cached_property
    def _elements_of(self) -> dict[int, Array]:
        """By node, midside ones too, the elements that have it."""
        node, element = [], []
        for _, block, span in self._surface.blocks():
            node.append(block.connectivity.ravel())
            element.append(np.repeat(np.arange(span.start, span.stop), block.connectivity.shape[1]))
        nodes, elements = np.concatenate(node), np.concatenate(element)
        order = np.argsort(nodes, kind="stable")
        names, first = np.unique(nodes[order], return_index=True)
        return dict(zip(names.tolist(), np.split(elements[order], first[1:]), strict=True))

    def on_round_faces(self, ids: Array, points: Array) -> Array:
        """Points (k, 3) of nodes brought onto the cylinder, sphere and so on that the face of each lies on, if any."""
        placed = points.copy()
        row, missing = IdIndex(self._surface.node_ids).of(ids)
        for k in np.flatnonzero(~missing).tolist():
            primitive = self._round_surface_of(int(row[k]))
            if primitive is not None:
                placed[k] = points[k] - primitive.distance(points[k : k + 1]) * primitive.normal(points[k : k + 1])[0]
        return placed

    def _round_surface_of(self, node: int) -> Primitive | None:
        """The one that a node within one patch lies on."""
        its = np.unique(self._patches.label[self._elements_of.get(node, np.zeros(0, np.int64))])
        if len(its) != 1 or its[0] < 0:
            return None
        primitive = primitive_of(self._patches.table[int(its[0])])
        if primitive is None or primitive.kind == "plane":
            return None
        away = abs(float(primitive.distance(self._surface.nodes[node][None])[0]))
        return primitive if away <= _ON_SURFACE * self._surface.diagonal else None

    def nearest(self, node: int, goal: Array) -> tuple[Array, str]:
        """The nearest place to a goal on what a node, by its id, lies on, and what that is.

        Raises
        ------
        Refusal
            If it is a corner, where one, three or more creases meet.
        """
        found, missing = IdIndex(self._surface.node_ids).of(np.array([node], np.int64))
        if missing[0]:
            return goal, "within the solid"
        k, c = int(found[0]), self._surface.connectivity
        feature = bounds_of(self._surface) >= 0
        if not (self._surface.faces.node == k).any():
            return self._nearest_of_midside(k, goal, feature)
        at = np.flatnonzero((c.edges == k).any(axis=1) & feature)
        if not len(at):
            return self._on_face(k, goal, feature), "along its face"
        if len(at) != 2:
            raise Refusal(
                f"node {node} at {point_text(self._surface.nodes[k])} is a corner, where {len(at)} creases meet; "
                "`free` moves it all the same"
            )
        count = np.bincount(c.edges[feature].ravel(), minlength=self._surface.n_nodes)
        chain = c.edges[feature]
        ends = count != 2
        ends[k] = False
        label = chains_of(chain, ends)
        its = chain[label == label[(chain == k).any(axis=1)][0]]
        place, _ = BoxTree(self._surface.nodes[its[:, [0, 1, 1]]]).closest(goal[None])
        return place[0], "along its crease, rim or joint"

    def _on_face(self, k: int, goal: Array, feature: Array) -> Array:
        """The nearest place on the face between creases that a corner node lies in."""
        surface, c = self._surface, self._surface.connectivity
        open_ = ~feature[c.pair_edges]
        one, two = c.face[c.pairs[open_]].T
        label = label_components(len(surface.faces), one, two)[1]
        t = surface.triangulation
        of_element = np.full(surface.n_elements, -1)
        of_element[surface.faces.element] = label
        its = of_element[t.element]
        own = its[(t.triangles == k).any(axis=1)][0]
        place, _ = BoxTree(surface.nodes[t.triangles], its).closest(goal[None], np.array([own]))
        return np.asarray(self.on_round_faces(surface.node_ids[[k]], place)[0])

    def _nearest_of_midside(self, k: int, goal: Array, feature: Array) -> tuple[Array, str]:
        """The nearest place on the face that a midside node lies in, or on the crease."""
        surface, c = self._surface, self._surface.connectivity
        for name, block in surface.elements.items():
            kind = KINDS[name]
            row, column = np.nonzero(block.connectivity[:, kind.corners :] == k)
            if len(row):
                ends = block.connectivity[row[0], list(kind.edges[column[0]])]
                edge = int(c.numbers_of(ends[None])[0])
                if edge >= 0 and feature[edge]:
                    place, _ = BoxTree(surface.nodes[ends[[0, 1, 1]]][None]).closest(goal[None])
                    return place[0], "along its crease, rim or joint"
        t = surface.triangulation
        near = t.triangles[np.isin(t.element, self._elements_of[k])]
        place, _ = BoxTree(surface.nodes[near]).closest(goal[None])
        return self.on_round_faces(surface.node_ids[[k]], place)[0], "along its face"
