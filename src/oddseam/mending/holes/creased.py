"""Creases that end at a hole go on over it: to the crease that comes from the other side, or to a corner.

The loop round the hole is divided along them, so that each part is filled as flat as its side is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.geometry.triangles import turn_angles, unit_normals
from oddseam.model import Mesh

#: An edge that turns by more degrees is a crease.
CREASE = 40.0
#: A crease goes on within about 30 degrees of its direction.
_AHEAD = 0.85
#: A border edge within about 10 degrees of a crease runs along it.
_ALONG = 0.985
#: Creases meet in a corner if they pass each other within this share of their length over the hole.
_MEET = 0.1


@dataclass(frozen=True, eq=False)
class Division:
    """A loop divided along creases.

    Attributes
    ----------
    points : (k, 3) float array
        New points on the creases; they are numbered after the points of the loop.
    loops : list of Array
        The parts, each a loop of numbers.
    creases : (c, 2) int array
        Edges along the creases.
    """

    points: Array
    loops: list[Array]
    creases: Array

    @classmethod
    def none(cls, n: int) -> Division:
        """A loop of n points as it is."""
        return cls(np.zeros((0, 3)), [np.arange(n)], np.zeros((0, 2), np.int64))


def normals_beside(mesh: Mesh, corner: Array) -> Array:
    """(k, 3) normals of the facets that corners belong to, from their first three corners."""
    first = mesh.faces.first[mesh.connectivity.face[corner]]
    return unit_normals(mesh.nodes[mesh.faces.node[first[:, None] + np.arange(3)]])


def crease_ends(mesh: Mesh, border: Array) -> tuple[Array, Array, Array]:
    """Rows of ``border`` at which creases and borders between parts end.

    Returns
    -------
    at : (k,) int array
    direction : (k, 3) array
        Into the hole.
    is_sharp : (k,) bool array
        Which of them are creases.
    """
    c = mesh.connectivity
    first, rows = c.pairs_at
    near = np.unique(np.concatenate([rows[first[node] : first[node + 1]] for node in border.tolist()]))
    one, two = mesh.faces.element[c.face[c.pairs[near]]].T
    is_sharp = turn_angles(*(normals_beside(mesh, corner) for corner in c.pairs[near].T)) > CREASE
    is_border = mesh.element_part[one] != mesh.element_part[two]
    creases = _ends_of(mesh, border, c.edges[c.pair_edges[near[is_sharp]]])
    borders = _ends_of(mesh, border, c.edges[c.pair_edges[near[is_border & ~is_sharp]]])
    found = zip(creases, borders, strict=True)
    at, direction = (np.concatenate(both) for both in found)
    return at, direction, np.arange(len(at)) < len(creases[0])


def _ends_of(mesh: Mesh, border: Array, sharp: Array) -> tuple[Array, Array]:
    """Rows of ``border`` at which lines of edges (e, 2) end, and the directions (k, 3) in which they do."""
    here = np.concatenate([sharp[:, 0], sharp[:, 1]])
    there = np.concatenate([sharp[:, 1], sharp[:, 0]])
    order = np.argsort(border, kind="stable")
    at = order[np.minimum(np.searchsorted(border[order], here), len(border) - 1)]
    on = np.where(border[at] == here, at, -1)
    count = np.bincount(on[on >= 0], minlength=len(border))
    last = np.flatnonzero(on >= 0)
    last = last[count[on[last]] == 1]  # where there are two, the crease passes by
    direction = mesh.nodes[here[last]] - mesh.nodes[there[last]]
    length = np.linalg.norm(direction, axis=1, keepdims=True)
    return on[last], direction / np.where(length > 0, length, 1.0)


def divided(points: Array, size: Array, at: Array, direction: Array, is_sharp: Array) -> Division:
    """Divide a loop along the creases and the borders between parts that end at it.

    Parameters
    ----------
    points : (n, 3) float array
        Round the loop.
    size : (n,) float array
        Wanted edge length at each.
    at, direction, is_sharp : (k,) int, (k, 3) float and (k,) bool arrays
        Where they end, where they lead, and which are creases.  Borders go straight across if just two end there.
    """
    made = _Divider(points, size)
    ends = zip(at.tolist(), direction, is_sharp.tolist(), strict=True)
    at = np.array([_last_along(points, k, way) if sharp else k for k, way, sharp in ends])
    left = list(range(len(at)))
    pairs = sorted(
        (float(np.linalg.norm(points[at[i]] - points[at[j]])), i, j)
        for i in left for j in left
        if i < j and at[i] != at[j] and _faces(points[at[j]] - points[at[i]], direction[i], direction[j])
    )  # fmt: skip
    for _, i, j in pairs:
        if i in left and j in left and made.cut(*_ends_across(points, int(at[i]), int(at[j]))):
            left.remove(i)
            left.remove(j)
    borders = [k for k in left if not is_sharp[k]]
    if len(borders) == 2:
        one, two = _ends_across(points, *(int(at[k]) for k in borders))
        left = [k for k in left if k not in borders] if made.cut(one, two) else left
    elif len(borders) == 1:
        end = _last_along(points, int(at[borders[0]]), direction[borders[0]])
        left = [k for k in left if k not in borders] if made.cut_to_chain(end, direction[borders[0]]) else left
    if len(left) >= 3 and len(np.unique(at[left])) == len(left):
        across = float(np.linalg.norm(np.ptp(points, axis=0)))
        corner = _meeting(points[at[left]], direction[left], across)
        if corner is not None:
            made.cut_to_corner([int(k) for k in at[left]], corner)
    return Division(np.array(made.points).reshape(-1, 3), made.loops, np.array(made.creases, np.int64).reshape(-1, 2))


def _ends_across(points: Array, one: int, two: int) -> tuple[int, int]:
    """Where a straight line from one place of the loop to another leaves the loop."""
    across = points[two] - points[one]
    size = float(np.linalg.norm(across))
    if not size > 0:
        return one, two
    return _last_along(points, one, across / size), _last_along(points, two, -across / size)


def _last_along(points: Array, at: int, direction: Array) -> int:
    """Where the loop, if it runs on along a crease that ends at it, leaves the crease."""
    n = len(points)
    for step in (1, -1):
        k = at
        for _ in range(n):
            edge = points[(k + step) % n] - points[k]
            if edge @ direction < _ALONG * np.linalg.norm(edge):
                break
            k = (k + step) % n
        if k != at:
            return k
    return at


def _faces(chord: Array, one: Array, two: Array) -> bool:
    length = float(np.linalg.norm(chord))
    return bool(length > 0 and min(one @ chord, -(two @ chord)) >= _AHEAD * length)


def _meeting(points: Array, direction: Array, most: float) -> Array | None:
    """The point nearest to some lines, if all come close to it, going ahead no farther than ``most``."""
    across = np.eye(3) - direction[:, :, None] * direction[:, None, :]
    system = across.sum(axis=0)
    if np.linalg.cond(system) > 1e6:
        return None
    corner = np.linalg.solve(system, np.einsum("kij,kj->i", across, points))
    arms = corner - points
    ahead = np.einsum("ij,ij->i", arms, direction)
    off = np.linalg.norm(arms - ahead[:, None] * direction, axis=1)
    return corner if ((ahead > 0) & (ahead <= most)).all() and (off <= _MEET * ahead).all() else None


class _Divider:
    """Cuts a loop into loops."""

    def __init__(self, points: Array, size: Array) -> None:
        self._points, self._size = points, size
        self.points: list[Array] = []
        self.loops = [np.arange(len(points))]
        self.creases: list[tuple[int, int]] = []

    def _chain(self, start: int, end: Array, size: float) -> list[int]:
        """New points from a point of the loop towards a place, without either."""
        begin = self._points[start]
        steps = max(round(float(np.linalg.norm(end - begin)) / size), 1)
        first = len(self._points) + len(self.points)
        self.points += [begin + (end - begin) * k / steps for k in range(1, steps)]
        return list(range(first, first + steps - 1))

    def _place(self, number: int) -> Array:
        """A point of the loop, or a new one."""
        n = len(self._points)
        return np.asarray(self._points[number] if number < n else self.points[number - n])

    def _mark(self, chain: list[int]) -> None:
        self.creases += list(zip(chain[:-1], chain[1:], strict=True))

    def cut(self, i: int, j: int) -> bool:
        """Cut the loop with two places in it by a chain from one to the other."""
        for number, whole in enumerate(self.loops if i != j else []):
            a, b = (np.flatnonzero(whole == k) for k in (i, j))
            if not len(a) or not len(b):
                continue
            loop = np.roll(whole, -a[0])
            k = int(np.flatnonzero(loop == j)[0])
            if min(k, len(loop) - k) < 2:
                return False  # they are neighbours on the loop
            size = self._size[[i, j]].mean() if j < len(self._size) else self._size[i]
            inner = self._chain(i, self._place(j), float(size))
            self._mark([i, *inner, j])
            self.loops[number : number + 1] = [
                np.concatenate([loop[: k + 1], inner[::-1]]).astype(np.int64),
                np.concatenate([loop[k:], [i], inner]).astype(np.int64),
            ]
            return True
        return False

    def cut_to_chain(self, i: int, direction: Array) -> bool:
        """Cut the loop with a place in it by a chain to that point of another chain that is straight ahead."""
        for whole in self.loops:
            inner = whole[whole >= len(self._points)]
            if not (whole == i).any() or not len(inner):
                continue
            arms = np.array([self._place(k) for k in inner.tolist()]) - self._points[i]
            ahead = (arms @ direction) / np.linalg.norm(arms, axis=1)
            best = int(np.argmax(ahead))
            return bool(ahead[best] >= _AHEAD) and self.cut(i, int(inner[best]))
        return False

    def cut_to_corner(self, ends: list[int], corner: Array) -> None:
        """Cut the loop with some places in it by chains that meet in a corner."""
        for number, whole in enumerate(self.loops):
            if not np.isin(ends, whole).all():
                continue
            found = sorted(int(np.flatnonzero(whole == k)[0]) for k in ends)
            loop, at = np.roll(whole, -found[0]), [k - found[0] for k in found]
            meeting = len(self._points) + len(self.points)
            self.points.append(corner)
            chains = {k: self._chain(int(loop[k]), corner, float(self._size[int(loop[k])])) for k in at}
            for k in at:
                self._mark([int(loop[k]), *chains[k], meeting])
            parts = []
            for k, after in zip(at, [*at[1:], len(loop)], strict=True):
                run = np.append(loop, loop[0])[k : after + 1]
                ahead = chains[after % len(loop)]
                parts.append(np.concatenate([run, ahead, [meeting], chains[k][::-1]]).astype(np.int64))
            self.loops[number : number + 1] = parts
            return
