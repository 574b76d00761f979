"""An exact triangulation of points and segments in a plane.

Points come in one by one (C. L. Lawson 1977, Software for C1 surface interpolation: edges are
flipped until the triangulation is as even as it can be); a segment is made an edge by flipping
the edges that it crosses (S. W. Sloan 1993, A fast algorithm for generating constrained Delaunay
triangulations).  Where it crosses an edge that must stay, a point is made.  Which side a point is
on is decided by floating point where that is sure, and by integers where it is not; only which
of two good diagonals is better is left to floating point.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from oddseam.geometry.exact.exact_points import ExactPoints, Vector

_UNIT = 2.0**-53


class PlanarMesh:
    """A triangulation that begins with one triangle, counter-clockwise seen against the normal.

    Parameters
    ----------
    points : ExactPoints
        All in the plane; new ones are added where segments cross.
    normal : Vector
        Of the plane.
    corners : sequence of int, optional
        Numbers of the first triangle's corners.  Without, there is a triangle about all of ``extent``,
        whose corners have numbers below zero.
    extent : iterable of int, optional
        Points that the first triangle must hold.
    """

    def __init__(
        self,
        points: ExactPoints,
        normal: Vector,
        corners: tuple[int, int, int] | None = None,
        extent: Iterable[int] = (),
    ) -> None:
        self._store = points
        axis = max(range(3), key=lambda k: abs(normal[k]))
        self._i, self._j = ((axis + 1) % 3, (axis + 2) % 3) if normal[axis] > 0 else ((axis + 2) % 3, (axis + 1) % 3)
        self._flat: dict[int, tuple[int, int, int]] = {}
        self._near: dict[int, tuple[float, float]] = {}
        self._size = self._sure = 0.0
        if corners is None:
            corners = self._far_corners(list(extent))
        self.corner: list[list[int]] = [list(corners)]
        self.across: list[list[int]] = [[-1, -1, -1]]
        self._at: dict[int, int] = dict.fromkeys(corners, 0)
        self.fixed: set[tuple[int, int]] = set()
        for k in corners:
            self._learn(k)
        self._last = 0

    def _far_corners(self, extent: list[int]) -> tuple[int, int, int]:
        reach = 1
        for k in extent:
            point = self._store.points[k]
            reach = max(reach, abs(point[self._i]) // point[3] + 1, abs(point[self._j]) // point[3] + 1)
        for k, (u, v) in zip((-1, -2, -3), ((-4, -4), (8, -4), (-4, 8)), strict=True):
            self._flat[k] = (u * reach, v * reach, 1)
        return -1, -2, -3

    def _learn(self, k: int) -> None:
        """Note where a point lies in the plane."""
        if k not in self._flat:
            point = self._store.points[k]
            self._flat[k] = (point[self._i], point[self._j], point[3])
        if k not in self._near:
            u, v, w = self._flat[k]
            self._near[k] = (u / w, v / w)
            self._size = max(self._size, abs(self._near[k][0]), abs(self._near[k][1]))
            # what the bound in ``side`` can be at most, for no coordinate is larger
            self._sure = 136.0 * _UNIT * self._size * self._size

    # ------------------------------------------------------------------ predicates

    def side(self, a: int, b: int, c: int) -> int:
        """1 if c lies left of the line from a to b, -1 right of it, 0 on it."""
        au, av = self._near[a]
        bu, bv = self._near[b]
        cu, cv = self._near[c]
        du, dv, eu, ev = bu - au, bv - av, cu - au, cv - av
        left, right = du * ev, dv * eu
        det = left - right
        if det > self._sure:
            return 1
        if det < -self._sure:
            return -1
        size = self._size
        bound = _UNIT * (
            8.0 * (abs(left) + abs(right)) + 8.0 * size * (abs(du) + abs(dv) + abs(eu) + abs(ev)) + 1e-14 * size * size
        )
        if det > bound:
            return 1
        if det < -bound:
            return -1
        exact = self._measure(a, b, c)
        return (exact > 0) - (exact < 0)

    def _measure(self, a: int, b: int, c: int) -> int:
        """Twice the signed area of a triangle, times its denominators."""
        au, av, aw = self._flat[a]
        bu, bv, bw = self._flat[b]
        cu, cv, cw = self._flat[c]
        return au * (bv * cw - cv * bw) - av * (bu * cw - cu * bw) + aw * (bu * cv - cu * bv)

    def _is_better(self, a: int, b: int, c: int, d: int) -> bool:
        """Whether d lies well within the circle through a, b, c."""
        du, dv = self._near[d]
        au, av = self._near[a][0] - du, self._near[a][1] - dv
        bu, bv = self._near[b][0] - du, self._near[b][1] - dv
        cu, cv = self._near[c][0] - du, self._near[c][1] - dv
        aa, bb, cc = au * au + av * av, bu * bu + bv * bv, cu * cu + cv * cv
        one, two, three = aa * (bu * cv - bv * cu), bb * (cu * av - cv * au), cc * (au * bv - av * bu)
        return one + two + three > 1e-9 * (abs(one) + abs(two) + abs(three))

    # ------------------------------------------------------------------ points

    def add(self, k: int) -> None:
        """Insert a point, if it is not there."""
        if k in self._at:
            return
        self._learn(k)
        t, edge = self._locate(k)
        if edge < 0:
            self._split_triangle(t, k)
        else:
            self._split_edge(t, edge, k)

    def _locate(self, k: int) -> tuple[int, int]:
        """The triangle that holds a point, and the edge that it lies on, opposite to that corner, or -1."""
        t, came = self._last, -1
        for _ in range(4 * len(self.corner) + 16):
            a, b, c = self.corner[t]
            zero = -1
            for i, (p, q) in enumerate(((b, c), (c, a), (a, b))):
                following = self.across[t][i]
                if following == came and came >= 0:
                    continue
                s = self.side(p, q, k)
                if s < 0:
                    if following < 0:
                        raise ValueError("a point lies outside of the triangulation")
                    came, t = t, following
                    break
                if s == 0:
                    zero = i
            else:
                return t, zero
        return self._searched(k)

    def _searched(self, k: int) -> tuple[int, int]:
        for t, (a, b, c) in enumerate(self.corner):
            sides = [self.side(b, c, k), self.side(c, a, k), self.side(a, b, k)]
            if min(sides) >= 0:
                return t, sides.index(0) if 0 in sides else -1
        raise ValueError("a point lies outside of the triangulation")

    def _new(self, corner: list[int], across: list[int]) -> int:
        self.corner.append(corner)
        self.across.append(across)
        return len(self.corner) - 1

    def _replace_neighbour(self, t: int, old: int, new: int) -> None:
        if t >= 0:
            self.across[t][self.across[t].index(old)] = new

    def _split_triangle(self, t: int, k: int) -> None:
        a, b, c = self.corner[t]
        na, nb, nc = self.across[t]
        one, two = len(self.corner), len(self.corner) + 1
        self.corner[t], self.across[t] = [a, b, k], [one, two, nc]
        self._new([b, c, k], [two, t, na])
        self._new([c, a, k], [t, one, nb])
        self._replace_neighbour(na, t, one)
        self._replace_neighbour(nb, t, two)
        self._at.update({a: t, b: t, c: one, k: t})
        self._last = t
        self._legalise([(t, 2), (one, 2), (two, 2)])

    def _split_edge(self, t: int, i: int, k: int) -> None:
        """Split the edge opposite to corner i of triangle t, and the triangle across it."""
        a, b, c = (self.corner[t][(i + j) % 3] for j in range(3))
        _, nb, nc = (self.across[t][(i + j) % 3] for j in range(3))
        other = self.across[t][i]
        edge = (min(b, c), max(b, c))
        if edge in self.fixed:
            self.fixed.discard(edge)
            self.fixed |= {(min(b, k), max(b, k)), (min(c, k), max(c, k))}
        one = len(self.corner)
        self.corner[t], self.across[t] = [a, b, k], [-1, one, nc]
        self._new([a, k, c], [-1, nb, t])
        self._replace_neighbour(nb, t, one)
        self._at.update({a: t, b: t, k: t, c: one})
        check = [(t, 2), (one, 1)]
        if other >= 0:
            j = self.across[other].index(t)
            d = self.corner[other][j]
            # the other triangle runs d, c, b
            nc2, nb2 = self.across[other][(j + 2) % 3], self.across[other][(j + 1) % 3]
            two = len(self.corner)
            self.corner[other], self.across[other] = [d, c, k], [one, two, nc2]
            self._new([d, k, b], [t, nb2, other])
            self._replace_neighbour(nb2, other, two)
            self.across[t][0], self.across[one][0] = two, other
            self._at.update({d: other, c: other, b: two})
            check += [(other, 2), (two, 1)]
        self._last = t
        self._legalise(check)

    def _legalise(self, check: list[tuple[int, int]]) -> None:
        """Flip edges opposite to the corners given, and what follows, where that is better."""
        left = 64 + 8 * len(check)
        corner, across, fixed = self.corner, self.across, self.fixed
        while check and left:
            left -= 1
            t, i = check.pop()
            other = across[t][i]
            if other < 0:
                continue
            its = corner[t]
            a, b, c = its[i], its[i - 2], its[i - 1]
            if ((b, c) if b < c else (c, b)) in fixed:
                continue
            d = corner[other][across[other].index(t)]
            if self._is_better(a, b, c, d) and self._flip(t, i):
                # now t is a, b, d and other a, d, c
                check += [(t, 0), (other, 0)]

    def _flip(self, t: int, i: int) -> bool:
        """Turn the edge opposite to corner i, if the two triangles make a convex quadrilateral."""
        its, beside = self.corner[t], self.across[t]
        other = beside[i]
        a, b, c = its[i], its[i - 2], its[i - 1]
        there = self.across[other]
        j = there.index(t)
        d = self.corner[other][j]
        if self.side(a, b, d) <= 0 or self.side(a, d, c) <= 0:
            return False
        nb, nc = beside[i - 2], beside[i - 1]
        # the other triangle runs d, c, b
        ob, oc = there[j - 2], there[j - 1]
        self.corner[t], self.across[t] = [a, b, d], [ob, other, nc]
        self.corner[other], self.across[other] = [a, d, c], [oc, nb, t]
        self._replace_neighbour(ob, other, t)
        self._replace_neighbour(nb, t, other)
        self._at.update({a: t, b: t, d: t, c: other})
        return True

    # ------------------------------------------------------------------ segments

    def add_segment(self, p: int, q: int) -> None:
        """Make an edge, or a chain of edges, between two points, both of which are inserted if need be."""
        self.add(p)
        self.add(q)
        todo = [(p, q)]
        while todo:
            p, q = todo.pop()
            while p != q:
                p, crossing = self._step(p, q)
                if crossing is not None:
                    todo += [(crossing, q), (p, crossing)]
                    break

    def chain(self, p: int, q: int) -> list[int]:
        """The points between two on the segment that was added there, in order."""
        points: list[int] = []
        while p != q:
            _, p = self._leave(p, q)
            points.append(p)
        return points[:-1]

    def _step(self, p: int, q: int) -> tuple[int, int | None]:
        """Go on from p towards q by an edge; where an edge that must stay is in the way, the new point there."""
        start, edge = self._leave(p, q)
        if start < 0:
            self.fixed.add((min(p, edge), max(p, edge)))
            return edge, None
        # edges that the segment crosses, until it meets a point or an edge that stays
        crossed: list[tuple[int, int]] = []
        t, i = start, edge
        while True:
            b, c = self.corner[t][(i + 1) % 3], self.corner[t][(i + 2) % 3]
            if (min(b, c), max(b, c)) in self.fixed:
                return p, self._crossing(p, q, b, c, t, i)
            crossed.append((b, c))
            other = self.across[t][i]
            j = self.across[other].index(t)
            d = self.corner[other][j]
            s = 0 if d == q else self.side(p, q, d)
            if s == 0:
                goal = d
                break
            # b lies right of the segment and c left of it; it leaves through the side on which d is not
            i = (j + 1) % 3 if s > 0 else (j + 2) % 3
            t = other
        self._clear(p, goal, crossed)
        self.fixed.add((min(p, goal), max(p, goal)))
        return goal, None

    def _leave(self, p: int, q: int) -> tuple[int, int]:
        """Triangle at p, and its corner p, that the segment to q leaves through the opposite edge of.

        (-1, r) if it leaves along the edge to r.
        """
        for t in self._fan(p):
            i = self.corner[t].index(p)
            a, b = self.corner[t][(i + 1) % 3], self.corner[t][(i + 2) % 3]
            if q in (a, b):
                return -1, q
            sa, sb = self.side(p, q, a), self.side(p, q, b)
            if sa == 0 and self._is_ahead(p, q, a):
                return -1, a
            if sb == 0 and self._is_ahead(p, q, b):
                return -1, b
            if sa < 0 < sb:
                return t, i
        raise ValueError("a segment leaves the triangulation")

    def _fan(self, k: int) -> Iterator[int]:
        """The triangles round a point; at the border first one way round, then the other."""
        begin = t = self._at[k]
        while True:
            yield t
            t = self.across[t][(self.corner[t].index(k) + 1) % 3]
            if t == begin:
                return
            if t < 0:
                break
        t = self.across[begin][(self.corner[begin].index(k) + 2) % 3]
        while t >= 0:
            yield t
            t = self.across[t][(self.corner[t].index(k) + 2) % 3]

    def _is_ahead(self, p: int, q: int, r: int) -> bool:
        """Whether r, on the line through p and q, lies on q's side of p."""
        pu, pv, pw = self._flat[p]
        qu, qv, qw = self._flat[q]
        ru, rv, rw = self._flat[r]
        return (qu * pw - pu * qw) * (ru * pw - pu * rw) + (qv * pw - pv * qw) * (rv * pw - pv * rw) > 0

    def _crossing(self, p: int, q: int, a: int, b: int, t: int, i: int) -> int:
        """The point where the segment crosses the edge opposite to corner i of t; the edge is split there."""
        one, two = abs(self._measure(p, a, b)), abs(self._measure(q, a, b))
        u, v = self._store.points[p], self._store.points[q]
        x, y, z = (u[n] * two + v[n] * one for n in range(3))
        k = self._store.number(x, y, z, one * v[3] + two * u[3])
        if k not in self._at:
            self._learn(k)
            self._split_edge(t, i, k)
        return k

    def _clear(self, p: int, q: int, crossed: list[tuple[int, int]]) -> None:
        """Flip the edges between two points away."""
        queue = crossed[::-1]
        while queue:
            b, c = queue.pop()
            t = self._with_edge(b, c)
            i = next(k for k in range(3) if self.corner[t][k] not in (b, c))
            a = self.corner[t][i]
            other = self.across[t][i]
            d = self.corner[other][self.across[other].index(t)]
            if not self._flip(t, i):
                queue.insert(0, (b, c))
            elif {a, d} != {p, q} and self._do_cross(p, q, a, d):
                queue.insert(0, (a, d))

    def _do_cross(self, p: int, q: int, a: int, b: int) -> bool:
        if p in (a, b) or q in (a, b):
            return False
        return self.side(p, q, a) * self.side(p, q, b) < 0 and self.side(a, b, p) * self.side(a, b, q) < 0

    def _with_edge(self, b: int, c: int) -> int:
        """A triangle with this edge."""
        return next(t for t in self._fan(b) if c in self.corner[t])

    def within(self, a: int, b: int, c: int) -> list[tuple[int, int, int]]:
        """The triangles within that of three points, counter-clockwise, whose sides are chains of edges here.

        They hang together, so that only they and those beside them are looked at.
        """
        inside: dict[int, bool] = {}

        def is_inside(k: int) -> bool:
            if k not in inside:
                inside[k] = k >= 0 and min(self.side(a, b, k), self.side(b, c, k), self.side(c, a, k)) >= 0
            return inside[k]

        seen = set(self._fan(a))
        queue = sorted(seen)
        found = []
        while queue:
            t = queue.pop()
            x, y, z = self.corner[t]
            if not (is_inside(x) and is_inside(y) and is_inside(z)):
                continue
            found.append(t)
            for other in self.across[t]:
                if other >= 0 and other not in seen:
                    seen.add(other)
                    queue.append(other)
        corners = (self.corner[t] for t in sorted(found))
        return [(x, y, z) for x, y, z in corners]

    def triangles(self) -> list[tuple[int, int, int]]:
        """All triangles but those at the far corners."""
        return [(a, b, c) for a, b, c in self.corner if a >= 0 and b >= 0 and c >= 0]
