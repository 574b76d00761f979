"""Where the nodes that changes drive are after any share of them, on the surfaces that they are to lie on."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from oddseam.arrays import Array, IdIndex, point_text
from oddseam.errors import Refusal
from oddseam.geometry.shapes.planes import as_plane
from oddseam.geometry.tolerances import EQUAL
from oddseam.morphing.changes import Change
from oddseam.morphing.drives.driven import Driven
from oddseam.morphing.drives.driving import driven_by
from oddseam.morphing.drives.settling import Level, Surfaces
from oddseam.morphing.follows.skeleton import Skeleton

#: On a surface, over the diagonal of the mesh.
ON = 1e-7
#: A surface beside a change is kept to where it meets the changed one at more degrees.
_TANGENT = 15.0
#: What moves by less, over the largest coordinate, has not moved, up to rounding.
_ROUNDING = 1e-15
#: A node that surfaces would lead so many times as far as the change itself is led astray.
_ASTRAY = 4.0


class Goals:
    """What changes drive.

    Parameters
    ----------
    skeleton : Skeleton
    changes : sequence of Change
    planes : sequence of str
        Planes of symmetry: nodes on them stay in them.

    Attributes
    ----------
    is_driven : (n,) bool array
    nodes : (k,) int array
        Those that are driven, ascending.
    end : (k, 3) array
        Where they go.
    move : float
        How far at most.
    """

    def __init__(self, skeleton: Skeleton, changes: Sequence[Change], planes: Sequence[str]) -> None:
        self.skeleton = skeleton
        self.start = skeleton.mesh.nodes
        self.size = max(skeleton.mesh.diagonal, 1e-300)
        self.driven = [driven_by(change, skeleton) for change in changes]
        self.is_driven = np.zeros(len(self.start), bool)
        self._is_shaped = np.zeros(len(self.start), bool)
        for one in self.driven:
            self.is_driven[one.nodes] = True
            self._is_shaped[one.nodes] |= one.settles
        self.nodes = np.flatnonzero(self.is_driven)
        self._planes = [as_plane(text, "plane") for text in planes]
        self._targets = self._all_targets()
        self._check_literal()
        self.end = self.at(1.0)
        self.move = float(np.linalg.norm(self.end - self.start[self.nodes], axis=1).max(initial=0.0))

    @property
    def turn(self) -> float:
        """By how many degrees the changes turn things at most."""
        return max((one.turn for one in self.driven), default=0.0)

    @cached_property
    def off(self) -> float:
        """The largest distance that a driven node is left from the surface that it is to lie on."""
        points = self.start.copy()
        points[self.nodes] = self.end
        on_targets = self._kept & np.isin(self._shaped_pairs[1], list(self._targets))
        surfaces = np.abs(self._shaping(1.0, on_targets).off(points))
        return max(float(surfaces.max(initial=0.0)), *(one.off for one in self.driven))

    def _all_targets(self) -> dict[int, tuple[Driven, int]]:
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
                bad = np.flatnonzero(again & (off > EQUAL * self.size))
                if len(bad):
                    node = one.nodes[bad[0]]
                    raise Refusal(
                        f"changes {owner[node] + 1} and {number + 1} send node {self.name(node)} to two places, "
                        f"{point_text(place[node])} and {point_text(ends[bad[0]])}; choose picks that do not overlap"
                    )
            owner[one.nodes] = number
            place[one.nodes] = ends

    def name(self, node: int) -> str:
        """The id of a node, and its place."""
        return f"{int(self.skeleton.mesh.node_ids[node])} at {point_text(self.start[node])}"

    @cached_property
    def _shaped_pairs(self) -> tuple[Array, Array, Array]:
        """The pairs of nodes that are to be brought onto surfaces."""
        return heights_of(self.skeleton, self._is_shaped[self.skeleton.of_node[0]])

    def at(self, share: float) -> Array:
        """(k, 3) where the driven nodes are after a share of the changes."""
        points = self._guess(share)
        self._shaping(share, self._kept).settle(points)
        self.keep_in_planes(points, self.is_driven)
        found, start = points[self.nodes], self.start[self.nodes]
        still = (np.abs(found - start) <= _ROUNDING * np.abs(start).max(initial=0.0)).all(axis=1)
        return np.where(still[:, None], start, found)

    def _guess(self, share: float) -> Array:
        """(n, 3) where the changes alone would have them."""
        points = self.start.copy()
        for one in self.driven:
            if one.settles:
                points[one.nodes] += one.at(share) - self.start[one.nodes]
        for one in self.driven:
            if not one.settles:
                points[one.nodes] = one.at(share)
        self.keep_in_planes(points, self.is_driven)
        return points

    def keep_in_planes(self, points: Array, which: Array) -> None:
        """Put nodes that lie on a plane of symmetry back into it."""
        for point, normal in self._planes:
            on = which & (np.abs((self.start - point) @ normal) <= ON * self.size)
            points[on] -= ((points[on] - self.start[on]) @ normal)[:, None] * normal

    def _shaping(self, share: float, kept: Array) -> Surfaces:
        """The surfaces that driven nodes are to lie on, those of the pairs that are kept."""
        levels: dict[int, Level] = {}
        added = np.zeros(len(self.skeleton.table))
        for patch, (one, _) in self._targets.items():
            levels[patch], added[patch] = one.targets[patch](share)
        nodes, patches, heights = (column[kept] for column in self._shaped_pairs)
        for patch in np.unique(patches).tolist():
            if patch not in levels:
                levels[patch] = level_of(self.skeleton, patch)
        heights = np.where(self._on_chords[kept], (1.0 - share) * heights, heights)
        return Surfaces(levels, nodes, patches, heights + added[patches])

    @cached_property
    def _on_chords(self) -> Array:
        """(k,) bool: pairs of a midside node and a round surface that changes, on which both ends of its edge lie.

        Such a node is brought onto the surface, from wherever it was beside it.
        """
        node, patch, height = self._shaped_pairs
        mid, ends = self.skeleton.midsides
        lies = np.abs(height) <= ON * self.size
        width = len(self.skeleton.table)
        on = node[lies] * width + patch[lies]
        row, missing = IdIndex(mid).of(node)
        is_round = np.array([one is not None and one.kind != "plane" for one in self.skeleton.primitives], bool)
        found = ~missing & is_round[patch] & np.isin(patch, list(self._targets))
        found[found] = np.isin(ends[row[found]] * width + patch[found, None], on).all(axis=1)
        return np.asarray(found)

    @cached_property
    def _kept(self) -> Array:
        """(k,) bool: pairs of a shaped node and a surface that it is brought onto.

        Surfaces that change come first, and none counts that touches another one there.  Nodes that would be led far
        astray keep to what changes alone, or go where the change has them.
        """
        node, patch, _ = self._shaped_pairs
        is_target = np.isin(patch, list(self._targets))
        left = set[int]().union(*(one.leaves for one in self.driven)) - set(self._targets)
        kept = self._apart(~np.isin(patch, list(left)))
        guess = self._guess(1.0)
        move = np.linalg.norm(guess - self.start, axis=1)
        for drop in (~is_target, np.ones(len(node), bool)):
            points = guess.copy()
            self._shaping(1.0, kept).settle(points)
            astray = np.linalg.norm(points - self.start, axis=1) > _ASTRAY * move + ON * self.size
            kept = kept & (self._on_chords | ~(astray[node] & drop))
        return kept

    def _apart(self, wanted: Array) -> Array:
        """(k,) bool: of the pairs that are wanted those whose surfaces do not touch others at the node."""
        node, patch, _ = self._shaped_pairs
        normal = np.zeros((len(node), 3))
        for k in np.unique(patch).tolist():
            rows = np.flatnonzero(patch == k)
            normal[rows] = level_of(self.skeleton, k).normal(self.start[node[rows]])
        simple = np.array([primitive is not None for primitive in self.skeleton.primitives], bool)
        rank = np.where(np.isin(patch, list(self._targets)), 0, np.where(simple[patch], 1, 2))
        kept = np.zeros(len(node), bool)
        least = np.sin(np.radians(_TANGENT))
        rows = np.flatnonzero(wanted)
        rows = rows[np.lexsort((rank[rows], node[rows]))]
        last, known = -1, np.zeros((0, 3))
        for row in rows.tolist():
            if node[row] != last:
                last, known = int(node[row]), np.zeros((0, 3))
            rest = normal[row] - known.T @ (known @ normal[row])
            size = float(np.linalg.norm(rest))
            if size >= least or (not len(known) and size > 0):
                kept[row] = True
                known = np.concatenate([known, rest[None] / size])
        return kept


def heights_of(skeleton: Skeleton, wanted: Array) -> tuple[Array, Array, Array]:
    """Of the pairs (k,) of a node and a patch those wanted: nodes, patches, and how far the nodes are off."""
    node, patch = skeleton.of_node
    rows = np.flatnonzero(wanted)
    height = np.full(len(rows), np.nan)
    for k in np.unique(patch[rows]).tolist():
        level = skeleton.level(k)
        if level is not None:
            its = np.flatnonzero(patch[rows] == k)
            height[its] = level.distance(skeleton.mesh.nodes[node[rows[its]]])
    known = np.isfinite(height)
    return node[rows[known]], patch[rows[known]], height[known]


def level_of(skeleton: Skeleton, patch: int) -> Level:
    """The surface that a patch is known to lie on."""
    found = skeleton.level(patch)
    assert found is not None
    return found
