"""How everything follows what is driven, one share of the change after another."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.threads import in_shares
from oddseam.geometry.triangles import area_vectors
from oddseam.model import KINDS, Mesh
from oddseam.morphing.follows.extension import extended
from oddseam.morphing.follows.plan import Plan
from oddseam.morphing.follows.relaxing import distortion, relaxed
from oddseam.morphing.follows.simplices import corner_tets, face_triangles
from oddseam.progress import Progress

#: One step turns nothing by more degrees.
_TURN = 15.0
#: Steps are halved down to this share of the change before it is given up, or after so many that failed.
_LEAST, _FAILURES = 1.0 / 64.0, 16


class Stuck(Exception):  # noqa: N818  # what a step runs into; no error of the caller
    """Elements that a step would turn inside out: indices of solids, and of faces of the surface."""

    def __init__(self, solids: Array, faces: Array) -> None:
        super().__init__()
        self.solids, self.faces = solids, faces


class Follower:
    """Moves the nodes of a plan.

    Parameters
    ----------
    plan : Plan
    """

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        skeleton = plan.skeleton
        follows = plan.on_edges | plan.on_faces
        self.triangles, self.face_of = face_triangles(skeleton.surface, follows | plan.goals.is_driven)
        self.tets, self.solid_of = corner_tets(skeleton.mesh, follows | plan.goals.is_driven | plan.within)
        self.loose = _loose_links(skeleton.mesh, plan)

    def march(self, progress: Progress) -> tuple[Array, float, Stuck | None]:
        """Positions (n, 3), the share of the change that is reached, and what stands in the way of more."""
        points, share = self.plan.start, 0.0
        step = 1.0 / max(1, int(np.ceil(self.plan.goals.turn / _TURN)))
        stuck: Stuck | None = None
        failures = 0
        while share < 1.0 and step >= _LEAST and failures < _FAILURES:
            to = min(1.0, share + step) if share + 1.5 * step < 1.0 else 1.0
            progress(f"moving to {to:.0%}", share)
            try:
                points, share = self._advanced(points, to), to
            except Stuck as found:
                stuck, step, failures = found, 0.5 * (to - share), failures + 1
        if share < 1.0:
            return points, share, stuck
        self._put_midsides(points)
        return points, share, None

    def _advanced(self, points: Array, share: float) -> Array:
        """Positions at a share of the change, from those at an earlier one."""
        plan = self.plan
        new = points.copy()
        new[plan.goals.nodes] = plan.goals.at(share)
        step = new - points
        for links, follows in ((plan.skeleton.feature_edges, plan.on_edges), (self.loose, self._is_loose)):
            _along_links(points, links, follows, step)
            new[follows] = points[follows] + step[follows]
        self._settle(points, new, step, plan.on_edges)
        extended(points, self.triangles, plan.on_faces, step)
        new[plan.on_faces] = points[plan.on_faces] + step[plan.on_faces]
        self._settle(points, new, step, plan.on_faces)
        relaxed(new, plan.start, self.triangles, *self._sliders(new))
        self._settle(points, new, step, plan.on_faces)
        extended(points, self.tets, plan.within, step)
        new[plan.within] = points[plan.within] + step[plan.within]
        relaxed(new, plan.start, self.tets, np.flatnonzero(plan.within))
        self._check(points, new)
        return new

    def _settle(self, points: Array, new: Array, step: Array, which: Array) -> None:
        """Bring nodes that slide back onto their surfaces and planes of symmetry."""
        self.plan.rails(which).settle(new)
        self.plan.goals.keep_in_planes(new, which)
        step[which] = new[which] - points[which]

    def _sliders(self, points: Array) -> tuple[Array, Array]:
        """Nodes (r,) that slide along a simple surface, and its normals (r, 3) at them."""
        rails = self.plan.rails(self.plan.on_faces)
        normal = np.empty((len(rails.node), 3))
        for number, level in rails.levels.items():
            rows = np.flatnonzero(rails.level == number)
            normal[rows] = level.normal(points[rails.node[rows]])
        upside = np.einsum("ij,ij->i", normal, self.plan.skeleton.normals[rails.node]) < 0
        normal[upside] *= -1.0
        return rails.node, normal

    def _check(self, points: Array, new: Array) -> None:
        """Raise if a solid is inverted that was not, or a face has turned over."""
        solids = np.unique(self.solid_of[~np.isfinite(distortion(new, self.plan.start, self.tets))])
        was, now = (
            np.concatenate(in_shares(lambda i, j, p=p: area_vectors(p[self.triangles[i:j]]), len(self.triangles)))  # type: ignore[misc]
            for p in (points, new)
        )
        over = (np.einsum("ij,ij->i", was, now) <= 0) & was.any(axis=1)
        faces = np.unique(self.face_of[over])
        if len(solids) or len(faces):
            raise Stuck(solids, faces)

    @cached_property
    def _is_loose(self) -> Array:
        mark = np.zeros(len(self.plan.start), bool)
        mark[self.loose] = True
        plan = self.plan
        return mark & ~plan.stays & ~plan.goals.is_driven & ~plan.skeleton.on_surface & ~plan.within

    def _put_midsides(self, points: Array) -> None:
        """Carry midside nodes along with the ends of their edges, and keep those that slide on their surfaces."""
        plan = self.plan
        mid, ends = plan.skeleton.midsides
        if not len(mid):
            return
        follows = ~plan.goals.is_driven[mid] & ~plan.held[mid]
        step = points - plan.start
        moves = follows & step[ends].any(axis=(1, 2))
        rows = mid[moves]
        points[rows] = plan.start[rows] + 0.5 * step[ends[moves]].sum(axis=1)
        mark = np.zeros(len(points), bool)
        mark[rows] = True
        plan.rails(mark).settle(points)


def _loose_links(mesh: Mesh, plan: Plan) -> Array:
    """(k, 2) line elements with a node that is of no shell and no solid."""
    links = [np.zeros((0, 2), np.int32)]
    for name, block in mesh.elements.items():
        if KINDS[name].dimension == 1:
            links.append(block.connectivity[:, :2])
    every = np.concatenate(links)
    inside = plan.skeleton.on_surface | plan.within
    return np.asarray(every[~inside[every].all(axis=1)])


def _along_links(points: Array, links: Array, follows: Array, step: Array) -> None:
    """Displacements of nodes along chains, in place: linear in the length between the nodes that are known."""
    from scipy.sparse import csr_matrix
    from scipy.sparse.linalg import splu

    links = links[follows[links].any(axis=1)]
    nodes = np.unique(links[follows[links]])
    if not len(nodes):
        return
    row = np.full(len(points), -1)
    row[nodes] = np.arange(len(nodes))
    length = np.linalg.norm(points[links[:, 1]] - points[links[:, 0]], axis=1)
    weight = 1.0 / np.maximum(length, 1e-12 * max(float(length.max()), 1e-300))
    known = np.zeros(len(nodes), bool)
    total, right = np.zeros(len(nodes)), np.zeros((len(nodes), 3))
    rows, columns, values = [], [], []
    for a, b in (links.T, links.T[::-1]):
        mine = follows[a]
        np.add.at(total, row[a[mine]], weight[mine])
        both = mine & follows[b]
        rows.append(row[a[both]])
        columns.append(row[b[both]])
        values.append(-weight[both])
        fixed = mine & ~follows[b]
        np.add.at(right, row[a[fixed]], weight[fixed, None] * step[b[fixed]])
        known[row[a[fixed]]] = True
    diagonal = np.arange(len(nodes))
    matrix = csr_matrix(
        (np.concatenate([*values, total]), (np.concatenate([*rows, diagonal]), np.concatenate([*columns, diagonal]))),
        shape=(len(nodes), len(nodes)),
    )
    step[nodes] = splu((matrix + _anchors(matrix, known)).tocsc()).solve(right)


def _anchors(matrix: object, known: Array) -> object:
    """What keeps chains that hang on nothing where they are."""
    from scipy.sparse import diags_array
    from scipy.sparse.csgraph import connected_components

    count, label = connected_components(matrix, directed=False)
    hangs = np.bincount(label[known], minlength=count) > 0
    return diags_array(np.where(hangs[label], 0.0, 1.0))
