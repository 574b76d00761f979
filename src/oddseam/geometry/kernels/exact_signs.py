"""Kernels that find pairs of triangles whose interiors meet, by certified signs.

A pair is settled here only if floating point proves the answer: T. Möller (1997), A fast
triangle-triangle intersection test, with the error bounds of J. R. Shewchuk (1997), Adaptive
precision floating-point arithmetic and fast robust geometric predicates.  Others are handed
back as unsure.
"""

from __future__ import annotations

from oddseam.compiled import helper

#: What a pair is: their interiors do not meet, they do, or floating point cannot tell.
APART, MEETS, UNSURE = 0, 1, 2
#: A sign that floating point cannot tell.
_UNKNOWN = 2
_BOUND_2 = 3.3306690738754716e-16
_BOUND_3 = 7.7715611723761027e-16
_TINY = 1e-290
_SPLITTER = 134217729.0


@helper
def sign3(p, a, b, c, d):
    """Side of node d against the plane of a, b, c: -1, 0, 1, or unknown; 0 if d is one of them."""
    if d == a or d == b or d == c:
        return 0
    ax, ay, az = p[a, 0] - p[d, 0], p[a, 1] - p[d, 1], p[a, 2] - p[d, 2]
    bx, by, bz = p[b, 0] - p[d, 0], p[b, 1] - p[d, 1], p[b, 2] - p[d, 2]
    cx, cy, cz = p[c, 0] - p[d, 0], p[c, 1] - p[d, 1], p[c, 2] - p[d, 2]
    if (
        (ax == 0.0 and bx == 0.0 and cx == 0.0)
        or (ay == 0.0 and by == 0.0 and cy == 0.0)
        or (az == 0.0 and bz == 0.0 and cz == 0.0)
    ):
        return 0  # in a plane across an axis, as so much of what is drawn
    bc, cb = bx * cy, cx * by
    ca, ac = cx * ay, ax * cy
    ab, ba = ax * by, bx * ay
    det = az * (bc - cb) + bz * (ca - ac) + cz * (ab - ba)
    size = abs(az) * (abs(bc) + abs(cb)) + abs(bz) * (abs(ca) + abs(ac)) + abs(cz) * (abs(ab) + abs(ba))
    bound = _BOUND_3 * size + _TINY
    if det > bound:
        return 1
    if det < -bound:
        return -1
    return _UNKNOWN


@helper
def _is_exact(a, b, x):
    """Whether x = a - b has not been rounded."""
    virtual = a - x
    return (a - (x + virtual)) + (virtual - b) == 0.0


@helper
def _product_error(a, b, x):
    """The error of x = a b, rounded (T. J. Dekker 1971)."""
    t = _SPLITTER * a
    ah = t - (t - a)
    al = a - ah
    t = _SPLITTER * b
    bh = t - (t - b)
    bl = b - bh
    return al * bl - (((x - ah * bh) - al * bh) - ah * bl)


@helper
def sign2(p, a, b, c, i, j):
    """Side of node c against the line from a to b, seen along the axis that is neither i nor j."""
    if c == a or c == b:
        return 0
    ux, uy = p[a, i] - p[c, i], p[a, j] - p[c, j]
    vx, vy = p[b, i] - p[c, i], p[b, j] - p[c, j]
    left, right = ux * vy, uy * vx
    det = left - right
    bound = _BOUND_2 * (abs(left) + abs(right)) + _TINY
    if det > bound:
        return 1
    if det < -bound:
        return -1
    if left == 0.0 and right == 0.0 and (ux == 0.0 or vy == 0.0) and (uy == 0.0 or vx == 0.0):
        return 0
    if not (_is_exact(p[a, i], p[c, i], ux) and _is_exact(p[a, j], p[c, j], uy)
            and _is_exact(p[b, i], p[c, i], vx) and _is_exact(p[b, j], p[c, j], vy)):  # fmt: skip
        return _UNKNOWN
    if abs(left) + abs(right) < 1e-200 or abs(left) + abs(right) > 1e200:
        return _UNKNOWN
    # the products are near one another, so their difference is exact; what is left are their errors
    rest = _product_error(ux, vy, left) - _product_error(uy, vx, right)
    if det == 0.0:
        return 1 if rest > 0.0 else (-1 if rest < 0.0 else 0)
    if abs(det) > 2.0 * abs(rest):
        return 1 if det > 0.0 else -1
    return _UNKNOWN


@helper
def _on_one_side(s0, s1, s2):
    """Whether three known signs do not contradict one another and are not all zero."""
    if s0 == _UNKNOWN or s1 == _UNKNOWN or s2 == _UNKNOWN:
        return False
    if s0 >= 0 and s1 >= 0 and s2 >= 0:
        return s0 + s1 + s2 > 0
    return s0 <= 0 and s1 <= 0 and s2 <= 0


@helper
def pierces(p, u, v, a, b, c):
    """Whether the edge (u, v), whose ends lie on both sides of the plane, passes through the triangle."""
    s0 = sign3(p, u, v, a, b)
    s1 = sign3(p, u, v, b, c)
    s2 = sign3(p, u, v, c, a)
    if s0 * s1 == -1 or s1 * s2 == -1 or s2 * s0 == -1:
        return APART
    if s0 * s1 == 1 and s1 * s2 == 1:
        return MEETS
    return UNSURE


@helper
def _is_parted(p, t, x, y, i, j):
    """Whether, seen along an axis, an edge of triangle x has x on one side and y on the other."""
    for k in range(3):
        a = t[x, k]
        b = t[x, (k + 1) % 3]
        own = sign2(p, a, b, t[x, (k + 2) % 3], i, j)
        if own == 0 or own == _UNKNOWN:
            continue
        parted = True
        for m in range(3):
            s = sign2(p, a, b, t[y, m], i, j)
            if s == _UNKNOWN or s == own:
                parted = False
                break
        if parted:
            return True
    return False


@helper
def thick_axis(p, a, b, c):
    """Axis along which a triangle shows most of its area; any will do, the thickest is the surest."""
    ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
    x, y, z = abs(uy * vz - uz * vy), abs(uz * vx - ux * vz), abs(ux * vy - uy * vx)
    if x >= y and x >= z:
        return 0
    return 1 if y >= z else 2


@helper
def shared_nodes(t, x, y):
    """How many nodes triangles x and y have in common."""
    shared = 0
    for i in range(3):
        for j in range(3):
            shared += t[x, i] == t[y, j]
    return shared


@helper
def compare(p, t, x, y):
    """Whether the interiors of triangles x and y meet, as far as floating point can prove it."""
    shared = shared_nodes(t, x, y)
    if shared == 3:
        return MEETS
    x0, x1, x2, y0, y1, y2 = t[x, 0], t[x, 1], t[x, 2], t[y, 0], t[y, 1], t[y, 2]
    s0, s1, s2 = sign3(p, x0, x1, x2, y0), sign3(p, x0, x1, x2, y1), sign3(p, x0, x1, x2, y2)
    if _on_one_side(s0, s1, s2):
        return APART
    axis = thick_axis(p, x0, x1, x2)
    flat = abs(s0) != 1 and abs(s1) != 1 and abs(s2) != 1
    if flat:  # in one plane, or nearly so: look at it from above
        i = (axis + 1) % 3
        j = (axis + 2) % 3
        if _is_parted(p, t, x, y, i, j) or _is_parted(p, t, y, x, i, j):
            return APART
    r0, r1, r2 = sign3(p, y0, y1, y2, x0), sign3(p, y0, y1, y2, x1), sign3(p, y0, y1, y2, x2)
    if _on_one_side(r0, r1, r2):
        return APART
    known = max(max(max(s0, s1), s2), max(max(r0, r1), r2)) < _UNKNOWN
    if known and shared < 2:
        # both cross the plane of the other; the ends of where they do lie on edges or at a shared node
        worst = APART
        for turn in range(6):
            if turn < 3:
                q = t[y, turn], t[y, (turn + 1) % 3]
                side = (s0 * s1, s1 * s2, s2 * s0)[turn]
                found = pierces(p, q[0], q[1], x0, x1, x2) if side == -1 else APART
            else:
                q = t[x, turn - 3], t[x, (turn - 2) % 3]
                side = (r0 * r1, r1 * r2, r2 * r0)[turn - 3]
                found = pierces(p, q[0], q[1], y0, y1, y2) if side == -1 else APART
            if found == MEETS:
                return MEETS
            worst = max(worst, found)
        zeros = (s0 == 0) + (s1 == 0) + (s2 == 0) + (r0 == 0) + (r1 == 0) + (r2 == 0)
        # what the interiors share would end at two places, and only one at most is left, a corner in the other's plane
        if worst == APART and (zeros == 2 * shared or (shared == 0 and zeros == 1)):
            return APART
    for k in range(1 if flat else 0, 3):
        i = (axis + k + 1) % 3
        j = (axis + k + 2) % 3
        if _is_parted(p, t, x, y, i, j) or _is_parted(p, t, y, x, i, j):
            return APART
    return UNSURE
