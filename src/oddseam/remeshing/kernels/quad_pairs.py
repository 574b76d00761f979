"""Pairing triangles of a half-edge net to quads, and making the quads better.

The best pairs are taken first; triangles left over are paired by exchanging pairs along short
alternating paths.  J.-F. Remacle, J. Lambrechts, B. Seny, E. Marchandise, A. Johnen, C. Geuzaine
(2012), Blossom-Quad: a non-uniform quadrilateral mesh generator using a minimum-cost perfect-matching
algorithm, has the whole of that; here paths end after some steps.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.remeshing.kernels.half_edges import before

#: A quad is worth this much at least: no corner sharper than 32 or wider than 148 degrees.
LEAST = 0.15
#: Halves of a quad that turn against each other by more (cosine) make none.
_LEAST_FOLD = 0.7
#: Steps of moving nodes about in search of a better place, as shares of the mean edge.
_STEPS = (0.2, 0.1, 0.05, 0.02)


@helper
def worth(p, a, b, c, d):
    """Of a quad: 1 for a square, 0 or less if it is not convex or folds.

    The lesser of 1 less the largest cosine at a corner, and of the shortest edge over the longest, times 1.5.
    """
    nodes = (a, b, c, d)
    m0 = 0.0
    m1 = 0.0
    m2 = 0.0
    for i in range(4):  # the mean normal
        u, v, w = nodes[i - 1], nodes[i], nodes[(i + 1) % 4]
        x0, x1, x2 = p[u, 0] - p[v, 0], p[u, 1] - p[v, 1], p[u, 2] - p[v, 2]
        y0, y1, y2 = p[w, 0] - p[v, 0], p[w, 1] - p[v, 1], p[w, 2] - p[v, 2]
        m0 += y1 * x2 - y2 * x1
        m1 += y2 * x0 - y0 * x2
        m2 += y0 * x1 - y1 * x0
    mm = np.sqrt(m0 * m0 + m1 * m1 + m2 * m2)
    if mm == 0.0:
        return -1.0
    least = 1.0
    shortest2 = np.inf
    longest2 = 0.0
    for i in range(4):
        u, v, w = nodes[i - 1], nodes[i], nodes[(i + 1) % 4]
        x0, x1, x2 = p[u, 0] - p[v, 0], p[u, 1] - p[v, 1], p[u, 2] - p[v, 2]
        y0, y1, y2 = p[w, 0] - p[v, 0], p[w, 1] - p[v, 1], p[w, 2] - p[v, 2]
        k0, k1, k2 = y1 * x2 - y2 * x1, y2 * x0 - y0 * x2, y0 * x1 - y1 * x0
        size = np.sqrt((x0 * x0 + x1 * x1 + x2 * x2) * (y0 * y0 + y1 * y1 + y2 * y2))
        kk = np.sqrt(k0 * k0 + k1 * k1 + k2 * k2)
        along = k0 * m0 + k1 * m1 + k2 * m2
        if size == 0.0 or along < _LEAST_FOLD * kk * mm:
            return min(along / (size * mm), 0.0) - 0.5 if size > 0.0 else -1.0
        least = min(least, 1.0 - abs(x0 * y0 + x1 * y1 + x2 * y2) / size)
        length2 = y0 * y0 + y1 * y1 + y2 * y2
        shortest2 = min(shortest2, length2)
        longest2 = max(longest2, length2)
    return min(least, 1.5 * np.sqrt(shortest2 / longest2))


@helper
def _shape(p, a, b, c):
    """Of a triangle that stays one: 1 less how far the worst cosine is from that of 60 degrees, scaled to quads."""
    nodes = (a, b, c)
    worst = 0.0
    for i in range(3):
        u, v, w = nodes[i - 1], nodes[i], nodes[(i + 1) % 3]
        x0, x1, x2 = p[u, 0] - p[v, 0], p[u, 1] - p[v, 1], p[u, 2] - p[v, 2]
        y0, y1, y2 = p[w, 0] - p[v, 0], p[w, 1] - p[v, 1], p[w, 2] - p[v, 2]
        size = np.sqrt((x0 * x0 + x1 * x1 + x2 * x2) * (y0 * y0 + y1 * y1 + y2 * y2))
        if size == 0.0:
            return -1.0
        cosine = (x0 * y0 + x1 * y1 + x2 * y2) / size
        worst = max(worst, (cosine - 0.5) / 0.5 if cosine > 0.5 else (0.5 - cosine) / 1.5)
    return 1.0 - worst


@kernel
def worths(net, value):
    """Fill ``value`` (3 t,) with what the quad across each half-edge is worth; -1 across curves and borders."""
    for h in range(3 * net.used[1]):
        value[h] = -1.0
        o = net.twin[h]
        if net.origin[h] >= 0 and o >= 0 and net.curve[h] < 0:
            a, b = net.origin[before(h)], net.origin[before(o)]
            value[h] = value[o] if o < h else worth(net.point, net.origin[h], b, net.origin[o], a)


@kernel
def pair_best(order, twin, mate):
    """Pair triangles across half-edges, in an order; ``mate`` (t,) is the half-edge across which each is, or -1."""
    for h in order:
        o = twin[h]
        if mate[h // 3] < 0 and mate[o // 3] < 0:
            mate[h // 3] = h
            mate[o // 3] = o


@kernel
def pair_rest(net, value, mate, deepest, parent, stamp, queue):
    """Pair what is left along alternating paths of at most ``deepest`` exchanged pairs; returns how many found one.

    ``parent``, ``stamp`` and ``queue`` (t,) are scratch; ``stamp`` starts as -1.
    """
    found = 0
    for first in range(net.used[1]):
        if net.origin[3 * first] < 0 or mate[first] >= 0:
            continue
        stamp[first] = first
        queue[0] = first
        parent[first] = -1
        done, count, until, depth = 0, 1, 1, 0
        last = np.int64(-1)
        while done < count and depth <= deepest and last < 0:
            if done == until:
                depth += 1
                until = count
            t = queue[done]
            done += 1
            for i in range(3):
                h = np.int64(3 * t + i)
                if value[h] < LEAST:
                    continue
                s = net.twin[h] // 3
                if mate[s] < 0 and s != first:
                    last = h
                    break
                if mate[s] < 0 or stamp[s] == first:
                    continue
                other = net.twin[mate[s]] // 3
                if stamp[other] == first or other == t:
                    continue
                stamp[s] = first
                stamp[other] = first
                parent[other] = h
                queue[count] = other
                count += 1
        if last < 0 or depth > deepest:
            continue
        h = last
        while h >= 0:
            t = np.int64(h // 3)
            back = np.int64(parent[t])  # before it is known no more who the mate was
            mate[t] = h
            mate[net.twin[h] // 3] = net.twin[h]
            h = back
        found += 1
    return found


@helper
def _worst_round(p, corners, of, first, v):
    """What the worst element round v is worth."""
    least = 1.0
    for k in range(first[v], first[v + 1]):
        e = of[k]
        a, b, c, d = corners[e, 0], corners[e, 1], corners[e, 2], corners[e, 3]
        least = min(least, _shape(p, a, b, c) if d < 0 else worth(p, a, b, c, d))
    return least


@kernel
def aim_at_squares(p, corners, of, first, rows, goal):
    """Where nodes want to go: the mean of what would make each quad round them a parallelogram."""
    for k in range(rows.shape[0]):
        v = rows[k]
        x = 0.0
        y = 0.0
        z = 0.0
        weight = 0.0
        for j in range(first[v], first[v + 1]):
            e = of[j]
            size = 3 if corners[e, 3] < 0 else 4
            i = 0
            while corners[e, i] != v:
                i += 1
            b = corners[e, (i + 1) % size]
            c = corners[e, (i + 2) % size]
            if size == 3:  # no wish of its own
                w = 0.25
                x, y, z = x + w * p[v, 0], y + w * p[v, 1], z + w * p[v, 2]
            else:
                w = 1.0
                d = corners[e, (i + 3) % size]
                x += p[b, 0] + p[d, 0] - p[c, 0]
                y += p[b, 1] + p[d, 1] - p[c, 1]
                z += p[b, 2] + p[d, 2] - p[c, 2]
            weight += w
        goal[k, 0] = 0.5 * (p[v, 0] + x / weight)
        goal[k, 1] = 0.5 * (p[v, 1] + y / weight)
        goal[k, 2] = 0.5 * (p[v, 2] + z / weight)


@kernel
def move_for_squares(p, corners, of, first, rows, goal, fair):
    """Move nodes to their goals where the worst element round them stays fair, or gets better; how many moved."""
    done = 0
    for k in range(rows.shape[0]):
        v = rows[k]
        now = _worst_round(p, corners, of, first, v)
        x, y, z = p[v, 0], p[v, 1], p[v, 2]
        p[v, 0], p[v, 1], p[v, 2] = goal[k, 0], goal[k, 1], goal[k, 2]
        if _worst_round(p, corners, of, first, v) < min(fair, now):
            p[v, 0], p[v, 1], p[v, 2] = x, y, z
        else:
            done += 1
    return done


@kernel
def search_places(p, corners, of, first, rows, normal, goal):
    """Better places for nodes, looked for step by step within the tangent plane: where the worst element is best."""
    for k in range(rows.shape[0]):
        v = rows[k]
        best = _worst_round(p, corners, of, first, v)
        x, y, z = p[v, 0], p[v, 1], p[v, 2]
        n0, n1, n2 = normal[k, 0], normal[k, 1], normal[k, 2]
        e = of[first[v]]
        b = corners[e, 0] if corners[e, 0] != v else corners[e, 1]
        a0, a1, a2 = p[b, 0] - x, p[b, 1] - y, p[b, 2] - z
        d = a0 * n0 + a1 * n1 + a2 * n2
        a0, a1, a2 = a0 - d * n0, a1 - d * n1, a2 - d * n2
        b0, b1, b2 = n1 * a2 - n2 * a1, n2 * a0 - n0 * a2, n0 * a1 - n1 * a0
        bx, by, bz = x, y, z
        for step in _STEPS:
            better = True
            tries = 0
            while better and tries < 5:
                better = False
                tries += 1
                cx, cy, cz = bx, by, bz
                for turn in range(8):
                    s = step * np.cos(turn * np.pi / 4.0)
                    t = step * np.sin(turn * np.pi / 4.0)
                    p[v, 0] = cx + s * a0 + t * b0
                    p[v, 1] = cy + s * a1 + t * b1
                    p[v, 2] = cz + s * a2 + t * b2
                    value = _worst_round(p, corners, of, first, v)
                    if value > best + 1e-6:
                        best = value
                        bx, by, bz = p[v, 0], p[v, 1], p[v, 2]
                        better = True
        p[v, 0], p[v, 1], p[v, 2] = x, y, z
        goal[k, 0], goal[k, 1], goal[k, 2] = bx, by, bz


@kernel
def values_of(p, corners, value):
    """Fill ``value`` (e,) with what each element is worth."""
    for e in range(corners.shape[0]):
        a, b, c, d = corners[e, 0], corners[e, 1], corners[e, 2], corners[e, 3]
        value[e] = _shape(p, a, b, c) if d < 0 else worth(p, a, b, c, d)
