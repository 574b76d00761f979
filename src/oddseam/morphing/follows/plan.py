"""What moves, what stays and what follows, decided once before anything is moved.

A patch without a driven node stays.  One with driven nodes and others is beside a change: where its driven nodes
stay on the surface that it lies on (a simple one, or one fitted to its nodes), its others slide along that surface;
else it gives way and follows smoothly.  Corners that are not driven stay; nodes on edges follow between the ends of
their chain.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.features.patches.curves import turns_sharply
from oddseam.geometry.tolerances import EQUAL
from oddseam.model import KINDS
from oddseam.morphing.drives.driving import picked
from oddseam.morphing.drives.goals import ON, Goals, heights_of, level_of
from oddseam.morphing.drives.settling import Level, Surfaces

#: What is farther than so many times the largest move stays, unless a reach is given.
_REACH = 10.0


class Plan:
    """Roles of all nodes.

    Parameters
    ----------
    goals : Goals
    hold : sequence of str
        Picks whose nodes stay.
    reach : float, optional
        Nodes farther from all that moves stay.

    Attributes
    ----------
    held, in_reach : (n,) bool arrays
        Nodes that are held, and those that may move.
    sliding : (p,) bool array
        Patches whose nodes slide along the surface that they lie on.
    yielding : list of int
        Patches beside a change that give way.
    """

    def __init__(self, goals: Goals, hold: Sequence[str], reach: float | None) -> None:
        self.goals, self.skeleton, self.start = goals, goals.skeleton, goals.start
        self.held = self._held(hold)
        self.reach = _REACH * goals.move if reach is None else reach
        self.in_reach = self._in_reach()
        self.sliding, self.yielding = self._beside()

    # ------------------------------------------------------------------ what stays

    def _held(self, hold: Sequence[str]) -> Array:
        held = np.zeros(len(self.goals.is_driven), bool)
        for text in hold:
            mark, _ = picked(self.skeleton, text)
            moves = np.linalg.norm(self.goals.end - self.start[self.goals.nodes], axis=1)
            wrong = np.flatnonzero(mark[self.goals.nodes] & (moves > EQUAL * self.goals.size))
            if len(wrong):
                worst = wrong[np.argmax(moves[wrong])]
                name = self.goals.name(self.goals.nodes[worst])
                raise Refusal(
                    f"node {name} is held by {text!r}, and is to move by {moves[worst]:.4g}; hold less, or change "
                    "something else"
                )
            held |= mark
        return held

    def _in_reach(self) -> Array:
        """(n,) bool: nodes that may move."""
        from scipy.spatial import cKDTree

        moving = self.goals.nodes[(self.goals.end != self.start[self.goals.nodes]).any(axis=1)]
        if not np.isfinite(self.reach) or not len(moving):
            return np.full(len(self.goals.is_driven), bool(len(moving)))
        found = self.goals.is_driven.copy()
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
        some = np.bincount(patch[self.goals.is_driven[node]], minlength=count) > 0
        all_ = np.bincount(patch[~self.goals.is_driven[node]], minlength=count) == 0
        is_active = some & ~all_
        off = np.full(count, np.inf)
        end = self.start.copy()
        end[self.goals.nodes] = self.goals.end
        node, patch, height = heights_of(self.skeleton, is_active[patch] & self.goals.is_driven[node])
        for k in np.unique(patch).tolist():
            rows = np.flatnonzero(patch == k)
            off[k] = np.abs(level_of(self.skeleton, k).distance(end[node[rows]]) - height[rows]).max()
        slides = is_active & (off <= ON * self.goals.size)
        return slides, np.flatnonzero(is_active & ~slides).tolist()

    @cached_property
    def stays(self) -> Array:
        """(n,) bool: nodes that are known not to move."""
        node, patch = self.skeleton.of_node
        stays = self.held | ~self.in_reach
        count = len(self.skeleton.table)
        idle = np.bincount(patch[self.goals.is_driven[node]], minlength=count) == 0
        stays[node[idle[patch]]] = True
        stays[self._corners] = True
        stays[self.goals.nodes] = False
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
        return mark & ~self.stays & ~self.goals.is_driven

    @cached_property
    def on_faces(self) -> Array:
        """(n,) bool: other corners of the surface that follow."""
        mark = np.zeros(len(self.start), bool)
        mark[self.skeleton.surface.faces.node] = True
        mark[self.skeleton.feature_edges] = False
        return mark & ~self.stays & ~self.goals.is_driven

    @cached_property
    def within(self) -> Array:
        """(n,) bool: corners of solids within the material that follow."""
        mark = np.zeros(len(self.start), bool)
        for name, block in self.skeleton.mesh.elements.items():
            if KINDS[name].dimension == 3:
                mark[block.connectivity[:, : KINDS[name].corners]] = True
        return mark & ~self.skeleton.on_surface & ~self.stays & ~self.goals.is_driven

    @cached_property
    def _sliding_pairs(self) -> tuple[Array, Array, Array]:
        """The pairs of nodes that follow and a surface that they slide along."""
        node, patch = self.skeleton.of_node
        return heights_of(self.skeleton, self.sliding[patch] & self.in_reach[node] & ~self.goals.is_driven[node])

    def rails(self, which: Array) -> Surfaces:
        """The surfaces that some nodes (n,) slide along."""
        node, patch, height = self._sliding_pairs
        rows = np.flatnonzero(which[node])
        levels: dict[int, Level] = {k: level_of(self.skeleton, k) for k in np.unique(patch[rows]).tolist()}
        return Surfaces(levels, node[rows], patch[rows], height[rows])
