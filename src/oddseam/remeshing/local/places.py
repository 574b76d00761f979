"""Places of a mesh that are worked on one by one, and kept only where that made them better."""

from __future__ import annotations

import dataclasses
from typing import NamedTuple, Protocol

import numpy as np

from oddseam.arrays import Array, IdIndex
from oddseam.formats import as_held
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import areas
from oddseam.model import Mesh
from oddseam.model.connectivity import label_components
from oddseam.model.origins import elements_in
from oddseam.model.rings import grown
from oddseam.remeshing.local.relaxation import Around, search
from oddseam.remeshing.surfaces.assembly import assembled, cut
from oddseam.remeshing.surfaces.net import Fineness
from oddseam.remeshing.surfaces.region import Region, region_round
from oddseam.remeshing.surfaces.sheets import Noise
from oddseam.remeshing.surfaces.surface import remesh_sheets
from oddseam.sizes import SizeField

#: Rounds of moving nodes alone, and of doing without the places that did not get better.
_MOVES, _AGAIN = 8, 6
#: Elements that are meshed anew at most in all attempts: so many times those that may be, and this many more.
_TIMES, _MORE = 6, 20_000
#: Sizes below this share of the largest are those of slivers.
_TINY = 5e-3
#: Growth of the size about the elements that are meshed anew.
_GROWTH = 0.5
#: Area of an equilateral triangle, over the square of its edge.
_AREA = 0.433


class Judge(Protocol):
    """Says how far elements are beyond what is wanted."""

    def shortfall(self, mesh: Mesh) -> Array:
        """(m,) for every element; more is worse, 0 or less is good."""


class Rules(NamedTuple):
    """What places are judged by: ``deviation`` is how far the surface may be left."""

    judge: Judge
    deviation: float
    crease: float
    target: str | None


class _Made(NamedTuple):
    """A region meshed anew.

    ``place`` is which place every element of it was of, ``whole`` the mesh with the new elements in it, ``of_element``
    the place of each of these and ``own`` where in it they are; ``corners`` are their triangles, and ``element`` is
    which of them each is of.
    """

    region: Region
    place: Array
    whole: Mesh
    of_element: Array
    own: Array
    corners: Array
    element: Array


class _Followed(NamedTuple):
    """Some of the samples of the given surface, the new elements they are nearest to, and how far from these."""

    rows: Array
    element: Array
    away: Array


class Places:
    """A mesh, the elements of it that may be changed, and what has been made of them.

    Attributes
    ----------
    mesh : Mesh
        As it is by now.
    """

    def __init__(self, mesh: Mesh, scope: Array, rules: Rules) -> None:
        self.mesh, self._scope, self._rules = mesh, scope, rules
        t = mesh.triangulation
        self._given = BoxTree(mesh.nodes[t.triangles])
        self._budget = _TIMES * int(scope.sum()) + _MORE
        # samples of the given surface, and the ids of the elements that stand for them by now
        own = np.flatnonzero(scope[t.element])
        self._sample = _samples(mesh.nodes[t.triangles[own]]).reshape(-1, 3)
        self._stands = np.repeat(mesh.element_ids[t.element[own]], len(self._sample) // max(len(own), 1))

    def poor(self) -> Array:
        """Indices of the elements that may be changed and should be."""
        return np.flatnonzero(self._scope & (self._rules.judge.shortfall(self.mesh) > 0))

    def grown(self, elements: Array, rings: int) -> Array:
        """Indices of elements and of those that may be changed round them, ring by ring."""
        chosen = np.zeros(self.mesh.n_elements, bool)
        chosen[elements] = True
        return np.flatnonzero(grown(self.mesh, chosen, rings, self._scope) & self._scope)

    # ------------------------------------------------------------------ moving nodes

    def move_nodes(self) -> tuple[int, float]:
        """Move the nodes of poor elements; how many, and how far the farthest of them."""
        poor = self.poor()
        region = region_round(self.mesh, self.grown(poor, 1))
        surface = region.surface
        sheets = cut(surface, self._rules.crease, held=region.held)
        is_free = np.ones(surface.n_nodes, bool)
        is_free[sheets.node[sheets.is_locked]] = False
        is_free[sheets.node[sheets.curves.node]] = False
        is_free[sheets.node[sheets.curves.is_corner]] = False
        missing = IdIndex(self.mesh.element_ids[poor]).of(surface.element_ids)[1]
        elements = _four_nodes(surface)
        mine = np.zeros(surface.n_nodes, bool)
        its = elements[~missing]
        mine[its[its >= 0]] = True
        rows = np.flatnonzero(mine & is_free)
        triangles = surface.triangulation.triangles
        label = np.zeros(surface.n_nodes, np.int32)
        label[triangles] = sheets.region[:, None]
        tree = BoxTree(surface.nodes[triangles], sheets.region)

        def on_surface(rows: Array, goal: Array) -> Array:
            return tree.closest(goal, label[rows])[0]

        points = surface.nodes.copy()
        search(points, Around(elements, len(points)), rows, on_surface, _MOVES, 1.1)
        while True:
            moved = (points != surface.nodes).any(axis=1)
            new = self._with_nodes(region, points)
            followed = self._follow(surface, points[triangles], surface.triangulation.element)
            bad = self._off(points, triangles, moved) | self._crossed(new, surface, triangles, moved)
            lost = np.zeros(surface.n_elements, bool)
            lost[followed.element[followed.away > self._rules.deviation]] = True
            bad |= lost[surface.triangulation.element] & moved[triangles].any(axis=1)
            if not moved.any() or not bad.any():
                break
            back = np.unique(triangles[bad])
            points[back] = surface.nodes[back]
        far = float(np.linalg.norm(points - surface.nodes, axis=1).max(initial=0.0))
        self._stands[followed.rows] = surface.element_ids[followed.element]
        self.mesh = new
        return int(moved.sum()), far

    def _with_nodes(self, region: Region, points: Array) -> Mesh:
        """The mesh, with the nodes of a region at other points."""
        row, _ = IdIndex(self.mesh.node_ids).of(region.surface.node_ids)
        nodes = self.mesh.nodes.copy()
        nodes[row] = points
        return dataclasses.replace(self.mesh, nodes=nodes)

    def _off(self, points: Array, triangles: Array, moved: Array) -> Array:
        """(t,) bool: triangles with a node that moved which left the surface too far."""
        found = np.zeros(len(triangles), bool)
        found[moved[triangles].any(axis=1)] = True
        rows = np.flatnonzero(found)
        far = self._distances(points[triangles[rows]])
        found[rows[far <= self._rules.deviation]] = False
        return found

    def _crossed(self, new: Mesh, surface: Mesh, triangles: Array, moved: Array) -> Array:
        """(t,) bool: triangles of the region with a node that moved which cross something, as the target holds them."""
        held = as_held(new, self._rules.target)
        bad = np.unique(held.unsound_triangles)
        row = elements_in(new, surface)[new.triangulation.element[bad]]
        its = np.zeros(surface.n_elements, bool)
        its[row[row >= 0]] = True
        return np.asarray(its[surface.triangulation.element] & moved[triangles].any(axis=1))

    def _follow(
        self, surface: Mesh, corners: Array, element: Array, place: Array | None = None, label: Array | None = None
    ) -> _Followed:
        """What the samples of some elements are nearest to among new triangles, those of the same place if given."""
        row, missing = IdIndex(surface.element_ids).of(self._stands)
        rows = np.flatnonzero(~missing)
        tree = BoxTree(corners, label)
        closest, found = tree.closest(self._sample[rows], None if place is None else place[row[rows]])
        return _Followed(rows, element[tree.order[found]], np.linalg.norm(closest - self._sample[rows], axis=1))

    def _distances(self, corners: Array) -> Array:
        """(t,) how far triangles are from the given surface, at corners, middles of edges, and their own middle."""
        points = _samples(corners)
        closest, _ = self._given.closest(points.reshape(-1, 3))
        return np.asarray(np.linalg.norm(closest.reshape(points.shape) - points, axis=2).max(axis=1))

    # ------------------------------------------------------------------ meshing anew

    def mesh_anew(self, rings: int, respaced: bool, thin: float) -> tuple[int, int, float]:
        """Mesh the places of poor elements anew; how many, of how many elements, and how far from where they were.

        ``rings`` are taken with them, ``respaced`` says whether curves get new nodes, and facets below ``thin`` make
        no creases.
        """
        elements = self.grown(self.poor(), rings)
        for _ in range(_AGAIN):
            self._budget -= len(elements)
            if not len(elements) or self._budget < 0:
                break
            made = self._made(region_round(self.mesh, elements), respaced, thin)
            followed, far, fails = self._faults(made)
            worse = ~self._better(made)
            if not fails.any() and not worse.any():
                self._take(made, followed)
                return len(worse), len(elements), far
            # what failed is left alone, with what touches it, and places that failed nowhere but got no better
            touched = np.zeros(len(worse), bool)
            touched[made.place[fails]] = True
            drop = self.grown(elements[fails], 1)
            elements = np.setdiff1d(elements[~(worse & ~touched)[made.place]], drop)
        return 0, 0, 0.0

    def _made(self, region: Region, respaced: bool, thin: float) -> _Made:
        """A region meshed anew."""
        surface = region.surface
        sheets = cut(surface, self._rules.crease, held=region.held, noise=Noise(thin))
        size = _local_sizes(surface)
        field = SizeField(float(size.max()), _GROWTH).finer(surface.nodes, size)
        made = remesh_sheets(
            sheets, Fineness(field), fixed_size=None if respaced else size[sheets.node],
            quads="quad" in surface.elements,
        ).surface  # fmt: skip
        new, _ = assembled(surface, made, keeps_ids=True)
        place = _places_of(surface)
        of_new = place[surface.triangulation.element[made.facet_origin]]
        alone = np.ones(len(made.triangles), bool)
        alone[made.quad_rows] = False
        of_element = np.concatenate([of_new[alone], of_new[made.quad_rows[:, 0]]])
        element = np.cumsum(alone) - 1
        element[made.quad_rows] = int(alone.sum()) + np.arange(len(made.quads))[:, None]
        whole, _, own = region.spliced(new)
        return _Made(region, place, whole, of_element, own, made.points[made.triangles], element)

    def _faults(self, made: _Made) -> tuple[_Followed, float, Array]:
        """What stands for samples, how far off the surface is, and elements where that is too much or it crosses."""
        surface, most = made.region.surface, self._rules.deviation
        t = surface.triangulation
        label = made.of_element[made.element]
        followed = self._follow(surface, made.corners, made.element, made.place, label)
        away, far = followed.away, self._distances(made.corners)
        fails = np.zeros(surface.n_elements, bool)
        row, _ = IdIndex(surface.element_ids).of(self._stands[followed.rows[away > most]])
        fails[row] = True
        beneath = made.corners[far > most]
        held = as_held(made.whole, self._rules.target)
        bad = np.unique(held.unsound_triangles)
        bad = bad[np.isin(held.triangulation.element[bad], made.own)]
        beneath = np.concatenate([beneath, held.nodes[held.triangulation.triangles[bad]]])
        if len(beneath):
            old = BoxTree(surface.nodes[t.triangles])
            _, hit = old.closest(_samples(beneath).reshape(-1, 3))
            fails[t.element[old.order[hit]]] = True
        return followed, float(max(away.max(initial=0.0), far.max(initial=0.0))), fails

    def _better(self, made: _Made) -> Array:
        """(n,) bool: places with fewer poor elements now, or with better ones."""
        judge, n = self._rules.judge, int(made.place.max(initial=-1)) + 1
        count, worst = [], []
        for values, of in (
            (judge.shortfall(made.region.surface), made.place),
            (judge.shortfall(made.whole)[made.own], made.of_element),
        ):
            count.append(np.bincount(of[values > 0], minlength=n))
            its = np.full(n, -np.inf)
            np.maximum.at(its, of, values)
            worst.append(its)
        return np.asarray((count[1] < count[0]) | (count[1] == count[0]) & (worst[1] < worst[0]))

    def _take(self, made: _Made, followed: _Followed) -> None:
        """Go on with what was made."""
        row = elements_in(made.whole, self.mesh)
        scope = (row >= 0) & self._scope[row]
        scope[made.own] = True
        self._stands[followed.rows] = made.whole.element_ids[made.own[followed.element]]
        self.mesh, self._scope = made.whole, scope


def _samples(corners: Array) -> Array:
    """(t, 7, 3) corners, middles of edges and middles of triangles (t, 3, 3)."""
    middles = 0.5 * (corners + np.roll(corners, -1, axis=1))
    return np.concatenate([corners, middles, corners.mean(axis=1, keepdims=True)], axis=1)


def _four_nodes(surface: Mesh) -> Array:
    """(m, 4) nodes of tri and quad elements, a triangle with -1 at the end."""
    found = [np.zeros((0, 4), np.int32)]
    for block in surface.elements.values():
        c = block.connectivity
        found.append(c if c.shape[1] == 4 else np.column_stack([c, np.full(len(c), -1, np.int32)]))
    return np.concatenate(found)


def _places_of(surface: Mesh) -> Array:
    """(m,) which place every element is of; places share no node."""
    nodes = _four_nodes(surface)
    element = np.repeat(np.arange(len(nodes)), 4)[nodes.ravel() >= 0]
    node = nodes[nodes >= 0]
    _, label = label_components(len(nodes) + surface.n_nodes, element, len(nodes) + node)
    return np.asarray(np.unique(label[: len(nodes)], return_inverse=True)[1])


def _local_sizes(surface: Mesh) -> Array:
    """(n,) edge lengths that elements of the areas round each node would have; the larger ones count more."""
    t = surface.triangulation
    area = np.bincount(t.element, 0.5 * areas(surface.nodes[t.triangles]))
    nodes = _four_nodes(surface)
    length = np.sqrt(area / np.where(nodes[:, 3] < 0, _AREA, 1.0))
    held = nodes >= 0
    weight, total = (
        np.bincount(nodes[held], np.repeat(values[:, None], 4, axis=1)[held], minlength=surface.n_nodes)
        for values in (area, area * length)
    )
    fallback = float(length.max(initial=1.0)) or 1.0
    size = np.where(weight > 0, total / np.where(weight > 0, weight, 1.0), fallback)
    return np.maximum(size, _TINY * fallback)
