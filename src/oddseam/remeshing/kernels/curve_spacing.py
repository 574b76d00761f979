"""Kernels that place nodes along curves.

A curve is a polyline given by points and arc lengths.  Node spacing follows the wanted size
and a bound on how far a chord may leave the polyline; where equal spacing breaks the bound,
the worst point is added, as in D. H. Douglas, T. K. Peucker (1973), Algorithms for the
reduction of the number of points required to represent a digitized line.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel

#: The shortest that a chord gets for the sake of its bound, over the size.
_LEAST = 0.02


@helper
def point_at(points, arc, first, last, s, out):
    """Point at arc length ``s``; returns the row before it."""
    lo = first
    hi = last - 1
    while hi - lo > 1:
        mid = (lo + hi) // 2
        if arc[mid] <= s:
            lo = mid
        else:
            hi = mid
    span = arc[hi] - arc[lo]
    t = (s - arc[lo]) / span if span > 0.0 else 0.0
    for d in range(3):
        out[d] = points[lo, d] + t * (points[hi, d] - points[lo, d])
    return lo


@helper
def chord_deviation(points, arc, first, last, s0, s1, a, b):
    """Largest distance of the polyline between s0 and s1 to its chord, and the row where."""
    i0 = point_at(points, arc, first, last, s0, a)
    i1 = point_at(points, arc, first, last, s1, b)
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    uu = ux * ux + uy * uy + uz * uz
    worst = 0.0
    where = -1
    for i in range(i0 + 1, i1 + 1):
        if arc[i] <= s0 or arc[i] >= s1:
            continue
        px, py, pz = points[i, 0] - a[0], points[i, 1] - a[1], points[i, 2] - a[2]
        t = (px * ux + py * uy + pz * uz) / uu if uu > 0.0 else 0.0
        t = min(max(t, 0.0), 1.0)
        d = (px - t * ux) ** 2 + (py - t * uy) ** 2 + (pz - t * uz) ** 2
        if d > worst:
            worst = d
            where = i
    return np.sqrt(worst), where


@kernel
def spacing_along(points, arc, first_of, size, bound, spacing):
    """For every point the longest chord from it, to either side, that keeps to its size and bound."""
    a = np.empty(3)
    b = np.empty(3)
    for c in range(first_of.shape[0] - 1):
        first = first_of[c]
        last = first_of[c + 1]
        total = arc[last - 1]
        smallest, tightest = size[first], bound[first]
        for i in range(first + 1, last):
            smallest = min(smallest, size[i])
            tightest = min(tightest, bound[i])
        if total <= smallest:
            if chord_deviation(points, arc, first, last, 0.0, total, a, b)[0] <= tightest:
                spacing[first:last] = smallest
                continue
        for i in range(first, last):
            best = _LEAST * size[i]
            for side in range(2):
                room = total - arc[i] if side == 0 else arc[i]
                longest = min(size[i], room)
                lo = 0.0
                hi = longest
                for step in range(14):
                    w = hi if step == 0 else 0.5 * (lo + hi)
                    s0 = arc[i] if side == 0 else arc[i] - w
                    dev = chord_deviation(points, arc, first, last, s0, s0 + w, a, b)[0]
                    if dev <= bound[i]:
                        lo = w
                        if step == 0:
                            break
                    else:
                        hi = w
                best = max(best, lo)
            spacing[i] = min(best, size[i])


@helper
def walk_curve(points, arc, first, last, spacing, total, count, bound, out_s, out_size, k, keep):
    """Step along one curve in ``count`` equal shares of ``total``.

    Without ``keep`` it only says whether every chord keeps to the bound.  With it, nodes are
    written from row k on, chords that are too far off are cut at their worst point, and the
    next free row is returned.
    """
    a = np.empty(3)
    b = np.empty(3)
    done = 0.0
    wanted = 1
    s_before = 0.0
    for i in range(first, last - 1):
        step = 2.0 * (arc[i + 1] - arc[i]) / (spacing[i] + spacing[i + 1])
        while wanted <= count and (done + step >= total * wanted / count or i == last - 2):
            s = arc[last - 1]
            if wanted < count:
                t = (total * wanted / count - done) / step if step > 0.0 else 0.0
                s = arc[i] + min(max(t, 0.0), 1.0) * (arc[i + 1] - arc[i])
            while True:
                end = s
                dev, where = chord_deviation(points, arc, first, last, s_before, end, a, b)
                if not keep and dev > bound[i]:
                    return -1
                while dev > bound[i] and where >= 0:
                    end = arc[where]
                    dev, where = chord_deviation(points, arc, first, last, s_before, end, a, b)
                if keep and (end < s or wanted < count):
                    if k < out_s.shape[0]:
                        out_s[k] = end
                        out_size[k] = 0.5 * (spacing[i] + spacing[i + 1])
                    k += 1
                s_before = end
                if end >= s:
                    break
            wanted += 1
        done += step
    return k


@kernel
def place_nodes(points, arc, first_of, spacing, bound, out_s, out_size, out_first):
    """Arc lengths of the nodes inside every curve, and the spacing there; returns how many.

    Nodes beyond the room in ``out_s`` are counted and not written: give more and call again.
    """
    k = 0
    for c in range(first_of.shape[0] - 1):
        first = first_of[c]
        last = first_of[c + 1]
        total = 0.0
        for i in range(first, last - 1):
            total += 2.0 * (arc[i + 1] - arc[i]) / (spacing[i] + spacing[i + 1])
        least = max(int(np.ceil(total - 0.02)), 1)
        count = least
        # where equal steps are a little too long for the bound, a few more of them will do
        most = 2 * least + 2
        while count <= most:
            if walk_curve(points, arc, first, last, spacing, total, count, bound, out_s, out_size, k, False) >= 0:
                break
            count += 1
        if count > most:
            count = least
        out_first[c] = k
        k = walk_curve(points, arc, first, last, spacing, total, count, bound, out_s, out_size, k, True)
    out_first[first_of.shape[0] - 1] = k
    return k


@kernel
def sum_round(nodes, node, halves, normals, total, area):
    """Sum the area vectors and areas of triangles round each of their corners.

    ``halves`` (m, 3) are corners and ``node`` what each is of ``nodes``; ``normals`` (m, 3) have length one; ``total``
    (n, 3) and ``area`` (n,) are added to.
    """
    for t in range(halves.shape[0]):
        a, b, c = node[halves[t, 0]], node[halves[t, 1]], node[halves[t, 2]]
        ux, uy, uz = nodes[b, 0] - nodes[a, 0], nodes[b, 1] - nodes[a, 1], nodes[b, 2] - nodes[a, 2]
        vx, vy, vz = nodes[c, 0] - nodes[a, 0], nodes[c, 1] - nodes[a, 1], nodes[c, 2] - nodes[a, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        size = np.sqrt(x * x + y * y + z * z)
        for k in range(3):
            v = halves[t, k]
            area[v] += size
            for d in range(3):
                total[v, d] += size * normals[t, d]
