"""The region of a mesh that is worked on: all of its surface, or what a pick selects, the rest staying as it is."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.geometry.edge_keys import edge_keys, edges_of_triangles
from oddseam.model import KINDS, Creases, Mesh
from oddseam.model.origins import nodes_in
from oddseam.model.rings import used_nodes
from oddseam.model.splicing import Spliced, extracted, spliced_with_rows
from oddseam.picks import selected
from oddseam.remeshing.surfaces.sheets import Held
from oddseam.sizes import SizeField

#: Kinds of element that can be meshed anew.
_SURFACE = ("tri", "quad")
#: Edges of the border below this share of the smallest size are those of slivers, and not followed.
_TINY = 0.01


@dataclass(frozen=True, eq=False)
class Region:
    """What is worked on.

    Attributes
    ----------
    whole : Mesh
    surface : Mesh
        The elements to be worked on alone, with their ids; ``whole`` itself if that is all.
    elements : (k,) int array or None
        Which those are of ``whole``; ``None`` for all.
    held : Held or None
        What of ``surface`` other elements use too, in its own node numbers.
    """

    whole: Mesh
    surface: Mesh
    elements: Array | None
    held: Held | None

    @property
    def keeps_ids(self) -> bool:
        """Whether ids mean something to others, so that what is new gets new ones."""
        return self.elements is not None or self.whole.is_deck

    def put_back(self, new: Mesh) -> Mesh:
        """The whole mesh, with what has been made of the surface in its place."""
        return self.spliced(new).mesh

    def spliced(self, new: Mesh) -> Spliced:
        """The same, and where in it the nodes and elements of what has been made are."""
        if self.elements is None or self.held is None:
            return Spliced(new, np.arange(new.n_nodes), np.arange(new.n_elements))
        if new.creases is not None:  # the border of the region is no crease for being one
            edges = nodes_in(new, self.surface)[new.creases.edges]
            foreign = (edges >= 0).all(axis=1) & self.held.has(edges, self.surface.n_nodes)
            new = dataclasses.replace(new, creases=Creases(new.creases.edges[~foreign], new.creases.kind[~foreign]))
        result = spliced_with_rows(self.whole, self.elements, new)
        if result is None:
            raise Refusal("the border of the picked elements did not stay as it was; nothing is changed")
        return result

    def doubled(self, new: Mesh) -> Array:
        """Rows of the triangulation of a new surface with an edge of the border that it has more often than before.

        Nodes of the border may come to be joined a second time, by an edge across the surface.
        """
        none = np.zeros(0, np.int64)
        if self.held is None or not len(self.held.edges):
            return none
        found = []
        for mesh, local in ((self.surface, np.arange(self.surface.n_nodes)), (new, nodes_in(new, self.surface))):
            triangles = local[mesh.triangulation.triangles]
            ends = edges_of_triangles(triangles).reshape(-1, 2)
            at = np.flatnonzero((ends >= 0).all(axis=1))
            at = at[self.held.has(ends[at], self.surface.n_nodes)]
            found.append((at // 3, edge_keys(ends[at], self.surface.n_nodes)))
        (_, before), (rows, after) = found
        keys = np.unique(np.concatenate([before, after]))
        count = [np.bincount(np.searchsorted(keys, its), minlength=len(keys)) for its in (before, after)]
        return np.asarray(np.unique(rows[np.isin(after, keys[count[1] > count[0]])]), np.int64)

    def graded(self, field: SizeField) -> SizeField:
        """The field, as fine at the border of the region as the edges there are, and growing from them."""
        if self.held is None or not len(self.held.edges):
            return field
        ends = self.surface.nodes[self.held.edges]
        length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        return field.finer(ends.mean(axis=1), np.maximum(length, _TINY * field.least))


def region_of(mesh: Mesh, pick: str | None) -> Region:
    """What a pick selects of the surface, or all of it.

    Raises
    ------
    Refusal
        If there is no surface, or other elements would lose their nodes.
    PickError
        If the pick selects nothing.
    """
    is_surface = np.zeros(mesh.n_elements, bool)
    others = []
    for name, block, span in mesh.blocks():
        is_surface[span] = name in _SURFACE
        others += [] if name in _SURFACE else [f"{len(block):,} {name}"]
    if pick is None:
        if others:
            raise Refusal(
                f"the mesh has {', '.join(others)} elements, which would lose their nodes; pick what is to be worked "
                "on and the nodes that these use stay (`oddseam skin` takes the surface of solids)"
            )
        if not mesh.n_elements:
            raise Refusal("the mesh has no surface to be worked on")
        if mesh.is_deck and not used_nodes(mesh).all():  # those that only cards use stay
            return region_round(mesh, np.arange(mesh.n_elements))
        return Region(mesh, mesh, None, None)
    elements = selected(mesh, pick)
    elements = elements[is_surface[elements]]
    if not len(elements):
        raise Refusal(f"pick {pick!r} selects no tri or quad elements; only these can be worked on")
    return region_round(mesh, elements)


def region_round(mesh: Mesh, elements: Array) -> Region:
    """Some of the tri and quad elements."""
    surface = extracted(mesh, elements)
    return Region(mesh, surface, elements, _held(mesh, surface, elements))


def _held(mesh: Mesh, surface: Mesh, elements: Array) -> Held:
    """Nodes and edges of the surface that the other elements of the mesh use."""
    local = nodes_in(mesh, surface)
    rest = np.ones(mesh.n_elements, bool)
    rest[elements] = False
    mark = np.zeros(surface.n_nodes, bool)
    pairs = [np.zeros((0, 2), np.int64)]
    for name, block, span in mesh.blocks():
        nodes = local[block.connectivity[rest[span]]]
        mark[nodes[nodes >= 0]] = True
        for edge in KINDS[name].edges:
            ends = nodes[:, list(edge)]
            pairs.append(ends[(ends >= 0).all(axis=1)])
    return Held(mark, np.unique(np.sort(np.concatenate(pairs), axis=1), axis=0))
