"""Kernels that place nodes along curves.

A curve is a polyline given by points and arc lengths.  Node spacing follows the wanted size
and a bound on how far a chord may leave the polyline; where equal spacing breaks the bound,
the worst point is added, as in D. H. Douglas, T. K. Peucker (1973), Algorithms for the
reduction of the number of points required to represent a digitized line.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel


@kernel
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


@kernel
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
def spacing_along(points, arc, first_of, size, bound, least, spacing):
    """For every point the longest chord from it, to either side, that keeps to size and bound."""
    a = np.empty(3)
    b = np.empty(3)
    for c in range(first_of.shape[0] - 1):
        first = first_of[c]
        last = first_of[c + 1]
        total = arc[last - 1]
        for i in range(first, last):
            best = least
            for side in range(2):
                room = total - arc[i] if side == 0 else arc[i]
                longest = min(size, room)
                lo = 0.0
                hi = longest
                for step in range(14):
                    w = hi if step == 0 else 0.5 * (lo + hi)
                    s0 = arc[i] if side == 0 else arc[i] - w
                    dev = chord_deviation(points, arc, first, last, s0, s0 + w, a, b)[0]
                    if dev <= bound:
                        lo = w
                        if step == 0:
                            break
                    else:
                        hi = w
                # a chord that reaches the end of the curve says nothing against a longer one
                if lo >= longest:
                    lo = size
                best = max(best, lo)
            spacing[i] = min(best, size)


@kernel
def place_nodes(points, arc, first_of, spacing, bound, out_s, out_size, out_first):
    """Arc lengths of the nodes inside every curve, and the spacing there; returns how many.

    Runs out of room quietly: the caller gives as much as ``size_of_result`` counts.
    """
    a = np.empty(3)
    b = np.empty(3)
    k = 0
    for c in range(first_of.shape[0] - 1):
        first = first_of[c]
        last = first_of[c + 1]
        total = 0.0
        for i in range(first, last - 1):
            total += 2.0 * (arc[i + 1] - arc[i]) / (spacing[i] + spacing[i + 1])
        count = max(int(np.ceil(total - 0.02)), 1)
        out_first[c] = k
        done = 0.0
        wanted = 1
        s_before = 0.0
        for i in range(first, last - 1):
            step = 2.0 * (arc[i + 1] - arc[i]) / (spacing[i] + spacing[i + 1])
            while wanted <= count and (done + step >= total * wanted / count or (i == last - 2 and wanted == count)):
                s = arc[last - 1]
                if wanted < count:
                    t = (total * wanted / count - done) / step if step > 0.0 else 0.0
                    s = arc[i] + min(max(t, 0.0), 1.0) * (arc[i + 1] - arc[i])
                # cut the chord from s_before to s until it keeps to the bound
                while True:
                    end = s
                    dev, where = chord_deviation(points, arc, first, last, s_before, end, a, b)
                    while dev > bound and where >= 0:
                        end = arc[where]
                        dev, where = chord_deviation(points, arc, first, last, s_before, end, a, b)
                    if end >= s:
                        break
                    if k < out_s.shape[0]:
                        out_s[k] = end
                        out_size[k] = spacing[i]
                    k += 1
                    s_before = end
                if wanted < count:
                    if k < out_s.shape[0]:
                        out_s[k] = s
                        out_size[k] = 0.5 * (spacing[i] + spacing[i + 1])
                    k += 1
                    s_before = s
                wanted += 1
            done += step
    out_first[first_of.shape[0] - 1] = k
    return k
