"""What moves, what stays and what follows, decided once before anything is moved.

A patch without a driven node stays.  One with driven nodes and others is beside a change: where its driven nodes
stay on the simple surface that it lies on, its others slide along that surface; else it gives way and follows smoothly.
So does a free-form patch.  Corners that are not driven stay; nodes on edges follow between the ends of their chain.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.curves import turns_sharply
from oddseam.geometry.planes import as_plane
from oddseam.model import KINDS
from oddseam.morphing.changes import Change
from oddseam.morphing.driving import Driven, driven_by, picked
from oddseam.morphing.settling import Level, Surfaces
from oddseam.morphing.skeleton import Skeleton

#: On a surface, over the diagonal of the mesh.
_ON = 1e-7
#: Two targets of one node are the same, over the diagonal.
_SAME = 1e-9
#: A surface beside a change is kept to where it meets the changed one at more degrees.
_TANGENT = 15.0
#: What is farther than so many times the largest move stays, unless a reach is given.
_REACH = 10.0


class Plan:
    """Roles of all nodes.

    Parameters
    ----------
    skeleton : Skeleton
    changes : sequence of Change
    hold : sequence of str
        Picks whose nodes stay.
    planes : sequence of str
        Planes of symmetry: nodes on them stay in them.
    reach : float, optional
        Nodes farther from all that is driven stay.
    """

    def __init__(
        self,
        skeleton: Skeleton,
        changes: Sequence[Change],
        hold: Sequence[str],
        planes: Sequence[str],
        reach: float | None,
    ) -> None:
        self.skeleton = skeleton
        self.start = skeleton.mesh.nodes
        self.size = max(skeleton.mesh.diagonal, 1e-300)
        self.driven = [driven_by(change, skeleton) for change in changes]
        n = skeleton.mesh.n_nodes
        self.is_driven = np.zeros(n, bool)
        for one in self.driven:
            self.is_driven[one.nodes] = True
        self.nodes = np.flatnonzero(self.is_driven)
        self.planes = [as_plane(text, "plane") for text in planes]
        self.targets = self._targets()
        self.is_shaped = np.zeros(n, bool)
        for one in self.driven:
            if one.settles:
                self.is_shaped[one.nodes] = True
        self._check_literal()
        self.end = self.at(1.0)
        self.move = float(np.linalg.norm(self.end - self.start[self.nodes], axis=1).max(initial=0.0))
        self.held = self._held(hold)
        self.reach = _REACH * self.move if reach is None else reach
        self.in_reach = self._in_reach()
        self.sliding, self.yielding = self._beside()

    # ------------------------------------------------------------------ what is driven

    def _targets(self) -> dict[int, tuple[Driven, int]]:
        """By patch the change that says where its surface goes."""
        found: dict[int, tuple[Driven, int]] = {}
        for number, one in enumerate(self.driven):
            for patch in one.targets:
                if patch in found:
                    name = self.skeleton.table[patch].name
                    raise Refusal(f"changes {found[patch][1] + 1} and {number + 1} both change {name}; say one only")
                found[patch] = one, number
        return found

    def _check_literal(self) -> None:
        """Refuse where two changes send a node to two places, and neither says what surface it is to lie on."""
        owner = np.full(len(self.is_driven), -1)
        place = self.start.copy()
        for number, one in enumerate(self.driven):
            ends = one.at(1.0)
            again = owner[one.nodes] >= 0
            if not one.settles or not all(self.driven[k].settles for k in np.unique(owner[one.nodes[again]]).tolist()):
                off = np.linalg.norm(place[one.nodes] - ends, axis=1)
                bad = np.flatnonzero(again & (off > _SAME * self.size))
                if len(bad):
                    node = one.nodes[bad[0]]
                    raise Refusal(
                        f"changes {owner[node] + 1} and {number + 1} send node {self._name(node)} to two places, "
                        f"{point_text(place[node])} and {point_text(ends[bad[0]])}; let their picks not meet"
                    )
            owner[one.nodes] = number
            place[one.nodes] = ends

    def _name(self, node: int) -> str:
        return f"{int(self.skeleton.mesh.node_ids[node])} at {point_text(self.start[node])}"

    def _heights(self, wanted: Array) -> tuple[Array, Array, Array]:
        """Of the pairs (k,) of a node and a patch those wanted: nodes, patches, and how far the nodes are off."""
        node, patch = self.skeleton.of_node
        rows = np.flatnonzero(wanted)
        height = np.full(len(rows), np.nan)
        for k in np.unique(patch[rows]).tolist():
            level = self.skeleton.level(k)
            if level is not None:
                its = np.flatnonzero(patch[rows] == k)
                height[its] = level.distance(self.start[node[rows[its]]])
        known = np.isfinite(height)
        return node[rows[known]], patch[rows[known]], height[known]

    @cached_property
    def _shaped_pairs(self) -> tuple[Array, Array, Array]:
        """The pairs of nodes that are to be brought onto surfaces."""
        return self._heights(self.is_shaped[self.skeleton.of_node[0]])

    @cached_property
    def _sliding_pairs(self) -> tuple[Array, Array, Array]:
        """The pairs of nodes that follow and a surface that they slide along."""
        node, patch = self.skeleton.of_node
        return self._heights(self.sliding[patch] & self.in_reach[node] & ~self.is_driven[node])

    def at(self, share: float) -> Array:
        """(k, 3) where the driven nodes are after a share of the changes."""
        step = np.zeros_like(self.start)
        for one in self.driven:
            step[one.nodes] += one.at(share) - self.start[one.nodes] if one.settles else 0.0
        points = self.start + step
        for one in self.driven:
            if not one.settles:
                points[one.nodes] = one.at(share)
        self.keep_in_planes(points, self.is_driven)
        self._shaping(share).settle(points)
        return np.asarray(points[self.nodes])

    def keep_in_planes(self, points: Array, which: Array) -> None:
        """Put nodes that lie on a plane of symmetry back into it."""
        for point, normal in self.planes:
            on = which & (np.abs((self.start - point) @ normal) <= _ON * self.size)
            points[on] -= ((points[on] - self.start[on]) @ normal)[:, None] * normal

    def _shaping(self, share: float) -> Surfaces:
        """The surfaces that driven nodes are to lie on: those that change, and those beside them that do not."""
        levels: dict[int, Level] = {}
        added = np.zeros(len(self.skeleton.table))
        for patch, (one, _) in self.targets.items():
            levels[patch], added[patch] = one.targets[patch](share)
        beside = self._kept_beside
        nodes, patches, heights = (column[beside] for column in self._shaped_pairs)
        for patch in np.unique(patches).tolist():
            if patch not in levels:
                levels[patch] = self._level(patch)
        return Surfaces(levels, nodes, patches, heights + added[patches])

    def _level(self, patch: int) -> Level:
        found = self.skeleton.level(patch)
        assert found is not None
        return found

    @cached_property
    def _kept_beside(self) -> Array:
        """(k,) bool: pairs of a shaped node and a surface that it is brought onto, none that touches what changes."""
        node, patch, _ = self._shaped_pairs
        is_target = np.isin(patch, list(self.targets))
        normal = np.zeros((len(node), 3))
        for k in np.unique(patch).tolist():
            rows = np.flatnonzero(patch == k)
            normal[rows] = self._level(k).normal(self.start[node[rows]])
        main = np.zeros_like(self.start)
        main[node[is_target]] = normal[is_target]
        cosine = np.abs(np.einsum("ij,ij->i", normal, main[node]))
        left: set[int] = set().union(*(one.leaves for one in self.driven))
        is_kept = (cosine < np.cos(np.radians(_TANGENT))) & ~np.isin(patch, list(left - set(self.targets)))
        return np.asarray(is_target | is_kept)

    # ------------------------------------------------------------------ what stays

    def _held(self, hold: Sequence[str]) -> Array:
        held = np.zeros(len(self.is_driven), bool)
        for text in hold:
            mark, _ = picked(self.skeleton, text)
            moves = np.linalg.norm(self.end - self.start[self.nodes], axis=1)
            wrong = np.flatnonzero(mark[self.nodes] & (moves > _SAME * self.size))
            if len(wrong):
                worst = wrong[np.argmax(moves[wrong])]
                raise Refusal(
                    f"node {self._name(self.nodes[worst])} is held by {text!r}, and is to move by {moves[worst]:.4g}; "
                    "hold less, or change something else"
                )
            held |= mark
        return held

    def _in_reach(self) -> Array:
        """(n,) bool: nodes that may move."""
        from scipy.spatial import cKDTree

        moving = self.nodes[(self.end != self.start[self.nodes]).any(axis=1)]
        if not np.isfinite(self.reach) or not len(moving):
            return np.full(len(self.is_driven), bool(len(moving)))
        found = self.is_driven.copy()
        low, high = self.start[moving].min(axis=0), self.start[moving].max(axis=0)
        near = ((self.start >= low - self.reach) & (self.start <= high + self.reach)).all(axis=1)
        rows = np.flatnonzero(near & ~found)
        tree = cKDTree(self.start[moving])
        away, _ = tree.query(self.start[rows], distance_upper_bound=self.reach)
        found[rows[np.isfinite(away)]] = True
        return found

    def _beside(self) -> tuple[Array, list[int]]:
        """(p,) bool patches that nodes slide along, and patches beside a change that give way."""
        node, patch = self.skeleton.of_node
        count = len(self.skeleton.table)
        some = np.bincount(patch[self.is_driven[node]], minlength=count) > 0
        all_ = np.bincount(patch[~self.is_driven[node]], minlength=count) == 0
        self.is_active = some & ~all_
        off = np.full(count, np.inf)
        end = self.start.copy()
        end[self.nodes] = self.end
        node, patch, height = self._heights(self.is_active[patch] & self.is_driven[node])
        for k in np.unique(patch).tolist():
            rows = np.flatnonzero(patch == k)
            off[k] = np.abs(self._level(k).distance(end[node[rows]]) - height[rows]).max()
        slides = self.is_active & (off <= _ON * self.size)
        return slides, np.flatnonzero(self.is_active & ~slides).tolist()

    @cached_property
    def stays(self) -> Array:
        """(n,) bool: nodes that are known not to move."""
        node, patch = self.skeleton.of_node
        stays = self.held | ~self.in_reach
        count = len(self.skeleton.table)
        idle = np.bincount(patch[self.is_driven[node]], minlength=count) == 0
        stays[node[idle[patch]]] = True
        stays[self._corners] = True
        stays[self.nodes] = False
        return stays

    @cached_property
    def _corners(self) -> Array:
        """Nodes where other than two feature edges meet, or the chain turns sharply, ascending."""
        edges = self.skeleton.feature_edges
        degree = np.bincount(edges.ravel(), minlength=len(self.start))
        sharp = turns_sharply(self.start, edges, degree)
        return np.flatnonzero(((degree > 0) & (degree != 2)) | sharp)

    # ------------------------------------------------------------------ what follows

    @cached_property
    def on_edges(self) -> Array:
        """(n,) bool: nodes that follow along feature edges."""
        mark = np.zeros(len(self.start), bool)
        mark[self.skeleton.feature_edges] = True
        return mark & ~self.stays & ~self.is_driven

    @cached_property
    def on_faces(self) -> Array:
        """(n,) bool: other corners of the surface that follow."""
        mark = np.zeros(len(self.start), bool)
        mark[self.skeleton.surface.faces.node] = True
        mark[self.skeleton.feature_edges] = False
        return mark & ~self.stays & ~self.is_driven

    @cached_property
    def within(self) -> Array:
        """(n,) bool: corners of solids within the material that follow."""
        mark = np.zeros(len(self.start), bool)
        for name, block in self.skeleton.mesh.elements.items():
            if KINDS[name].dimension == 3:
                mark[block.connectivity[:, : KINDS[name].corners]] = True
        return mark & ~self.skeleton.on_surface & ~self.stays & ~self.is_driven

    def rails(self, which: Array) -> Surfaces:
        """The surfaces that some nodes (n,) slide along."""
        node, patch, height = self._sliding_pairs
        rows = np.flatnonzero(which[node])
        levels: dict[int, Level] = {k: self._level(k) for k in np.unique(patch[rows]).tolist()}
        return Surfaces(levels, node[rows], patch[rows], height[rows])

    @property
    def turn(self) -> float:
        """By how many degrees the changes turn things at most."""
        return max((one.turn for one in self.driven), default=0.0)
