"""How much a surface turns at an edge beyond what its curvature on both sides explains."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel


@helper
def _one_side(start, other, most, px, py, pz, n, c, centre, normal, area, across, queue, mark, stamp):
    """Angle of the surface at an edge, as the facets on the side of ``start`` make one expect it, and its slope.

    A straight line is laid through the angles of the facets.
    """
    mark[start] = stamp
    mark[other] = stamp
    queue[0] = start
    count = 1
    at = 0
    w0 = 0.0
    w1 = 0.0
    w2 = 0.0
    a0 = 0.0
    a1 = 0.0
    while at < count:
        t = queue[at]
        at += 1
        s = (centre[t, 0] - px) * c[0] + (centre[t, 1] - py) * c[1] + (centre[t, 2] - pz) * c[2]
        along = normal[t, 0] * n[0] + normal[t, 1] * n[1] + normal[t, 2] * n[2]
        out = normal[t, 0] * c[0] + normal[t, 1] * c[1] + normal[t, 2] * c[2]
        turn = np.arctan2(out, along)
        w = area[t]
        w0 += w
        w1 += w * s
        w2 += w * s * s
        a0 += w * turn
        a1 += w * turn * s
        for i in range(3):
            o = across[t, i]
            if o < 0 or mark[o] == stamp or count >= most:
                continue
            mark[o] = stamp
            there = (centre[o, 0] - px) * c[0] + (centre[o, 1] - py) * c[1] + (centre[o, 2] - pz) * c[2]
            if there * s > 0.0:
                queue[count] = o
                count += 1
    det = w0 * w2 - w1 * w1
    if count < 4 or not det > 1e-6 * w0 * w2:
        return (a0 / w0 if w0 > 0.0 else 0.0), 0.0
    return (w2 * a0 - w1 * a1) / det, (w0 * a1 - w1 * a0) / det


@kernel
def jumps(half, most, nodes, triangles, centre, normal, area, across, queue, mark, jump, turn, bend):
    """Fill, for half-edges (k,), the jump of the angle across the edge, and the turn at the edge itself, in radians.

    Both are positive where the surface is convex.  ``bend`` gets by how much the surface turns beside the edge over
    the width of a facet, at most.
    """
    n = np.empty(3)
    c = np.empty(3)
    stamp = 0
    for k in range(half.shape[0]):
        t = half[k] // 3
        i = half[k] % 3
        o = across[t, i]
        a = triangles[t, i]
        b = triangles[t, (i + 1) % 3]
        length = 0.0
        for d in range(3):
            n[d] = normal[t, d] + normal[o, d]
            length += n[d] * n[d]
        length = np.sqrt(length)
        if not length > 0.0:
            jump[k] = 0.0
            turn[k] = 0.0
            bend[k] = 0.0
            continue
        for d in range(3):
            n[d] /= length
        ex, ey, ez = nodes[b, 0] - nodes[a, 0], nodes[b, 1] - nodes[a, 1], nodes[b, 2] - nodes[a, 2]
        # from the facet of the half-edge to the one across
        c[0] = ey * n[2] - ez * n[1]
        c[1] = ez * n[0] - ex * n[2]
        c[2] = ex * n[1] - ey * n[0]
        length = np.sqrt(c[0] * c[0] + c[1] * c[1] + c[2] * c[2])
        width = 2.0 * max(area[t], area[o]) / length
        for d in range(3):
            c[d] /= length
        px = 0.5 * (nodes[a, 0] + nodes[b, 0])
        py = 0.5 * (nodes[a, 1] + nodes[b, 1])
        pz = 0.5 * (nodes[a, 2] + nodes[b, 2])
        stamp += 1
        here, slope = _one_side(t, o, most, px, py, pz, n, c, centre, normal, area, across, queue, mark, stamp)
        stamp += 1
        there, other = _one_side(o, t, most, px, py, pz, n, c, centre, normal, area, across, queue, mark, stamp)
        jump[k] = there - here
        bend[k] = max(abs(slope), abs(other)) * width
        one = np.arctan2(
            normal[t, 0] * c[0] + normal[t, 1] * c[1] + normal[t, 2] * c[2],
            normal[t, 0] * n[0] + normal[t, 1] * n[1] + normal[t, 2] * n[2],
        )
        two = np.arctan2(
            normal[o, 0] * c[0] + normal[o, 1] * c[1] + normal[o, 2] * c[2],
            normal[o, 0] * n[0] + normal[o, 1] * n[1] + normal[o, 2] * n[2],
        )
        turn[k] = two - one
