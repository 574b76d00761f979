"""How far a surface is from what it becomes by the collapse of an edge: a bound, by construction.

Every node has a bound, and linear between nodes it holds for every point of the surface: so near is the point that
stands for it on the given surface.  The facets round the edge and those in their place are height fields over one
plane; laid over one another there, heights and bounds of both are linear on every cell, so that it is enough to
look at the corners of cells: at nodes, and where edges of the two cross.  The bound at the new node is the
least that is enough at all of them.  As every point of one stands over a point of the other, it holds both
ways.  C. L. Bajaj, D. R. Schikore (1996), Error-bounded reduction of triangle meshes with multivariate data;
J. Cohen, D. Manocha, M. Olano (1997), Simplifying polygonal models using successive mappings.

Where a border loses a node r between a and k, what lies over the triangle (a, r, k) belongs to one of the two
alone.  If that is the old one, every cell over it goes to the segment (a, k), and is farthest at a corner.  If it is
the new one, it goes to (a, r) and (r, k), the foot f of r on (a, k) going to r.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper
from oddseam.remeshing.kernels.half_edges import after, before, normal_at

#: Facets round an edge; where there are more it stays.
MOST = 96


@helper
def _gather(net, h, x, y, z, bound, ring, at, own):
    """The facets round the edge: fills the nodes across from u or v, and whose they are; how many.

    ``ring`` (MOST, 2) gets nodes, ``at`` (2 MOST + 3, 4) places over the plane, heights and bounds: of u, v,
    the new place and those nodes; ``own`` (MOST,) 0 for facets of u, 1 for those of v, -1 for those of both.
    Returns a negative number if there are too many.
    """
    p = net.point
    u = net.origin[h]
    v = net.origin[after(h)]
    nx = 0.0
    ny = 0.0
    nz = 0.0
    count = 0
    for turn in range(2):
        w = u if turn == 0 else v
        other = v if turn == 0 else u
        g = net.out[w]
        start = g
        while True:
            b = net.origin[after(g)]
            c = net.origin[before(g)]
            both = b == other or c == other
            if turn == 0 or not both:
                if count == MOST:
                    return -1
                ring[count, 0] = b
                ring[count, 1] = c
                own[count] = -1 if both else turn
                count += 1
                mx, my, mz = normal_at(p, b, c, p[w, 0], p[w, 1], p[w, 2])
                nx += mx
                ny += my
                nz += mz
            g = net.twin[before(g)]
            if g < 0 or g == start:
                break
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    if not size > 0.0:
        return -1
    nx /= size
    ny /= size
    nz /= size
    # two directions upright to the normal
    if abs(nx) <= abs(ny) and abs(nx) <= abs(nz):
        ex, ey, ez = 0.0, nz, -ny
    elif abs(ny) <= abs(nz):
        ex, ey, ez = -nz, 0.0, nx
    else:
        ex, ey, ez = ny, -nx, 0.0
    size = np.sqrt(ex * ex + ey * ey + ez * ez)
    ex /= size
    ey /= size
    ez /= size
    fx, fy, fz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
    for k in range(2 * count + 3):
        if k == 2:
            dx, dy, dz = x - p[v, 0], y - p[v, 1], z - p[v, 2]
            at[k, 3] = 0.0
        else:
            w = u if k == 0 else (v if k == 1 else ring[(k - 3) // 2, (k - 3) % 2])
            dx, dy, dz = p[w, 0] - p[v, 0], p[w, 1] - p[v, 1], p[w, 2] - p[v, 2]
            at[k, 3] = bound[w]
        at[k, 0] = ex * dx + ey * dy + ez * dz
        at[k, 1] = fx * dx + fy * dy + fz * dz
        at[k, 2] = nx * dx + ny * dy + nz * dz
    return count


@helper
def _cross(at, o, a, b):
    """Twice the area of a triangle over the plane."""
    return (at[a, 0] - at[o, 0]) * (at[b, 1] - at[o, 1]) - (at[a, 1] - at[o, 1]) * (at[b, 0] - at[o, 0])


@helper
def _stands(at, own, count, is_border):
    """Whether the old and the new facets lie over the plane once, none turned over."""
    turn = 0.0
    for i in range(count):
        a = 3 + 2 * i
        o = 1 if own[i] == 1 else 0
        reach = (at[a, 0] - at[a + 1, 0]) ** 2 + (at[a, 1] - at[a + 1, 1]) ** 2
        if not _cross(at, o, a, a + 1) > 1e-12 * reach:
            return False
        if own[i] >= 0:
            area = _cross(at, 2, a, a + 1)
            if not area > 1e-12 * reach:
                return False
            dot = (at[a, 0] - at[2, 0]) * (at[a + 1, 0] - at[2, 0]) + (at[a, 1] - at[2, 1]) * (at[a + 1, 1] - at[2, 1])
            turn += np.arctan2(area, dot)
    return turn < 6.283 if is_border else turn < 6.2833


@helper
def _enough(far, rest, share):
    """Bound at the new node for ``far`` to hold where it has a share, and others give ``rest``."""
    if far <= rest:
        return 0.0
    return (far - rest) / share if share > 0.0 else np.inf


@helper
def _enough_over(at, own, count, q, is_new):
    """Bound that is enough at place q, a node of the old facets over the new ones or the other way round.

    A negative number if it lies over none.
    """
    best = -1e300
    need = -1.0
    for i in range(count):
        if is_new and own[i] < 0:
            continue
        o = 2 if is_new else (1 if own[i] == 1 else 0)
        a = 3 + 2 * i
        area = _cross(at, o, a, a + 1)
        wo = _cross(at, q, a, a + 1) / area
        wa = _cross(at, o, q, a + 1) / area
        wb = 1.0 - wo - wa
        least = min(wo, min(wa, wb))
        if least > best:
            best = least
            gap = abs(wo * at[o, 2] + wa * at[a, 2] + wb * at[a + 1, 2] - at[q, 2])
            rest = wa * at[a, 3] + wb * at[a + 1, 3]
            need = _enough(at[q, 3] + gap, rest, wo) if is_new else gap + rest + wo * at[o, 3]
    return need if best > -1e-9 else -1.0


@helper
def _ends_fan(own, ring, count, i):
    """Whether no facet of the new fan follows upon a facet."""
    for j in range(count):
        if own[j] >= 0 and ring[j, 0] == ring[i, 1]:
            return False
    return True


@helper
def _enough_crossing(at, o, a, c):
    """Bound that is enough where edges (o, a) of old and (2, c) of new facets cross over the plane, or zero."""
    dx = at[a, 0] - at[o, 0]
    dy = at[a, 1] - at[o, 1]
    ex = at[c, 0] - at[2, 0]
    ey = at[c, 1] - at[2, 1]
    below = dx * ey - dy * ex
    if below == 0.0:
        return 0.0
    rx = at[2, 0] - at[o, 0]
    ry = at[2, 1] - at[o, 1]
    s = (rx * ey - ry * ex) / below
    t = (rx * dy - ry * dx) / below
    if s < -1e-9 or s > 1.0 - 1e-9 or t < -1e-9 or t > 1.0 - 1e-9:  # at the far end both are as they were
        return 0.0
    gap = abs(at[o, 2] + s * (at[a, 2] - at[o, 2]) - at[2, 2] - t * (at[c, 2] - at[2, 2]))
    return _enough(gap + at[o, 3] + s * (at[a, 3] - at[o, 3]), t * at[c, 3], 1.0 - t)


@helper
def _enough_border(at, r, k, own, count, a, is_outside):
    """The same for a border that loses r between a and k, all rows of ``at``; the new node is at k."""
    # foot of r on the segment from a to k
    dx, dy, dz = at[k, 0] - at[a, 0], at[k, 1] - at[a, 1], at[k, 2] - at[a, 2]
    rx, ry, rz = at[r, 0] - at[a, 0], at[r, 1] - at[a, 1], at[r, 2] - at[a, 2]
    below = dx * dx + dy * dy + dz * dz
    share = min(max((rx * dx + ry * dy + rz * dz) / below, 0.0), 1.0) if below > 0.0 else 0.0
    fx, fy, fz = at[a, 0] + share * dx, at[a, 1] + share * dy, at[a, 2] + share * dz
    gap = np.sqrt((at[r, 0] - fx) ** 2 + (at[r, 1] - fy) ** 2 + (at[r, 2] - fz) ** 2)
    need = max(_enough(at[r, 3] + gap, (1.0 - share) * at[a, 3], share), at[k, 3])
    if is_outside:
        return need
    over = _enough_over(at, own, count, r, True)
    if over < 0.0:
        return -1.0
    need = max(need, over)
    # where edges of the new facets pass between f and r
    gx, gy = at[r, 0] - fx, at[r, 1] - fy
    for i in range(count):
        if own[i] < 0:
            continue
        for c in (3 + 2 * i, 4 + 2 * i):
            ex, ey = at[c, 0] - at[2, 0], at[c, 1] - at[2, 1]
            below = gx * ey - gy * ex
            if below == 0.0:
                continue
            qx, qy = at[2, 0] - fx, at[2, 1] - fy
            s = (qx * ey - qy * ex) / below
            t = (qx * gy - qy * gx) / below
            if -1e-9 <= s <= 1.0 + 1e-9 and -1e-9 <= t <= 1.0 + 1e-9:
                hx, hy = at[2, 0] + t * ex, at[2, 1] + t * ey
                hz = at[2, 2] + t * (at[c, 2] - at[2, 2])
                far = np.sqrt((hx - at[r, 0]) ** 2 + (hy - at[r, 1]) ** 2 + (hz - at[r, 2]) ** 2)
                need = max(need, _enough(at[r, 3] + far, t * at[c, 3], 1.0 - t))
    return need


@helper
def bound_after(net, h, x, y, z, bound, ring, at, own):
    """Bound at the node that collapsing h to a place leaves there; those of all others stay.

    A negative number if none can be told.  ``ring``, ``at``, ``own`` are scratch, see :func:`_gather`.
    """
    count = _gather(net, h, x, y, z, bound, ring, at, own)
    if count < 0:
        return -1.0
    u = net.origin[h]
    v = net.origin[after(h)]
    on_border = net.twin[net.out[u]] < 0 or net.twin[net.out[v]] < 0
    if not _stands(at, own, count, on_border):
        return -1.0
    need = 0.0
    if net.twin[h] < 0:
        # the node that goes, the one that stays, and the neighbour of the first along the border
        keeps_v = at[2, 0] == at[1, 0] and at[2, 1] == at[1, 1] and at[2, 2] == at[1, 2]
        r = 0 if keeps_v else 1
        k = 1 if keeps_v else 0
        a = -1
        if keeps_v:  # the border comes to u: the edge without twin that ends there
            g = net.out[u]
            while net.twin[before(g)] >= 0:
                g = net.twin[before(g)]
            far = net.origin[before(g)]
        else:
            far = net.origin[after(net.out[v])]
        for i in range(count):
            for j in range(2):
                if ring[i, j] == far:
                    a = 3 + 2 * i + j
        if a < 0:
            return -1.0
        left = _cross(at, a, r, k) if keeps_v else _cross(at, k, r, a)
        need = _enough_border(at, r, k, own, count, a, left > 0.0)
        if need < 0.0:
            return -1.0
    else:
        for q in range(3):
            over = _enough_over(at, own, count, q, q < 2)
            if over < 0.0:
                return -1.0
            need = max(need, over)
    for j in range(count):
        if own[j] < 0:
            continue
        for c in range(3 + 2 * j, 5 + 2 * j):
            if c == 4 + 2 * j and not _ends_fan(own, ring, count, j):
                break
            for i in range(count):
                o = 1 if own[i] == 1 else 0
                need = max(need, _enough_crossing(at, o, 3 + 2 * i, c))
                need = max(need, _enough_crossing(at, o, 4 + 2 * i, c))
    return need * (1.0 + 1e-9)
