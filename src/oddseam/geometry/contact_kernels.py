"""Whether two triangles may touch beyond the nodes and edges they share, as far as floating point can tell."""

from __future__ import annotations

from oddseam.compiled import kernel
from oddseam.geometry.crossing_kernels import _thick_axis, shared_nodes, sign2, sign3


@kernel
def _is_beyond(p, v, a, c, i, j):
    """Whether c, on the line from v to a as seen along an axis, lies on the other side of v."""
    x = (p[a, i] > p[v, i]) - (p[a, i] < p[v, i])
    y = (p[a, j] > p[v, j]) - (p[a, j] < p[v, j])
    return x * ((p[c, i] > p[v, i]) - (p[c, i] < p[v, i])) + y * ((p[c, j] > p[v, j]) - (p[c, j] < p[v, j])) < 0


@kernel
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


@kernel
def may_touch(p, t, x, y):
    """False only if triangles x and y provably share nothing but common nodes and edges."""
    shared = shared_nodes(t, x, y)
    if shared == 3:
        return True
    for turn in range(2):
        one = x if turn == 0 else y
        two = y if turn == 0 else x
        above = 0
        below = 0
        for m in range(3):
            s = sign3(p, t[one, 0], t[one, 1], t[one, 2], t[two, m])
            above += s == 1
            below += s == -1
        if above == 3 - shared or below == 3 - shared:
            return False
    axis = _thick_axis(p, t[x, 0], t[x, 1], t[x, 2])
    for k in range(3):
        i = (axis + k + 1) % 3
        j = (axis + k + 2) % 3
        if _is_parted_clearly(p, t, x, y, i, j) or _is_parted_clearly(p, t, y, x, i, j):
            return False
    return True
