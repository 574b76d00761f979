"""The passes of the isotropic remesher: split, collapse, flip, smooth, and nodes on curves.

After M. Botsch, L. Kobbelt (2004), A remeshing approach to multiresolution modeling.  A cached
kernel does not notice a change in ``half_edges.py``: clear the cache when working there.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.remeshing.kernels.half_edges import (
    FIXED,
    FREE,
    PASSING,
    after,
    before,
    collapse,
    flip,
    is_joined,
    length2,
    link_is_sound,
    may_move,
    normal_at,
    ring_normal,
    shape_at,
    split,
    stretch2,
    target2,
)

#: The two diagonals that a flip exchanges are no farther apart, over the size.
_MOST_GAP = 0.1


@kernel
def limit_gradation(net, gradation):
    """Lower the sizes until none grows by more than ``gradation`` times the distance."""
    for _ in range(60):
        changed = False
        for h in range(3 * net.used[1]):
            if net.origin[h] < 0:
                continue
            u = net.origin[h]
            v = net.origin[after(h)]
            bound = net.size[u] + gradation * np.sqrt(length2(net, h))
            if net.size[v] > bound:
                net.size[v] = bound
                changed = True
            bound = net.size[v] + gradation * np.sqrt(length2(net, h))
            if net.size[u] > bound:
                net.size[u] = bound
                changed = True
        if not changed:
            return


@kernel
def longest_ratio(net):
    """Longest edge over its wanted length, features left out."""
    most = 0.0
    for h in range(3 * net.used[1]):
        if net.origin[h] >= 0 and net.curve[h] < 0:
            most = max(most, stretch2(net, h))
    return np.sqrt(most)


@kernel
def raise_at_curves(net, share):
    """Raise the sizes at the ends of curve edges to ``share`` of their length.

    Curves are not split here.  If the other edges of a facet had to be shorter than half of its
    edge on a curve, halving them would never end: the apex is always far from one of the ends.
    """
    for h in range(3 * net.used[1]):
        if net.origin[h] >= 0 and net.curve[h] >= 0:
            least = share * np.sqrt(length2(net, h))
            u = net.origin[h]
            v = net.origin[after(h)]
            net.size[u] = max(net.size[u], least)
            net.size[v] = max(net.size[v], least)


@kernel
def split_long(net, stretch):
    """Split edges longer than ``stretch`` times the size, but features; False if the room runs out."""
    h = 0
    while h < 3 * net.used[1]:
        if net.origin[h] >= 0 and net.curve[h] < 0 and net.twin[h] < h:
            while stretch2(net, h) > stretch * stretch:
                if net.used[0] + 1 > net.point.shape[0] or net.used[1] + 2 > net.region.shape[0]:
                    return False
                u = net.origin[h]
                v = net.origin[after(h)]
                split(net, h, *_middle(net, u, v))
        h += 1
    return True


@helper
def _most2(net, h):
    """Squared length of the longest edge that a collapse of h may leave; with crosses it may be a diagonal."""
    most2 = 16.0 / 9.0 * target2(net, h)
    return most2 if net.axis.shape[0] == 0 else 2.0 * most2


@helper
def _middle(net, u, v):
    p = net.point
    return 0.5 * (p[u, 0] + p[v, 0]), 0.5 * (p[u, 1] + p[v, 1]), 0.5 * (p[u, 2] + p[v, 2])


@kernel
def collapse_short(net, mark, least, shrink, by_shape):
    """Collapse edges shorter than ``shrink`` of the size, and passing nodes along their curve.

    ``by_shape`` lets edges grow longer than wanted if the worst facet gets better; otherwise
    its shape stays above ``least``, less for far too short ones, or above what it is now.  Two free nodes meet in the
    middle, or where one of them is.
    ``mark`` (n,) holds stamps; its last entry is the newest.  Returns the number collapsed.
    """
    p, origin, twin, out, region, size = net.point, net.origin, net.twin, net.out, net.region, net.size
    done = 0
    last = mark.shape[0] - 1
    for h in range(3 * net.used[1]):
        u = origin[h]
        if u < 0 or net.kind[u] == FIXED:
            continue
        v = origin[after(h)]
        passing = net.kind[u] == PASSING
        if passing:
            if net.curve[h] < 0:
                continue
        elif stretch2(net, h) >= shrink * shrink:
            continue
        if net.curve[after(h)] >= 0 and net.curve[before(h)] >= 0:
            continue
        o = twin[h]
        if o >= 0 and net.curve[after(o)] >= 0 and net.curve[before(o)] >= 0:
            continue
        mark[last] += 1
        if not link_is_sound(origin, twin, out, h, mark, mark[last]):
            continue
        longest2 = -1.0 if passing or by_shape else _most2(net, h)
        allowed = 0.1 if passing else least
        if not passing and not by_shape:  # what is far too short must go, whatever it leaves behind for now
            allowed *= min(1.0, np.sqrt(stretch2(net, h)) / shrink)
        places = 3 if net.kind[u] == FREE and net.kind[v] == FREE else 1
        for place in range(places):
            # in the middle if both may move, else where either is
            if places == 1 or place == 1:
                x, y, z = p[v, 0], p[v, 1], p[v, 2]
            elif place == 0:
                x, y, z = _middle(net, u, v)
            else:
                x, y, z = p[u, 0], p[u, 1], p[u, 2]
            sound, now, then = may_move(p, origin, twin, out, region, size, u, v, x, y, z, longest2)
            if sound and places == 3 and place != 1:
                sound, its_now, its_then = may_move(p, origin, twin, out, region, size, v, u, x, y, z, longest2)
                now = min(now, its_now)
                then = min(then, its_then)
            if sound and (then > now + 0.05 if by_shape else then >= min(allowed, now)):
                collapse(net, h)
                p[v, 0] = x
                p[v, 1] = y
                p[v, 2] = z
                done += 1
                break
    return done


@kernel
def flip_edges(net, most_turn, by_valence, wanted, valence):
    """Flip edges where that makes valences or the smallest angle better; returns how many.

    ``wanted`` (n,) is the wanted number of neighbours, ``valence`` (n,) is scratch.
    """
    p, origin, twin, curve, out, size = net.point, net.origin, net.twin, net.curve, net.out, net.size
    valence[:] = 0
    total = 3 * net.used[1]
    for h in range(total):
        if origin[h] >= 0:
            valence[origin[h]] += 1
            if twin[h] < 0:
                valence[origin[after(h)]] += 1
    done = 0
    for h in range(total):
        o = twin[h]
        if origin[h] < 0 or o < h or curve[h] >= 0:
            continue
        u, v = origin[h], origin[o]
        a, b = origin[before(h)], origin[before(o)]
        if a == b:
            continue
        now = min(shape_at(p, u, v, p[a, 0], p[a, 1], p[a, 2]), shape_at(p, v, u, p[b, 0], p[b, 1], p[b, 2]))
        then = min(shape_at(p, b, a, p[u, 0], p[u, 1], p[u, 2]), shape_at(p, a, b, p[v, 0], p[v, 1], p[v, 2]))
        if by_valence and now > 0.3:
            gain = 0
            for w in (u, v):
                gain += (valence[w] - wanted[w]) ** 2 - (valence[w] - 1 - wanted[w]) ** 2
            for w in (a, b):
                gain += (valence[w] - wanted[w]) ** 2 - (valence[w] + 1 - wanted[w]) ** 2
            if gain <= 0 or then < 0.5 * now:
                continue
        elif then <= now + 1e-6:
            continue
        if valence[u] <= 3 or valence[v] <= 3:
            continue
        fewer = a if valence[a] <= valence[b] else b  # walk round the smaller fan
        if is_joined(origin, twin, out, fewer, a + b - fewer):
            continue
        l0, l1, l2 = normal_at(p, u, v, p[a, 0], p[a, 1], p[a, 2])
        r0, r1, r2 = normal_at(p, v, u, p[b, 0], p[b, 1], p[b, 2])
        s0, s1, s2 = normal_at(p, b, a, p[u, 0], p[u, 1], p[u, 2])
        t0, t1, t2 = normal_at(p, a, b, p[v, 0], p[v, 1], p[v, 2])
        m0, m1, m2 = l0 + r0, l1 + r1, l2 + r2
        mm = m0 * m0 + m1 * m1 + m2 * m2
        ss = s0 * s0 + s1 * s1 + s2 * s2
        tt = t0 * t0 + t1 * t1 + t2 * t2
        sm = s0 * m0 + s1 * m1 + s2 * m2
        tm = t0 * m0 + t1 * m1 + t2 * m2
        st = s0 * t0 + s1 * t1 + s2 * t2
        lr = l0 * r0 + l1 * r1 + l2 * r2
        ll = (l0 * l0 + l1 * l1 + l2 * l2) * (r0 * r0 + r1 * r1 + r2 * r2)
        if not (sm > 0.0 and tm > 0.0 and sm * sm > 0.5 * ss * mm and tm * tm > 0.5 * tt * mm):
            continue
        # the new edge must not fold more than the old one, beyond what a crease angle allows
        folds = st < most_turn * np.sqrt(ss * tt)
        if folds and (ll == 0.0 or st * np.sqrt(ll) < lr * np.sqrt(ss * tt)):
            continue
        # nor leave the old one far behind: flip by flip, long facets would cut off a round
        ex, ey, ez = p[v, 0] - p[u, 0], p[v, 1] - p[u, 1], p[v, 2] - p[u, 2]
        fx, fy, fz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
        kx, ky, kz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
        off = (p[a, 0] - p[u, 0]) * kx + (p[a, 1] - p[u, 1]) * ky + (p[a, 2] - p[u, 2]) * kz
        if off * off > 0.25 * _MOST_GAP * _MOST_GAP * (size[u] + size[v]) ** 2 * (kx * kx + ky * ky + kz * kz):
            continue
        flip(net, h)
        valence[u] -= 1
        valence[v] -= 1
        valence[a] += 1
        valence[b] += 1
        done += 1
    return done


@kernel
def aim(net, row, goal):
    """Where free nodes want to go: the middle of their facets, within the tangent plane.

    Facets weigh by area over the square of the local size, so that graded meshes stay graded.
    Fills ``row`` with the nodes and ``goal`` with the places; returns how many.
    """
    p, origin, twin, out, region, size = net.point, net.origin, net.twin, net.out, net.region, net.size
    k = 0
    for v in range(net.used[0]):
        g = out[v]
        if g < 0 or net.kind[v] != FREE:
            continue
        start = g
        x = 0.0
        y = 0.0
        z = 0.0
        weight = 0.0
        while True:
            b = origin[after(g)]
            c = origin[before(g)]
            n0, n1, n2 = normal_at(p, b, c, p[v, 0], p[v, 1], p[v, 2])
            s = size[v] + size[b] + size[c]
            w = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2) / (s * s)
            x += w * (p[v, 0] + p[b, 0] + p[c, 0])
            y += w * (p[v, 1] + p[b, 1] + p[c, 1])
            z += w * (p[v, 2] + p[b, 2] + p[c, 2])
            weight += w
            g = twin[before(g)]
            if g < 0 or g == start:
                break
        n0, n1, n2, _ = ring_normal(p, origin, twin, out, region, v, region[start // 3])
        nn = n0 * n0 + n1 * n1 + n2 * n2
        if weight > 0.0 and nn > 0.0:
            x = x / (3.0 * weight) - p[v, 0]
            y = y / (3.0 * weight) - p[v, 1]
            z = z / (3.0 * weight) - p[v, 2]
            d = (x * n0 + y * n1 + z * n2) / nn
            row[k] = v
            goal[k, 0] = p[v, 0] + x - d * n0
            goal[k, 1] = p[v, 1] + y - d * n1
            goal[k, 2] = p[v, 2] + z - d * n2
            k += 1
    return k


@kernel
def move(net, row, goal, least):
    """Move nodes to their goals where they may; returns how many moved."""
    p, origin, twin, out, region, size = net.point, net.origin, net.twin, net.out, net.region, net.size
    done = 0
    for k in range(row.shape[0]):
        x, y, z = goal[k, 0], goal[k, 1], goal[k, 2]
        sound, now, then = may_move(p, origin, twin, out, region, size, row[k], -1, x, y, z, -1.0)
        if sound and then >= min(least, now):
            p[row[k], 0] = x
            p[row[k], 1] = y
            p[row[k], 2] = z
            done += 1
    return done


@helper
def half_edge_between(net, u, v):
    """The half-edge from u to v; they must be neighbours."""
    g = np.int64(net.out[u])
    while net.origin[after(g)] != v:
        g = np.int64(net.twin[before(g)])
    return g


@kernel
def insert_nodes(net, node, may_split, arc, first_of, wanted, wanted_size, wanted_first, tolerance, made):
    """Put the wanted nodes on the curves: split the edge they fall on, or fix the node there.

    ``node`` and ``arc`` follow the nodes of each curve; where ``may_split`` (c,) is false a
    curve is left alone.  The caller has made enough room.  ``made`` receives the node of each.
    """
    for c in range(first_of.shape[0] - 1):
        if not may_split[c] or wanted_first[c] == wanted_first[c + 1]:
            continue
        i = first_of[c]
        # a split renumbers half-edges of other curves, so they are looked up when it is their turn
        h = half_edge_between(net, node[i], node[i + 1])
        s0 = arc[i]
        for k in range(wanted_first[c], wanted_first[c + 1]):
            s = wanted[k]
            while arc[i + 1] < s - tolerance:
                i += 1
                h = half_edge_between(net, node[i], node[i + 1])
                s0 = arc[i]
            u = net.origin[h]
            v = net.origin[after(h)]
            if s - s0 <= tolerance:
                w = u
            elif arc[i + 1] - s <= tolerance:
                w = v
            else:
                t = (s - s0) / (arc[i + 1] - s0)
                p = net.point
                x = p[u, 0] + t * (p[v, 0] - p[u, 0])
                y = p[u, 1] + t * (p[v, 1] - p[u, 1])
                z = p[u, 2] + t * (p[v, 2] - p[u, 2])
                w = split(net, h, x, y, z)
                h = np.int64(net.out[w])
                s0 = s
            net.kind[w] = FIXED
            net.size[w] = min(net.size[w], wanted_size[k]) if w == u or w == v else wanted_size[k]
            made[k] = w
