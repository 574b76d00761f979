"""Where the nodes of a surface go for it to take a new shape: corners to corners, chains to chains, patches to patches.

Nodes of a chain keep their share of its length; those of a patch follow its chains by the extension of
:mod:`oddseam.morphing.follows.extension` and are then brought onto what the patch has become: onto its plane, cylinder
and so on where it lies on one, else onto its facets.  What is there already, within what the facets can tell, stays.
"""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.geometry.shapes.primitives import Primitive
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.geometry.triangles import area_vectors, turn_angles
from oddseam.morphing.drives.matching import ADVICE, matched, translated
from oddseam.morphing.drives.network import Chain, Network
from oddseam.morphing.drives.settling import Level, Surfaces
from oddseam.morphing.follows.extension import extended
from oddseam.morphing.follows.relaxing import relaxed
from oddseam.morphing.follows.simplices import face_triangles
from oddseam.morphing.follows.skeleton import Skeleton

#: How often a node of an edge is brought onto both of its patches by turns.
_TURNS = 6
#: Starts that are tried on a closed chain.
_STARTS = 720
#: What coordinates of a facet file are off by, over the size of the part.
_ROUNDING = 4e-7
#: What is as near to the new shape, over the local size, may stay where it is; nodes of edges half as near.
_THERE = 0.01


def shaped(old: Skeleton, new: Skeleton, picked: Array, smooth: bool) -> tuple[Array, float]:
    """(n, 3) where all nodes of the mesh are when patches, marked (p,), have become those of a new shape.

    With ``smooth`` on the simple surfaces that these lie on, else on planes and facets.  And the largest distance that
    any of these nodes is left from there.

    Raises
    ------
    Refusal
        If the change is one of topology.
    """
    shaping = _Shaping(old, new, picked, smooth)
    return shaping.run(), shaping.off()


class _Shaping:
    def __init__(self, old: Skeleton, new: Skeleton, picked: Array, smooth: bool) -> None:
        self.old, self.new = old, new
        self.one, self.two = Network(old), Network(new)
        self.pairs = matched(self.one, self.two, picked)
        self.start = old.mesh.nodes
        self.points = self.start.copy()
        self.is_placed = np.zeros(len(self.start), bool)
        largest = max(float(np.abs(mesh.nodes).max(initial=0.0)) for mesh in (old.mesh, new.mesh))
        self.tolerance = _ROUNDING * max(largest, old.mesh.diagonal)
        self.target_of: dict[int, int] = {}
        self.levels: dict[int, Level] = {
            k: primitive
            for k, primitive in enumerate(new.primitives)
            if primitive is not None and (smooth or self._is_exact(k, primitive))
        }
        self.size = _local_sizes(old)

    def _is_exact(self, patch: int, primitive: Primitive) -> bool:
        """Whether a patch of the new shape is a plane to the last digits, so that its facets say the same."""
        if primitive.kind != "plane":
            return False
        off = np.abs(primitive.distance(self.new.mesh.nodes[self.new.nodes_on(np.array([patch]))]))
        return bool(off.max(initial=0.0) <= self.tolerance)

    def run(self) -> Array:
        self._place_corners()
        self._place_chains()
        on_curves = np.zeros(len(self.start), bool)
        on_curves[self.old.feature_edges] = True
        self._onto(on_curves & self.is_placed)
        inside = self._inside(on_curves)
        self._follow(inside)
        self._carry_midsides()
        return self.points

    # ------------------------------------------------------------------ corners and chains

    def _place_corners(self) -> None:
        """Corners go to those where the same patches meet, the nearest where there are several."""
        from scipy.optimize import linear_sum_assignment

        wanted: dict[tuple[int, ...], list[int]] = {}
        for node, signature in self.one.corners.items():
            its = translated(signature, self.pairs)
            if its is not None:
                wanted.setdefault(its, []).append(node)
        there: dict[tuple[int, ...], list[int]] = {}
        for node, signature in self.two.corners.items():
            there.setdefault(signature, []).append(node)
        for signature, nodes in wanted.items():
            found = there.get(signature, [])
            if len(found) != len(nodes):
                names = ", ".join(self.new.table[k].name for k in signature)
                raise Refusal(
                    f"the change is one of topology: {names} of the new shape meet in {len(found)} corner(s) instead "
                    f"of {len(nodes)}, such as {point_text(self.start[nodes[0]])}; {ADVICE}"
                )
            ends = self.new.mesh.nodes[found]
            rows, columns = linear_sum_assignment(np.linalg.norm(self.start[nodes][:, None] - ends, axis=2))
            for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
                self._put(np.array([nodes[row]]), ends[[column]])
                self.target_of[nodes[row]] = found[column]

    def _put(self, nodes: Array, places: Array) -> None:
        """Nodes to places; those that are there already stay."""
        near = np.linalg.norm(places - self.start[nodes], axis=1) <= self.tolerance
        self.points[nodes] = np.where(near[:, None], self.start[nodes], places)
        self.is_placed[nodes] = True

    def _place_chains(self) -> None:
        """Chains go to those between the same patches and the same corners, the nearest where there are several."""
        from scipy.optimize import linear_sum_assignment

        there: dict[tuple[tuple[int, ...], tuple[int, ...]], list[Chain]] = {}
        for chain in self.two.chains:
            there.setdefault((chain.patches, tuple(sorted(chain.ends))), []).append(chain)
        wanted: dict[tuple[tuple[int, ...], tuple[int, ...]], list[Chain]] = {}
        for chain in self.one.chains:
            its = translated(chain.patches, self.pairs)
            if its is not None:
                ends = tuple(sorted(self.target_of.get(k, -1) for k in chain.ends))
                wanted.setdefault((its, ends), []).append(chain)
        for key, chains in wanted.items():
            found = there.get(key, [])
            if len(found) < len(chains):
                raise Refusal(self._lost(chains[-1]))
            middles = [
                np.array([points[chain.nodes].mean(axis=0) for chain in its])
                for points, its in ((self.start, chains), (self.new.mesh.nodes, found))
            ]
            rows, columns = linear_sum_assignment(np.linalg.norm(middles[0][:, None] - middles[1], axis=2))
            for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
                self._along(chains[row], found[column])

    def _lost(self, chain: Chain) -> str:
        names = " and ".join(self.old.table[k].name for k in chain.patches if k >= 0)
        return (
            f"the edge of {names} about {point_text(self.start[chain.nodes].mean(axis=0))} has no counterpart in the "
            "new shape; `oddseam creases` shows the creases of both"
        )

    def _along(self, chain: Chain, other: Chain) -> None:
        """Nodes of a chain to what it has become, by their share of its length."""
        at = self.start[chain.nodes]
        laid = _laid_along(at, self.new.mesh.nodes[other.nodes], chain.is_closed)
        if not chain.is_closed:
            ends = self.points[chain.nodes[[0, -1]]]
            laid.sort(key=lambda places: float(np.linalg.norm(places[[0, -1]] - ends, axis=1).max()))
            laid = laid[: 1 if chain.ends[0] != chain.ends[1] else 2]
        places = min(laid, key=lambda places: float(((places - at) ** 2).sum()))
        if self._ends_stay(chain) and self._lies_on(at, other, float(self.size[chain.nodes].min())):
            places = at
        if chain.is_closed:
            self._put(chain.nodes, places)
        else:
            self._put(chain.nodes[1:-1], places[1:-1])

    def _ends_stay(self, chain: Chain) -> bool:
        return all((self.points[k] == self.start[k]).all() for k in chain.ends)

    def _lies_on(self, at: Array, other: Chain, size: float) -> bool:
        """Whether a chain lies on another one already, within what the chords of the latter can tell."""
        line = self.new.mesh.nodes[other.nodes]
        if other.is_closed:
            line = np.concatenate([line, line[:1]])
        k = np.arange(len(line) - 1)
        closest, _ = BoxTree(line[np.column_stack([k, k + 1, k + 1])]).closest(at)
        slack = self.tolerance + min(_sagitta(line), 0.5 * _THERE * size)
        return bool(np.linalg.norm(closest - at, axis=1).max() <= slack)

    # ------------------------------------------------------------------ surfaces

    def _onto(self, which: Array) -> None:
        """Bring nodes that have moved onto the simple surfaces that their patches have become."""
        moved = which & (self.points != self.start).any(axis=1)
        node, patch = self.old.of_node
        known = np.array([self.pairs.get(k, -1) for k in range(len(self.old.table))])
        rows = np.flatnonzero(moved[node] & (known[patch] >= 0))
        rows = rows[np.isin(known[patch[rows]], list(self.levels))]
        Surfaces(self.levels, node[rows], known[patch[rows]], np.zeros(len(rows))).settle(self.points)

    def _inside(self, on_curves: Array) -> Array:
        """(n,) bool: corners of the surface within patches that have a counterpart."""
        node, patch = self.old.of_node
        found = np.zeros(len(self.start), bool)
        found[node[np.isin(patch, list(self.pairs))]] = True
        found[self.old.midsides[0]] = False
        return found & ~on_curves

    def _follow(self, inside: Array) -> None:
        """Nodes within patches after those on their borders."""
        triangles, _ = face_triangles(self.old.surface, inside)
        step = self.points - self.start
        extended(self.start, triangles, inside, step)
        self.points[inside] = self.start[inside] + step[inside]
        normal = self._project(inside)
        moved = np.flatnonzero(inside & (self.points != self.start).any(axis=1))
        if len(moved) and relaxed(self.points, self.start, triangles, moved, normal[moved]):
            self._project(inside)

    def _project(self, inside: Array) -> Array:
        """Bring nodes within patches onto what these have become; (n, 3) the normals there, as the old ones look."""
        node, patch = self.old.of_node
        normal = np.zeros_like(self.start)
        t = self.new.surface.triangulation
        label = self.new.label[t.element]
        tree: BoxTree | None = None
        for k, to in self.pairs.items():
            rows = node[(patch == k) & inside[node]]
            if not len(rows):
                continue
            level = self.levels.get(to)
            if level is not None:
                off, slack = np.abs(level.distance(self.points[rows])), self.tolerance
                places = self.points[rows] - level.distance(self.points[rows])[:, None] * level.normal(
                    self.points[rows]
                )
                normal[rows] = level.normal(places)
            else:
                tree = BoxTree(self.new.surface.nodes[t.triangles], label) if tree is None else tree
                places, _ = tree.closest(self.points[rows], np.full(len(rows), to))
                off = np.linalg.norm(places - self.points[rows], axis=1)
                slack = self.tolerance + np.minimum(self._bend(to), _THERE * self.size[rows])
                normal[rows] = self.old.normals[rows]
            stays = (off <= slack) & (self.points[rows] == self.start[rows]).all(axis=1)
            self.points[rows] = np.where(stays[:, None], self.start[rows], places)
            self.is_placed[rows] = True
        upside = np.einsum("ij,ij->i", normal, self.old.normals) < 0
        normal[upside] *= -1.0
        return normal

    def _bend(self, patch: int) -> float:
        """By how much the facets of a patch of the new shape cut corners, about."""
        c, label = self.new.surface.connectivity, self.new.label
        faces = self.new.surface.faces.element[c.face[c.pairs]]
        its = np.flatnonzero((label[faces] == patch).all(axis=1))
        if not len(its):
            return 0.0
        t = self.new.surface.triangulation
        first = np.zeros(self.new.surface.n_elements, np.int64)
        first[t.element[::-1]] = np.arange(len(t.element))[::-1]
        corners = self.new.surface.nodes[t.triangles[first[faces[its]]]]
        angle = np.radians(turn_angles(area_vectors(corners[:, 0]), area_vectors(corners[:, 1])))
        ends = self.new.surface.nodes[c.edges[c.pair_edges[its]]]
        length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
        return float(np.quantile(length * angle, 0.95)) / 4.0

    def _carry_midsides(self) -> None:
        """Midside nodes of the surface, between the corners and on what patches have become."""
        mid, ends = self.old.midsides
        its = np.flatnonzero(self.old.on_surface[mid] & self.is_placed[ends].all(axis=1))
        rows = mid[its]
        step = self.points - self.start
        self.points[rows] = self.start[rows] + 0.5 * step[ends[its]].sum(axis=1)
        mark = np.zeros(len(self.start), bool)
        mark[rows] = True
        self._onto(mark)
        node, patch = self.old.of_node
        several = np.bincount(node[np.isin(patch, list(self.pairs))], minlength=len(mark)) > 1
        moved = mark & (self.points != self.start).any(axis=1)
        self._project(moved & ~several)
        for _ in range(_TURNS):  # an edge is where the facets of two patches meet
            self._project(moved & several)
            self._onto(moved & several)

    def off(self) -> float:
        """The largest distance of a node from what its patches have become, except for what may stay."""
        node, patch = self.old.of_node
        t = self.new.surface.triangulation
        tree = BoxTree(self.new.surface.nodes[t.triangles], self.new.label[t.element])
        far = 0.0
        for k, to in self.pairs.items():
            rows = node[patch == k]
            rows = rows[(self.points[rows] != self.start[rows]).any(axis=1)]
            if not len(rows):
                continue
            level, at = self.levels.get(to), self.points[rows]
            places, _ = tree.closest(at, np.full(len(rows), to))
            away = np.linalg.norm(places - at, axis=1) if level is None else np.abs(level.distance(at))
            far = max(far, float(away.max()))
        return far


def _local_sizes(skeleton: Skeleton) -> Array:
    """(n,) shortest edge of the surface at every node; infinite without."""
    c, points = skeleton.surface.connectivity, skeleton.mesh.nodes
    length = np.linalg.norm(points[c.edges[:, 1]] - points[c.edges[:, 0]], axis=1)
    size = np.full(len(points), np.inf)
    for end in c.edges.T:
        np.minimum.at(size, end, length)
    return size


def _sagitta(line: Array) -> float:
    """How far the chords of a line (k, 3) are from the curve through its points, about."""
    step = np.diff(line, axis=0)
    if len(step) < 2:
        return 0.0
    length = np.linalg.norm(step, axis=1)
    turn = np.radians(turn_angles(step[:-1], step[1:]))
    # a chord turns by about half of the angles at its two ends; arc of length l and turn a: sagitta l a / 8
    return float((np.maximum(length[:-1], length[1:]) * turn).max()) / 8.0


def _laid_along(at: Array, line: Array, closed: bool) -> list[Array]:
    """Places on a line for points (k, 3) of another one by their share of the length, either way round."""
    found = []
    for other in (line, line[::-1]):
        if not closed:
            found.append(_on_line(other, _shares(at)[:, None])[:, 0])
            continue
        ring, mine = np.concatenate([other, other[:1]]), _shares(np.concatenate([at, at[:1]]))[:-1]
        starts = np.linspace(0.0, 1.0, _STARTS, endpoint=False)
        for _ in range(2):  # a search over all starts, and one about the best
            places = _on_line(ring, (mine[:, None] + starts) % 1.0)
            best = int(np.argmin(((places - at[:, None]) ** 2).sum(axis=(0, 2))))
            starts = starts[best] + np.linspace(-1.0, 1.0, _STARTS + 1) / _STARTS
        found.append(places[:, best])
    return found


def _shares(line: Array) -> Array:
    """(k,) how much of the length of a line lies before each of its points."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    return np.asarray(along / max(float(along[-1]), 1e-300))


def _on_line(line: Array, shares: Array) -> Array:
    """(..., 3) places at shares of the length of a line."""
    known = _shares(line)
    return np.stack([np.interp(shares, known, line[:, d]) for d in range(3)], axis=-1)
