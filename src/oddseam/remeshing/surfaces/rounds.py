"""One round of the remesher: split, collapse, flip, and move nodes on the original surface."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.trees.boxtree import BoxTree
from oddseam.remeshing.kernels import round_steps
from oddseam.remeshing.kernels.half_edges import FIXED, Net
from oddseam.remeshing.surfaces.net import grown, wanted_valence
from oddseam.remeshing.surfaces.round_surfaces import RoundSurfaces
from oddseam.remeshing.surfaces.sheets import Sheets
from oddseam.remeshing.surfaces.smooth_surface import SmoothSurface
from oddseam.sizes import SizeField

#: Shapes that a collapse and a move may leave behind while edges are made even, and at the end
#: (1 equilateral; 0.35 has angles of 12 to 17 degrees, 0.65 of 25 to 30).
LEAST_SHAPE, FAIR_SHAPE = 0.35, 0.65
#: Edges beyond these multiples of the size are split and collapsed: what either leaves is within the other.
LONGEST, SHORTEST = 4.0 / 3.0, 0.8
#: Nodes on the surface that want to move by less, over the size, stay where they are.
_STILL = 0.01


class Rounds:
    """A net on its way from the facets of sheets to even ones.

    Attributes
    ----------
    net : Net
    tally : dict
        How often each thing was done.
    """

    def __init__(self, net: Net, field: SizeField) -> None:
        self.net = net
        self.tally = {"split": 0, "collapse": 0, "flip": 0, "move": 0}
        self._field = field

    def stand_on(self, sheets: Sheets, onto: RoundSurfaces | None, smooth: SmoothSurface | None) -> None:
        """From now on fixed nodes keep their sizes, and nodes that move are put on a surface.

        That is ``onto`` where it has one, else ``smooth``, and without that the sheets themselves.
        """
        net = self.net
        self._fixed = np.flatnonzero(net.kind[: net.used[0]] == FIXED)
        self._limit = net.size[self._fixed]
        self._tree = BoxTree(sheets.point[sheets.triangles], sheets.region)
        self._hint = np.full(len(net.point), -1, np.int32)
        self._onto, self._smooth = onto, smooth
        self._placed = np.full((len(net.point), 3), np.nan)  # where nodes were when they were last put on the surface
        if onto is None:
            self._placed[: len(sheets.point)] = sheets.point

    def measure(self) -> None:
        """Give all nodes the size that is wanted where they are."""
        self._give_sizes(0)
        its = self.net.size[self._fixed]
        if not self._field.is_even or (self._limit < its).any():
            self.net.size[self._fixed] = np.minimum(self._limit, its)
            round_steps.limit_gradation(self.net, self._field.gradation)

    def _give_sizes(self, first: int) -> None:
        net = self.net
        used = int(net.used[0])
        if self._field.is_even:
            net.size[first:used] = self._field.base
            return
        rows = first + np.flatnonzero(net.out[first:used] >= 0)
        net.size[rows] = self._field.at(net.point[rows])

    def split(self, goal: float = LONGEST) -> None:
        """Split edges longer than ``goal`` times the size, the longest first."""
        sizes = self.net.size[: self.net.used[0]].copy()
        while True:
            round_steps.raise_at_curves(self.net, LONGEST / goal)
            stretch = max(float(round_steps.longest_ratio(self.net)) / 1.5, goal)
            before = int(self.net.used[0])
            while not round_steps.split_long(self.net, stretch):
                self.net = grown(self.net)
            net = self.net
            self.tally["split"] += int(net.used[0]) - before
            if not self._field.is_even:  # what was split off has the mean of the sizes of its ends until now
                new = net.size[before : net.used[0]].copy()
                self._give_sizes(before)
                np.minimum(net.size[before : net.used[0]], new, out=net.size[before : net.used[0]])
            sizes = np.concatenate([sizes, net.size[before : net.used[0]]])
            if stretch == goal:
                net.size[: len(sizes)] = sizes
                return
            self.flip(by_valence=False, most=6)

    def collapse(self, *, first: bool = False, shortest: float = SHORTEST) -> None:
        """Collapse what is too short; at first the shortest edges first, so that no direction is preferred."""
        mark = self._marks()
        for shrink in (0.3, 0.45, 0.6, shortest) if first else (shortest,):
            done = int(round_steps.collapse_short(self.net, mark, LEAST_SHAPE, shrink, False))
            self.tally["collapse"] += done
            if done and shrink != shortest:
                self.flip(by_valence=False, most=6)

    def collapse_bad(self) -> None:
        """Collapse edges where that makes the worst facet there better."""
        self.tally["collapse"] += int(round_steps.collapse_short(self.net, self._marks(), FAIR_SHAPE, 0.7, True))

    def _marks(self) -> Array:
        """Room for the stamps of ``collapse_short``."""
        return np.zeros(len(self.net.point) + 1, np.int32)

    def flip(self, *, by_valence: bool, most: int) -> None:
        """Flip edges, in ``most`` passes or until none wants to be flipped."""
        wanted = wanted_valence(self.net)
        scratch = np.zeros(len(self.net.point), np.int32)
        for _ in range(most):
            turned = int(round_steps.flip_edges(self.net, np.cos(np.radians(25.0)), by_valence, wanted, scratch))
            self.tally["flip"] += turned
            if not turned:
                break

    def smooth(self, aim: Callable[[Net, Array, Array], int], least: float) -> None:
        """Move free nodes to where they want to go, on the surface, if facets round them stay as good as ``least``."""
        net = self.net
        row = np.empty(int(net.used[0]), np.int64)
        goal = np.empty((int(net.used[0]), 3))
        count = int(aim(net, row, goal))
        row, goal = row[:count], goal[:count]
        more = len(net.point) - len(self._placed)
        self._placed = np.concatenate([self._placed, np.full((more, 3), np.nan)])
        now = net.point[row]
        still = ((goal - now) ** 2).sum(axis=1) < (_STILL * net.size[row]) ** 2
        still &= (now == self._placed[row]).all(axis=1)
        row = row[~still]
        place = self.on_surface(row, goal[~still])
        self.tally["move"] += int(round_steps.move(net, row, place, least))
        self._placed[row] = place

    def on_surface(self, row: Array, goal: Array) -> Array:
        """(k, 3) the places nearest to those wanted for free nodes that are on the surface."""
        net = self.net
        self._hint = np.concatenate([self._hint, np.full(len(net.point) - len(self._hint), -1, np.int32)])
        region = net.region[net.out[row] // 3]
        place, found = self._tree.closest(goal, region, self._hint[row])
        self._hint[row] = found
        if self._smooth is not None:
            free = slice(None) if self._onto is None else np.flatnonzero(self._onto.of_region[region] < 0)
            place[free] = self._smooth.above(place[free], self._tree.order[found[free]])
        return np.ascontiguousarray(place if self._onto is None else self._onto.pulled(place, region))
