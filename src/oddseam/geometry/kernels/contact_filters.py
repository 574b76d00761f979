"""Whether two triangles may touch beyond the nodes and edges they share, as far as floating point can tell."""

from __future__ import annotations

from oddseam.compiled import helper
from oddseam.geometry.kernels.exact_signs import APART, pierces, shared_nodes, sign2, sign3, thick_axis


@helper
def _is_beyond(p, v, a, c, i, j):
    """Whether c, on the line from v to a as seen along an axis, lies on the other side of v."""
    x = (p[a, i] > p[v, i]) - (p[a, i] < p[v, i])
    y = (p[a, j] > p[v, j]) - (p[a, j] < p[v, j])
    return x * ((p[c, i] > p[v, i]) - (p[c, i] < p[v, i])) + y * ((p[c, j] > p[v, j]) - (p[c, j] < p[v, j])) < 0


@helper
def _is_parted_clearly(p, t, x, y, i, j):
    """Whether an edge of triangle x, seen along an axis, has x on one side and y on the other.

    Shared nodes do not count.
    """
    for k in range(3):
        a, b, c = t[x, k], t[x, (k + 1) % 3], t[x, (k + 2) % 3]
        own = sign2(p, a, b, c, i, j)
        if own != 1 and own != -1:
            continue
        parted = True
        for m in range(3):
            d = t[y, m]
            if d == a or d == b:
                continue
            s = sign2(p, a, b, d, i, j)
            if s == -own:
                continue
            # on the line of the edge it may still lie beyond a shared end
            shared = a if (t[y, 0] == a or t[y, 1] == a or t[y, 2] == a) else b
            is_shared = t[y, 0] == shared or t[y, 1] == shared or t[y, 2] == shared
            if s == 0 and is_shared and _is_beyond(p, shared, b if shared == a else a, d, i, j):
                continue
            parted = False
            break
        if parted:
            return True
    return False


@helper
def _edges_pass_by(p, t, one, two, s0, s1, s2):
    """Whether no edge of triangle two, its corners on such sides of triangle one, comes near the inside of one."""
    for k in range(3):
        side = (s0 * s1, s1 * s2, s2 * s0)[k]
        u, v = t[two, k], t[two, (k + 1) % 3]
        if side == -1 and pierces(p, u, v, t[one, 0], t[one, 1], t[one, 2]) != APART:
            return False
    return True


@helper
def may_touch(p, t, x, y):
    """False only if triangles x and y provably share nothing but common nodes and edges."""
    shared = shared_nodes(t, x, y)
    if shared == 3:
        return True
    passing = 0
    for turn in range(2):
        one = x if turn == 0 else y
        two = y if turn == 0 else x
        a, b, c = t[one, 0], t[one, 1], t[one, 2]
        s0, s1, s2 = sign3(p, a, b, c, t[two, 0]), sign3(p, a, b, c, t[two, 1]), sign3(p, a, b, c, t[two, 2])
        above = (s0 == 1) + (s1 == 1) + (s2 == 1)
        below = (s0 == -1) + (s1 == -1) + (s2 == -1)
        if above == 3 - shared or below == 3 - shared:
            return False
        # of two triangles that share nothing and touch, an edge of one meets the other
        passing += shared == 0 and above + below == 3 and _edges_pass_by(p, t, one, two, s0, s1, s2)
    if passing == 2:
        return False
    axis = thick_axis(p, t[x, 0], t[x, 1], t[x, 2])
    for k in range(3):
        i = (axis + k + 1) % 3
        j = (axis + k + 2) % 3
        if _is_parted_clearly(p, t, x, y, i, j) or _is_parted_clearly(p, t, y, x, i, j):
            return False
    return True
