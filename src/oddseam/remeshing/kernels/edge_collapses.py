"""Edge collapse by least quadric error, on a half-edge net.

Every node carries the squared distances to the planes of the facets it stands for, weighed by area, as a
quadratic form; the edge whose collapse costs least goes first.  M. Garland, P. S. Heckbert (1997), Surface
simplification using quadric error metrics.  Costs only grow, so that those of edges beside a collapse are worked out
anew when they come to the top of the heap: J. Cohen, D. Manocha, M. Olano (1997), Simplifying polygonal models using
successive mappings.  A cached kernel does not notice a change in ``half_edges.py``, ``heap.py`` or
``gap_bounds.py``: clear the cache when working there.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.remeshing.kernels.gap_bounds import MOST, bound_after
from oddseam.remeshing.kernels.half_edges import FIXED, FREE, after, before, collapse, link_is_sound, normal_at
from oddseam.remeshing.kernels.heap import put, remove, set_cost, sink

#: Squared cosine of the most that a facet may turn in one collapse.
_TURN2 = 0.04
#: A sliver has a shape (1 for equilateral) below 0.12; this is that squared, over the 12 of the formula.
_SLIVER2 = 0.12**2 / 12.0
#: Pull to the middle of an edge, over the trace of the form: flat places have no other wish.
_PULL = 1e-6


@helper
def _add_plane(form, v, x, y, z, d, w):
    form[v, 0] += w * x * x
    form[v, 1] += w * x * y
    form[v, 2] += w * x * z
    form[v, 3] += w * y * y
    form[v, 4] += w * y * z
    form[v, 5] += w * z * z
    form[v, 6] += w * x * d
    form[v, 7] += w * y * d
    form[v, 8] += w * z * d
    form[v, 9] += w * d * d


@kernel
def fill_forms(net, form):
    """The quadratic forms of all nodes: planes of facets, and upright planes along curves and borders."""
    p = net.point
    for t in range(net.used[1]):
        a = net.origin[3 * t]
        if a < 0:
            continue
        x, y, z = normal_at(p, net.origin[3 * t + 1], net.origin[3 * t + 2], p[a, 0], p[a, 1], p[a, 2])
        twice = np.sqrt(x * x + y * y + z * z)
        if not twice > 0.0:
            continue
        x /= twice
        y /= twice
        z /= twice
        d = -(x * p[a, 0] + y * p[a, 1] + z * p[a, 2])
        for h in range(3 * t, 3 * t + 3):
            v = net.origin[h]
            _add_plane(form, v, x, y, z, d, 0.5 * twice)
            if net.curve[h] < 0 and net.twin[h] >= 0:
                continue
            w = net.origin[after(h)]
            ex, ey, ez = p[w, 0] - p[v, 0], p[w, 1] - p[v, 1], p[w, 2] - p[v, 2]
            kx, ky, kz = y * ez - z * ey, z * ex - x * ez, x * ey - y * ex
            length = np.sqrt(kx * kx + ky * ky + kz * kz)
            if length > 0.0:
                kx /= length
                ky /= length
                kz /= length
                k = -(kx * p[v, 0] + ky * p[v, 1] + kz * p[v, 2])
                _add_plane(form, v, kx, ky, kz, k, length * length)
                _add_plane(form, w, kx, ky, kz, k, length * length)


@helper
def _distance2(p, v, x, y, z):
    return (p[v, 0] - x) ** 2 + (p[v, 1] - y) ** 2 + (p[v, 2] - z) ** 2


@helper
def _error(form, u, v, x, y, z):
    """Sum of the weighed squared distances of a place to the planes of two nodes."""
    return max(
        x * ((form[u, 0] + form[v, 0]) * x
             + 2.0 * ((form[u, 1] + form[v, 1]) * y + (form[u, 2] + form[v, 2]) * z + form[u, 6] + form[v, 6]))
        + y * ((form[u, 3] + form[v, 3]) * y + 2.0 * ((form[u, 4] + form[v, 4]) * z + form[u, 7] + form[v, 7]))
        + z * ((form[u, 5] + form[v, 5]) * z + 2.0 * (form[u, 8] + form[v, 8]))
        + form[u, 9] + form[v, 9],
        0.0,
    )  # fmt: skip


@helper
def _weight(form, v):
    """Sum of the weights of the planes of a node: their normals have length one."""
    return form[v, 0] + form[v, 3] + form[v, 5]


@helper
def _last_choice(kind, u, v):
    """Number of the last place that two nodes may meet at."""
    return 0 if kind[u] != kind[v] else 2 if kind[u] == FREE else 1


@helper
def _meeting(p, kind, form, u, v, choice):
    """Cost of letting two nodes meet, the place, and the error there.

    Free nodes meet where the error is least; that is choice 0.  The next ones are the better and the other
    end.  Nodes of which one is not free meet at that, and two on a curve at one of them, so that these never leave it.
    """
    d2 = _distance2(p, u, p[v, 0], p[v, 1], p[v, 2])
    trace = _weight(form, u) + _weight(form, v)
    if kind[u] != FREE or kind[v] != FREE or choice > 0:
        w = u if kind[u] > kind[v] else v
        error = _error(form, u, v, p[w, 0], p[w, 1], p[w, 2])
        if kind[u] == kind[v]:
            other = _error(form, u, v, p[u, 0], p[u, 1], p[u, 2])
            if (other < error) != (choice == _last_choice(kind, u, v)):
                w = u
                error = other
        return error + 1e-8 * trace * d2, p[w, 0], p[w, 1], p[w, 2], error
    x = 0.5 * (p[u, 0] + p[v, 0])
    y = 0.5 * (p[u, 1] + p[v, 1])
    z = 0.5 * (p[u, 2] + p[v, 2])
    c1 = form[u, 1] + form[v, 1]
    c2 = form[u, 2] + form[v, 2]
    c4 = form[u, 4] + form[v, 4]
    xx = form[u, 0] + form[v, 0]
    yy = form[u, 3] + form[v, 3]
    zz = form[u, 5] + form[v, 5]
    gx = xx * x + c1 * y + c2 * z + form[u, 6] + form[v, 6]
    gy = c1 * x + yy * y + c4 * z + form[u, 7] + form[v, 7]
    gz = c2 * x + c4 * y + zz * z + form[u, 8] + form[v, 8]
    pull = _PULL * trace + 1e-300
    xx += pull
    yy += pull
    zz += pull
    k0 = yy * zz - c4 * c4
    k1 = c2 * c4 - c1 * zz
    k2 = c1 * c4 - c2 * yy
    det = xx * k0 + c1 * k1 + c2 * k2
    if det > 0.0:
        k3 = c1 * c2 - xx * c4
        sx = -(k0 * gx + k1 * gy + k2 * gz) / det
        sy = -(k1 * gx + (xx * zz - c2 * c2) * gy + k3 * gz) / det
        sz = -(k2 * gx + k3 * gy + (xx * yy - c1 * c1) * gz) / det
        if sx * sx + sy * sy + sz * sz <= 4.0 * d2:
            x += sx
            y += sy
            z += sz
    error = _error(form, u, v, x, y, z)
    return error + 1e-8 * trace * d2, x, y, z, error


@helper
def _swept(p, origin, twin, out, v, skip, x, y, z, g):
    """Add to g what the volume below the facets round v grows by with the place of v, and give six times that volume.

    Of the facets with ``skip``, which go, only the volume counts.  Volumes are about (x, y, z).
    """
    sum6 = 0.0
    h = out[v]
    start = h
    vx, vy, vz = p[v, 0] - x, p[v, 1] - y, p[v, 2] - z
    while True:
        b = origin[after(h)]
        c = origin[before(h)]
        bx, by, bz = p[b, 0] - x, p[b, 1] - y, p[b, 2] - z
        cx, cy, cz = p[c, 0] - x, p[c, 1] - y, p[c, 2] - z
        kx, ky, kz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
        six = kx * vx + ky * vy + kz * vz
        if b == skip or c == skip:
            six *= 0.5  # the other end counts them too
        else:
            g[0] += kx
            g[1] += ky
            g[2] += kz
        sum6 += six
        h = twin[before(h)]
        if h < 0 or h == start:
            return sum6


@helper
def _balanced(p, origin, twin, out, form, u, v, x, y, z, g):
    """The place near (x, y, z) with the least error among those that keep the volume below the surface.

    P. Lindstrom, G. Turk (1998), Fast and memory efficient polygonal simplification.
    """
    g[:] = 0.0
    sum6 = _swept(p, origin, twin, out, u, v, x, y, z, g) + _swept(p, origin, twin, out, v, u, x, y, z, g)
    pull = _PULL * (_weight(form, u) + _weight(form, v)) + 1e-300
    xx = form[u, 0] + form[v, 0] + pull
    c1 = form[u, 1] + form[v, 1]
    c2 = form[u, 2] + form[v, 2]
    yy = form[u, 3] + form[v, 3] + pull
    c4 = form[u, 4] + form[v, 4]
    zz = form[u, 5] + form[v, 5] + pull
    # up to the determinant, which cancels
    k0 = yy * zz - c4 * c4
    k1 = c2 * c4 - c1 * zz
    k2 = c1 * c4 - c2 * yy
    k3 = c1 * c2 - xx * c4
    sx = k0 * g[0] + k1 * g[1] + k2 * g[2]
    sy = k1 * g[0] + (xx * zz - c2 * c2) * g[1] + k3 * g[2]
    sz = k2 * g[0] + k3 * g[1] + (xx * yy - c1 * c1) * g[2]
    along = sx * g[0] + sy * g[1] + sz * g[2]
    if not along > 0.0:
        return x, y, z
    t = sum6 / along
    return x + t * sx, y + t * sy, z + t * sz


@helper
def _may_meet(origin, twin, curve, kind, h):
    """Whether the kinds of the ends of an edge let them meet: on curves only along these."""
    u = kind[origin[h]]
    v = kind[origin[after(h)]]
    if curve[h] >= 0 or twin[h] < 0:
        return u != FIXED or v != FIXED
    return u == FREE or v == FREE


@helper
def _turns(p, origin, twin, out, v, skip, x, y, z):
    """Whether a facet round v, but those with ``skip``, would turn too far or become a sliver at (x, y, z)."""
    g = out[v]
    start = g
    while True:
        b = origin[after(g)]
        q = before(g)
        c = origin[q]
        if b != skip and c != skip:
            m0, m1, m2 = normal_at(p, b, c, p[v, 0], p[v, 1], p[v, 2])
            n0, n1, n2 = normal_at(p, b, c, x, y, z)
            dot = m0 * n0 + m1 * n1 + m2 * n2
            was = m0 * m0 + m1 * m1 + m2 * m2
            now = n0 * n0 + n1 * n1 + n2 * n2
            if was > 0.0 and not (dot > 0.0 and dot * dot >= _TURN2 * was * now):
                return True
            # a sliver may stay one, but none is made: areas over the sums of squared edges tell
            across = _distance2(p, b, p[c, 0], p[c, 1], p[c, 2])
            then = across + _distance2(p, b, x, y, z) + _distance2(p, c, x, y, z)
            if now < _SLIVER2 * then * then:
                before2 = (
                    across + _distance2(p, b, p[v, 0], p[v, 1], p[v, 2]) + _distance2(p, c, p[v, 0], p[v, 1], p[v, 2])
                )
                if now * before2 * before2 < was * then * then:
                    return True
        g = twin[q]
        if g < 0 or g == start:
            return False


@kernel
def number_edges(net, edge_of, half_of):
    """Number the edges; how many there are."""
    count = 0
    for h in range(3 * net.used[1]):
        o = net.twin[h]
        if net.origin[h] >= 0 and (o < 0 or h < o):
            edge_of[h] = count
            if o >= 0:
                edge_of[o] = count
            half_of[count] = h
            count += 1
    return count


@kernel
def fill_costs(net, form, edge_of, half_of, first, last, edge_cost):
    """The costs of the edges from ``first`` to ``last``, -1 for those that are gone or may not go."""
    p, origin, twin, curve, kind = net.point, net.origin, net.twin, net.curve, net.kind
    for e in range(first, last):
        h = half_of[e]
        edge_cost[e] = -1.0
        if origin[h] >= 0 and edge_of[h] == e and _may_meet(origin, twin, curve, kind, h):
            edge_cost[e] = _meeting(p, kind, form, origin[h], origin[after(h)], 0)[0]


@kernel
def fill_heap(net, half_of, edge_cost, share, own, cost, item, place):
    """Put those edges into a heap that may go and have both ends in a share; how many there are."""
    count = 0
    for e in range(half_of.shape[0]):
        h = half_of[e]
        if edge_cost[e] >= 0.0 and share[net.origin[h]] == own and share[net.origin[after(h)]] == own:
            put(cost, item, place, count, edge_cost[e], e)
            count += 1
    for i in range(count // 4, -1, -1):
        if i < count:
            sink(cost, item, place, count, i)
    return count


@kernel
def errors(net, form, error2):
    """Mean squared distance of every node to the planes that it stands for."""
    p = net.point
    for v in range(net.used[0]):
        w = _weight(form, v)
        if w > 0.0:  # the form counts twice
            error2[v] = 0.5 * _error(form, v, v, p[v, 0], p[v, 1], p[v, 2]) / w


@kernel
def collapse_cheapest(
    net, form, edge_of, half_of, cost, item, place, choice, stale, share, mine, level, goal, state, most2, swept, limit,
    gap, into, was, mark,
):  # fmt: skip
    """Collapse edges, the cheapest first, until ``goal`` triangles are left, none may go, or all cost over ``level``.

    Only nodes of a share go, ``mine``, beside which there is none of another one, so that shares may be worked on at
    the same time.
    ``state`` holds the number of edges in the heap, of triangles left, and of stamps given so far, and how much the
    sum of all distances times areas may yet grow.  ``most2`` (n,) bounds the mean squared distance to the planes of
    what meets at each node, and ``swept`` (n,) is thrice the area of what each stands for, times its distance.
    If ``limit`` is not negative, ``gap`` (n,) bounds at every node, and linear between, how far the surface
    and the given one are from one another, and stays within it.
    ``into`` (n,) gets for each node that goes the one it goes into, and ``was`` (n,) the node that each one
    stands for; ``mark`` (n,) is scratch.
    """
    p, origin, twin, curve, out, kind = net.point, net.origin, net.twin, net.curve, net.out, net.kind
    waiting = np.int64(state[0])
    left = np.int64(state[1])
    stamp = np.int64(state[2])
    spare = state[3]
    g3 = np.empty(3)
    ring = np.empty((MOST, 2), np.int32)
    at = np.empty((2 * MOST + 3, 4))
    own = np.empty(MOST, np.int8)
    while left > goal and waiting > 0 and cost[0] <= level:
        e = item[0]
        h = np.int64(half_of[e])
        u = origin[h]
        v = origin[after(h)]
        if stale[e] and _may_meet(
            origin, twin, curve, kind, h
        ):  # costs only grow: it is time enough to know when it comes to the top
            stale[e] = False
            c = _meeting(p, kind, form, u, v, 0)[0]
            if c > cost[0]:
                cost[0] = c
                sink(cost, item, place, waiting, 0)
                continue
        waiting = remove(cost, item, place, waiting, e)
        o = np.int64(twin[h])
        if not _may_meet(origin, twin, curve, kind, h):
            continue
        if share[origin[before(h)]] != mine or (o >= 0 and share[origin[before(o)]] != mine):
            continue
        # a facet between two curves would take one of them with it
        if curve[after(h)] >= 0 and curve[before(h)] >= 0:
            continue
        if o >= 0 and curve[after(o)] >= 0 and curve[before(o)] >= 0:
            continue
        stamp += 1
        if not link_is_sound(origin, twin, out, h, mark, stamp):
            continue
        _, x, y, z, error = _meeting(p, kind, form, u, v, choice[e])
        if choice[e] == 0 and kind[u] == FREE and kind[v] == FREE:
            bx, by, bz = _balanced(p, origin, twin, out, form, u, v, x, y, z, g3)
            if _distance2(p, u, bx, by, bz) + _distance2(p, v, bx, by, bz) < 4.0 * _distance2(
                p, u, p[v, 0], p[v, 1], p[v, 2]
            ):
                x, y, z = bx, by, bz
                error = _error(form, u, v, x, y, z)
        bound = min(most2[u], most2[v])
        weight = _weight(form, u) + _weight(form, v)
        if error > bound * weight:
            continue
        sweeps = np.sqrt(error * weight)
        if sweeps - swept[u] - swept[v] > 3.0 * spare:
            continue
        reach = 0.0
        may = not (_turns(p, origin, twin, out, u, v, x, y, z) or _turns(p, origin, twin, out, v, u, x, y, z))
        if may and limit >= 0.0:
            reach = bound_after(net, h, x, y, z, gap, ring, at, own)
            may = 0.0 <= reach <= limit
        if not may:
            if choice[e] < _last_choice(kind, u, v):  # at another place when its turn comes
                choice[e] += 1
                waiting = set_cost(cost, item, place, waiting, e, _meeting(p, kind, form, u, v, choice[e])[0])
            continue
        # of the two edges that become one on either side, the one that stays keeps its number
        for turn in range(2):
            k = h if turn == 0 else o
            if k < 0:
                break
            stays = after(k) if turn == 0 else before(k)
            goes = before(k) if turn == 0 else after(k)
            number = edge_of[stays]
            waiting = remove(cost, item, place, waiting, edge_of[goes])
            one = twin[stays]
            two = twin[goes]
            if two >= 0:
                edge_of[two] = number
            half_of[number] = one if one >= 0 else two
            left -= 1
        if kind[u] != FREE and x == p[u, 0] and y == p[u, 1] and z == p[u, 2]:  # v takes the place of u
            kind[v] = max(kind[u], kind[v])
            was[v] = was[u]
        most2[v] = bound
        spare -= (sweeps - swept[u] - swept[v]) / 3.0
        swept[v] = sweeps
        if limit >= 0.0:
            gap[v] = reach
        into[u] = v
        collapse(net, h)
        p[v, 0] = x
        p[v, 1] = y
        p[v, 2] = z
        for i in range(10):
            form[v, i] += form[u, i]
        g = np.int64(out[v])
        start = g
        while True:
            for turn in range(2):
                k = g if turn == 0 else before(g)
                if turn == 1 and twin[k] >= 0:
                    break
                if share[origin[k]] != mine or share[origin[after(k)]] != mine:
                    continue
                e = edge_of[k]
                stale[e] = True
                if (place[e] < 0 or choice[e] > 0) and _may_meet(origin, twin, curve, kind, k):
                    c = _meeting(p, kind, form, origin[k], origin[after(k)], 0)[0]
                    stale[e] = False
                    choice[e] = 0
                    waiting = set_cost(cost, item, place, waiting, e, c)
            g = np.int64(twin[before(g)])
            if g < 0 or g == start:
                break
    state[0] = waiting
    state[1] = left
    state[2] = stamp
    state[3] = spare
