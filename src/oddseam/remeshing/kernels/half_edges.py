"""A surface as flat half-edge arrays, and the changes that keep it a surface.

Half-edge h = 3 t + i runs from ``origin[h]`` to the origin of the next one in triangle t;
``twin[h]`` is the one across, or -1.  ``out[v]`` is a half-edge that leaves v, the one without
twin for a node on a border, -1 for a dead node.  ``curve[h]`` is -1 inside a region and a
curve's number on a feature; both half-edges of a pair agree.  A dead triangle has origin -1.

Every change is examined before it is made: the link condition (T. Dey, H. Edelsbrunner,
S. Guha, D. Nekhayev 1999, Topology preserving edge contraction) and the side on which each
changed facet looks.  Hence no facet is inverted or folded at any time.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from oddseam.compiled import helper, kernel

#: Kinds of node.
FREE, PASSING, FIXED = 0, 1, 2
#: A changed facet may turn by 60 degrees at most.
_LEAST_COSINE = 0.5
#: A facet of less area, over half of the square of the wanted size, is a speck.
_SMALL = 0.02


class Net(NamedTuple):
    """A surface as half-edges; arrays have room for more rows than are used."""

    point: np.ndarray  # (n, 3)
    origin: np.ndarray  # (3 t,)
    twin: np.ndarray
    curve: np.ndarray
    region: np.ndarray  # (t,)
    out: np.ndarray  # (n,)
    kind: np.ndarray
    size: np.ndarray
    axis: np.ndarray  # (n, 3) an arm of a cross in the tangent plane; (0, 3) where none are used
    used: np.ndarray  # nodes and triangles in use


@kernel
def after(h):
    return h - 2 if h % 3 == 2 else h + 1


@kernel
def before(h):
    return h + 2 if h % 3 == 0 else h - 1


@helper
def length2(net, h):
    a = net.origin[h]
    b = net.origin[after(h)]
    dx = net.point[a, 0] - net.point[b, 0]
    dy = net.point[a, 1] - net.point[b, 1]
    dz = net.point[a, 2] - net.point[b, 2]
    return dx * dx + dy * dy + dz * dz


@helper
def target2(net, h):
    s = 0.5 * (net.size[net.origin[h]] + net.size[net.origin[after(h)]])
    return s * s


@helper
def stretch2(net, h):
    """Squared length over the wanted; where there are crosses its longer component along their arms counts."""
    l2 = length2(net, h)
    if net.axis.shape[0] == 0:
        return l2 / target2(net, h)
    u = net.origin[h]
    v = net.origin[after(h)]
    x, y, z = net.point[v, 0] - net.point[u, 0], net.point[v, 1] - net.point[u, 1], net.point[v, 2] - net.point[u, 2]
    total = 0.0
    count = 0
    for w in (u, v):
        along = x * net.axis[w, 0] + y * net.axis[w, 1] + z * net.axis[w, 2]
        if along != 0.0:
            total += max(along * along, l2 - along * along)
            count += 1
    return (total / count if count > 0 else l2) / target2(net, h)


@helper
def normal_at(p, b, c, x, y, z):
    """Twice the area vector of the triangle from (x, y, z) to nodes b and c."""
    ux, uy, uz = p[b, 0] - x, p[b, 1] - y, p[b, 2] - z
    vx, vy, vz = p[c, 0] - x, p[c, 1] - y, p[c, 2] - z
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@helper
def shape_at(p, b, c, x, y, z):
    """Shape of that triangle, 1 for equilateral, 0 without area: 4 sqrt(3) area over squared edges."""
    nx, ny, nz = normal_at(p, b, c, x, y, z)
    e = (p[b, 0] - x) ** 2 + (p[b, 1] - y) ** 2 + (p[b, 2] - z) ** 2
    f = (p[c, 0] - x) ** 2 + (p[c, 1] - y) ** 2 + (p[c, 2] - z) ** 2
    g = (p[c, 0] - p[b, 0]) ** 2 + (p[c, 1] - p[b, 1]) ** 2 + (p[c, 2] - p[b, 2]) ** 2
    s = e + f + g
    return 3.4641016151377544 * np.sqrt(nx * nx + ny * ny + nz * nz) / s if s > 0.0 else 0.0


@helper
def ring_normal(p, origin, twin, out, regions, v, region):
    """Area-weighted normal of the facets round v in a region, and the sum of their areas."""
    nx = 0.0
    ny = 0.0
    nz = 0.0
    area = 0.0
    g = out[v]
    start = g
    while True:
        if regions[g // 3] == region:
            x, y, z = normal_at(p, origin[after(g)], origin[before(g)],
                                p[v, 0], p[v, 1], p[v, 2])  # fmt: skip
            nx += x
            ny += y
            nz += z
            area += np.sqrt(x * x + y * y + z * z)
        g = twin[before(g)]
        if g < 0 or g == start:
            return nx, ny, nz, area


@kernel
def may_move(p, origin, twin, out, regions, size_at, v, skip, x, y, z, longest2):
    """Whether v may go to (x, y, z), and the worst shape of the facets round it now and then.

    Facets round it, but those with ``skip``, must keep their side, and no edge may get longer
    than allowed; a negative ``longest2`` allows every length.
    """
    worst_now = 1.0
    worst_then = 1.0
    g = out[v]
    start = g
    while True:
        b = origin[after(g)]
        c = origin[before(g)]
        now = shape_at(p, b, c, p[v, 0], p[v, 1], p[v, 2])
        worst_now = min(worst_now, now)
        if b != skip and c != skip:
            then = shape_at(p, b, c, x, y, z)
            worst_then = min(worst_then, then)
            if longest2 > 0.0:
                for w in (b, c):
                    d = (p[w, 0] - x) ** 2 + (p[w, 1] - y) ** 2 + (p[w, 2] - z) ** 2
                    if d > longest2:
                        return False, 0.0, 0.0
            n0, n1, n2 = normal_at(p, b, c, x, y, z)
            m0, m1, m2 = normal_at(p, b, c, p[v, 0], p[v, 1], p[v, 2])
            if now <= 0.02 or m0 * m0 + m1 * m1 + m2 * m2 < (_SMALL * size_at[v] * size_at[v]) ** 2:
                # the normal of a sliver or of a speck means nothing: ask its surroundings
                m0, m1, m2, _ = ring_normal(p, origin, twin, out, regions, v, regions[g // 3])
            dot = n0 * m0 + n1 * m1 + n2 * m2
            size = (n0 * n0 + n1 * n1 + n2 * n2) * (m0 * m0 + m1 * m1 + m2 * m2)
            if not (dot > 0.0 and dot * dot >= _LEAST_COSINE * _LEAST_COSINE * size):
                return False, 0.0, 0.0
        g = twin[before(g)]
        if g < 0 or g == start:
            break
    return True, worst_now, worst_then


@kernel
def link_is_sound(origin, twin, out, h, mark, stamp):
    """Link condition for collapsing h: the ends share exactly the corners opposite to h."""
    u = origin[h]
    v = origin[after(h)]
    o = twin[h]
    if o >= 0 and twin[out[u]] < 0 and twin[out[v]] < 0:
        return False
    if twin[after(h)] < 0 and twin[before(h)] < 0:
        return False
    if o >= 0 and twin[after(o)] < 0 and twin[before(o)] < 0:
        return False
    common = 0
    for turn in range(2):
        w = u if turn == 0 else v
        g = out[w]
        start = g
        while True:
            a = origin[after(g)]
            if turn == 0:
                mark[a] = stamp
            elif mark[a] == stamp:
                common += 1
            q = before(g)
            g = twin[q]
            if g < 0:
                a = origin[q]
                if turn == 0:
                    mark[a] = stamp
                elif mark[a] == stamp:
                    common += 1
                break
            if g == start:
                break
    if common != (2 if o >= 0 else 1):
        return False
    # a corner opposite with three neighbours would be left with two
    for turn in range(2 if o >= 0 else 1):
        a = origin[before(h if turn == 0 else o)]
        if twin[out[a]] >= 0:
            g = out[a]
            start = g
            count = 0
            while count < 5:
                count += 1
                g = twin[before(g)]
                if g == start:
                    break
            if count <= 3:
                return False
    return o < 0 or origin[before(h)] != origin[before(o)]


@helper
def join(twin, a, b):
    """Make half-edges twins; either may be -1."""
    if a >= 0:
        twin[a] = b
    if b >= 0:
        twin[b] = a


@kernel
def collapse(net, h):
    """Collapse the origin of h into its end; what it must satisfy has been examined."""
    origin, twin, curve, out = net.origin, net.twin, net.curve, net.out
    u = origin[h]
    v = origin[after(h)]
    last = np.int64(-1)
    g = np.int64(out[u])
    start = g
    while True:
        origin[g] = v
        g = np.int64(twin[before(g)])
        if g < 0 or g == start:
            break
    for turn in range(2):
        k = np.int64(h) if turn == 0 else np.int64(twin[h])
        if k < 0:
            break
        n = after(k)
        p = before(k)
        a = origin[p]
        tn = np.int64(twin[n])
        tp = np.int64(twin[p])
        both = max(curve[n], curve[p])
        join(twin, tn, tp)
        if tn >= 0:
            curve[tn] = both
        if tp >= 0:
            curve[tp] = both
        # on the first side n leaves v for a and tp does too; on the second p does
        if turn == 0:
            leaving = tp if tp >= 0 else after(tn)
            last = leaving
            if out[a] == p:
                out[a] = tn if tn >= 0 else after(tp)
        elif out[a] == p:
            out[a] = tn if tn >= 0 else after(tp)
    for turn in range(2):
        k = np.int64(h) if turn == 0 else np.int64(twin[h])
        if k >= 0:
            t = 3 * (k // 3)
            for i in range(3):
                origin[t + i] = -1
    out[u] = -1
    g = last
    while twin[g] >= 0:
        g = after(np.int64(twin[g]))
        if g == last:
            break
    out[v] = g


@kernel
def split(net, h, x, y, z):
    """Split h at a point; returns the new node. The rest of h is the half-edge that leaves it."""
    origin, twin, curve, out = net.origin, net.twin, net.curve, net.out
    w = net.used[0]
    net.used[0] = w + 1
    net.point[w, 0] = x
    net.point[w, 1] = y
    net.point[w, 2] = z
    o = np.int64(twin[h])
    u = origin[h]
    v = origin[after(h)]
    net.size[w] = 0.5 * (net.size[u] + net.size[v])
    net.kind[w] = FREE
    if net.axis.shape[0] > 0:
        of = u if net.axis[u, 0] != 0.0 or net.axis[u, 1] != 0.0 or net.axis[u, 2] != 0.0 else v
        net.axis[w, 0], net.axis[w, 1], net.axis[w, 2] = net.axis[of, 0], net.axis[of, 1], net.axis[of, 2]
    rest = np.int64(-1)
    for turn in range(2):
        k = np.int64(h) if turn == 0 else o
        if k < 0:
            break
        n = after(k)
        p = before(k)
        end = origin[n]
        a = origin[p]
        t = net.used[1]
        net.used[1] = t + 1
        new = 3 * t
        # the old triangle keeps the half towards the origin of k
        origin[new] = w
        origin[new + 1] = end
        origin[new + 2] = a
        curve[new] = curve[k]
        curve[new + 1] = curve[n]
        curve[new + 2] = -1
        net.region[t] = net.region[k // 3]
        twin[new] = -1
        across = np.int64(twin[n])
        twin[new + 1] = -1
        join(twin, new + 1, across)
        origin[n] = w
        curve[n] = -1
        join(twin, n, new + 2)
        if out[end] == n:
            out[end] = new + 1
        if turn == 0:
            rest = new
        else:
            join(twin, h, new)
            join(twin, rest, o)
    if o < 0:
        twin[h] = -1
    out[w] = rest
    return w


@kernel
def flip(net, h):
    """Turn the edge h within the quad of its two triangles; both must exist."""
    origin, twin, curve, out = net.origin, net.twin, net.curve, net.out
    o = np.int64(twin[h])
    n, p, m, q = after(h), before(h), after(o), before(o)
    u, v, a, b = origin[h], origin[o], origin[p], origin[q]
    tn, tp, tm, tq = np.int64(twin[n]), np.int64(twin[p]), np.int64(twin[m]), np.int64(twin[q])
    cn, cp, cm, cq = curve[n], curve[p], curve[m], curve[q]
    origin[h] = b
    origin[n] = a
    origin[p] = u
    origin[o] = a
    origin[m] = b
    origin[q] = v
    twin[n] = -1
    twin[p] = -1
    twin[m] = -1
    twin[q] = -1
    join(twin, n, tp)
    join(twin, p, tm)
    join(twin, m, tq)
    join(twin, q, tn)
    curve[n] = cp
    curve[p] = cm
    curve[m] = cq
    curve[q] = cn
    if out[u] == h or out[u] == m:
        out[u] = p
    if out[v] == o or out[v] == n:
        out[v] = q
    if out[a] == p:
        out[a] = n
    if out[b] == q:
        out[b] = m


@kernel
def is_joined(origin, twin, out, a, b):
    """Whether nodes a and b share an edge."""
    g = out[a]
    start = g
    while True:
        if origin[after(g)] == b:
            return True
        q = before(g)
        g = twin[q]
        if g < 0:
            return origin[q] == b
        if g == start:
            return False
