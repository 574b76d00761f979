"""A field of crosses on a half-edge net, and nodes drawn to the square lattices that it describes.

Each node has one arm of a cross in its tangent plane; the other three follow by quarter turns.
Crosses follow creases and rims, and where the surface bends its directions of bending, and are
made smooth between them.  W. Jakob, M. Tarini, D. Panozzo, O. Sorkine-Hornung (2015), Instant
field-aligned meshes (smoothing of directions and places in space, by neighbours); D.
Cohen-Steiner, J.-M. Morvan (2003), Restricted Delaunay triangulations and normal cycle
(directions of bending from edges).
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.remeshing.kernels.half_edges import FREE, after, before, normal_at, ring_normal

#: Directions of edges on curves at a node: beyond this cosine one goes on as the other, and
#: below that they are arms of one cross; between, no cross fits.
_ALONG, _ACROSS = 0.75, 0.35
#: An arm that leans out of a tangent plane by more says nothing there: squared length within it.
_LEANS = 0.25
#: Bending of less than this, over a length of one size, is the noise of facets.
_LEAST_BEND = 0.04
#: How much bending counts beside one neighbour, over a length of one size.
_BEND_WEIGHT = 6.0


@helper
def _unit_normal(net, v):
    """Unit normal round v and the area there; zeros where there is none."""
    n0, n1, n2, area = ring_normal(net.point, net.origin, net.twin, net.out, net.region, v, net.region[net.out[v] // 3])
    size = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    if size == 0.0:
        return 0.0, 0.0, 0.0, area
    return n0 / size, n1 / size, n2 / size, area


@helper
def _within(x, y, z, n0, n1, n2):
    """A direction in the plane of a unit normal, as a unit vector; zeros if it leans too far out."""
    d = x * n0 + y * n1 + z * n2
    x, y, z = x - d * n0, y - d * n1, z - d * n2
    size2 = x * x + y * y + z * z
    if size2 < _LEANS:
        return 0.0, 0.0, 0.0
    size = np.sqrt(size2)
    return x / size, y / size, z / size


@kernel
def find_bends(net, guide):
    """Fill ``guide`` (n, 3) with a direction of bending at free nodes, as long as it counts."""
    p = net.point
    guide[:] = 0.0
    for v in range(net.used[0]):
        if net.out[v] < 0 or net.kind[v] != FREE:
            continue
        n0, n1, n2, area = _unit_normal(net, v)
        if area == 0.0:
            continue
        # a frame of the tangent plane, from the axis that is least along the normal
        if abs(n0) <= abs(n1) and abs(n0) <= abs(n2):
            a0, a1, a2 = 1.0 - n0 * n0, -n0 * n1, -n0 * n2
        elif abs(n1) <= abs(n2):
            a0, a1, a2 = -n1 * n0, 1.0 - n1 * n1, -n1 * n2
        else:
            a0, a1, a2 = -n2 * n0, -n2 * n1, 1.0 - n2 * n2
        size = np.sqrt(a0 * a0 + a1 * a1 + a2 * a2)
        a0, a1, a2 = a0 / size, a1 / size, a2 / size
        b0, b1, b2 = n1 * a2 - n2 * a1, n2 * a0 - n0 * a2, n0 * a1 - n1 * a0
        difference = 0.0
        mixed = 0.0
        g = net.out[v]
        start = g
        while True:
            o = net.twin[g]
            w = net.origin[after(g)]
            c, d = net.origin[before(g)], net.origin[before(o)]
            l0, l1, l2 = normal_at(p, w, c, p[v, 0], p[v, 1], p[v, 2])
            r0, r1, r2 = normal_at(p, d, w, p[v, 0], p[v, 1], p[v, 2])
            e0, e1, e2 = p[w, 0] - p[v, 0], p[w, 1] - p[v, 1], p[w, 2] - p[v, 2]
            length = np.sqrt(e0 * e0 + e1 * e1 + e2 * e2)
            sizes = np.sqrt((l0 * l0 + l1 * l1 + l2 * l2) * (r0 * r0 + r1 * r1 + r2 * r2))
            if length > 0.0 and sizes > 0.0:
                k0, k1, k2 = r1 * l2 - r2 * l1, r2 * l0 - r0 * l2, r0 * l1 - r1 * l0
                turn = np.arcsin(max(-1.0, min(1.0, (k0 * e0 + k1 * e1 + k2 * e2) / (length * sizes))))
                x = e0 * a0 + e1 * a1 + e2 * a2
                y = e0 * b0 + e1 * b1 + e2 * b2
                difference += turn * (x * x - y * y) / length
                mixed += 2.0 * turn * x * y / length
            g = net.twin[before(g)]
            if g == start:
                break
        # half of each edge is its own; areas from cross products are twice themselves
        bend = net.size[v] * np.sqrt(difference * difference + mixed * mixed) / area
        if bend > _LEAST_BEND:
            weight = min(_BEND_WEIGHT * bend, 2.0)
            angle = 0.5 * np.arctan2(mixed, difference)
            x, y = weight * np.cos(angle), weight * np.sin(angle)
            guide[v, 0] = x * a0 + y * b0
            guide[v, 1] = x * a1 + y * b1
            guide[v, 2] = x * a2 + y * b2


@kernel
def seed_crosses(net, guide, queue):
    """Crosses along curves, and from there to all other nodes in the order of distance.

    ``queue`` (n,) is scratch.  Pieces without curves start where the surface bends most.
    """
    p, axis = net.point, net.axis
    axis[:] = 0.0
    vague = np.zeros(p.shape[0], np.bool_)
    for h in range(3 * net.used[1]):
        if net.origin[h] < 0 or net.curve[h] < 0 or net.twin[h] > h:
            continue
        u, w = net.origin[h], net.origin[after(h)]
        x, y, z = p[w, 0] - p[u, 0], p[w, 1] - p[u, 1], p[w, 2] - p[u, 2]
        size = np.sqrt(x * x + y * y + z * z)
        if size == 0.0:
            continue
        x, y, z = x / size, y / size, z / size
        for v in (u, w):
            known = axis[v, 0] != 0.0 or axis[v, 1] != 0.0 or axis[v, 2] != 0.0
            along = axis[v, 0] * x + axis[v, 1] * y + axis[v, 2] * z
            if known and abs(along) > _ALONG:
                sign = 1.0 if along > 0.0 else -1.0
                x0, y0, z0 = axis[v, 0] + sign * x, axis[v, 1] + sign * y, axis[v, 2] + sign * z
                size = np.sqrt(x0 * x0 + y0 * y0 + z0 * z0)
                axis[v, 0], axis[v, 1], axis[v, 2] = x0 / size, y0 / size, z0 / size
            elif known and abs(along) > _ACROSS:
                vague[v] = True
            elif not known:
                axis[v, 0], axis[v, 1], axis[v, 2] = x, y, z
    count = 0
    for v in range(net.used[0]):
        if vague[v]:
            axis[v] = 0.0
        elif axis[v, 0] != 0.0 or axis[v, 1] != 0.0 or axis[v, 2] != 0.0:
            queue[count] = v
            count += 1
    done = 0
    scan = 0
    while True:
        while done < count:
            u = queue[done]
            done += 1
            g = net.out[u]
            start = g
            while True:
                count = _hand_on(net, u, net.origin[after(g)], queue, count)
                q = before(g)
                g = net.twin[q]
                if g < 0:
                    count = _hand_on(net, u, net.origin[q], queue, count)
                    break
                if g == start:
                    break
        while scan < net.used[0] and not (net.out[scan] >= 0 and net.kind[scan] == FREE and _is_bare(axis, scan)):
            scan += 1
        if scan == net.used[0]:
            return
        n0, n1, n2, _ = _unit_normal(net, scan)
        x, y, z = guide[scan, 0], guide[scan, 1], guide[scan, 2]
        if x == 0.0 and y == 0.0 and z == 0.0:
            if abs(n0) < 0.7:
                x = 1.0
            else:
                y = 1.0
        else:
            size = np.sqrt(x * x + y * y + z * z)
            x, y, z = x / size, y / size, z / size
        axis[scan, 0], axis[scan, 1], axis[scan, 2] = _within(x, y, z, n0, n1, n2)
        queue[count] = scan
        count += 1
        scan += 1


@helper
def _is_bare(axis, v):
    return axis[v, 0] == 0.0 and axis[v, 1] == 0.0 and axis[v, 2] == 0.0


@helper
def _hand_on(net, u, v, queue, count):
    """Give v the cross of u, if it is free and has none; how many wait in the queue then."""
    axis = net.axis
    if net.kind[v] != FREE or not _is_bare(axis, v):
        return count
    n0, n1, n2, _ = _unit_normal(net, v)
    x, y, z = _within(axis[u, 0], axis[u, 1], axis[u, 2], n0, n1, n2)
    if x == 0.0 and y == 0.0 and z == 0.0:
        return count
    axis[v, 0], axis[v, 1], axis[v, 2] = x, y, z
    queue[count] = v
    return count + 1


@kernel
def smooth_crosses(net, guide, sweeps):
    """Turn the crosses of free nodes to the mean of their neighbours', sweep by sweep."""
    axis = net.axis
    for _ in range(sweeps):
        for v in range(net.used[0]):
            if net.out[v] < 0 or net.kind[v] != FREE:
                continue
            n0, n1, n2, area = _unit_normal(net, v)
            if area == 0.0:
                continue
            x, y, z = guide[v, 0], guide[v, 1], guide[v, 2]
            if x == 0.0 and y == 0.0 and z == 0.0:
                x, y, z = 1e-3 * axis[v, 0], 1e-3 * axis[v, 1], 1e-3 * axis[v, 2]
            g = net.out[v]
            start = g
            while True:
                w = net.origin[after(g)]
                a0, a1, a2 = _within(axis[w, 0], axis[w, 1], axis[w, 2], n0, n1, n2)
                b0, b1, b2 = n1 * a2 - n2 * a1, n2 * a0 - n0 * a2, n0 * a1 - n1 * a0
                s = x * a0 + y * a1 + z * a2
                t = x * b0 + y * b1 + z * b2
                if abs(s) >= abs(t):
                    sign = 1.0 if s >= 0.0 else -1.0
                    x, y, z = x + sign * a0, y + sign * a1, z + sign * a2
                else:
                    sign = 1.0 if t >= 0.0 else -1.0
                    x, y, z = x + sign * b0, y + sign * b1, z + sign * b2
                g = net.twin[before(g)]
                if g == start:
                    break
            d = x * n0 + y * n1 + z * n2
            x, y, z = x - d * n0, y - d * n1, z - d * n2
            size = np.sqrt(x * x + y * y + z * z)
            if size > 0.0:
                axis[v, 0], axis[v, 1], axis[v, 2] = x / size, y / size, z / size


@kernel
def aim_at_lattice(net, row, goal):
    """Where free nodes want to go: the mean of the lattice places that their neighbours see for them.

    Fills ``row`` with the nodes and ``goal`` with the places; returns how many.
    """
    p, axis = net.point, net.axis
    k = 0
    for v in range(net.used[0]):
        if net.out[v] < 0 or net.kind[v] != FREE or _is_bare(axis, v):
            continue
        n0, n1, n2, area = _unit_normal(net, v)
        if area == 0.0:
            continue
        a0, a1, a2 = _within(axis[v, 0], axis[v, 1], axis[v, 2], n0, n1, n2)
        b0, b1, b2 = n1 * a2 - n2 * a1, n2 * a0 - n0 * a2, n0 * a1 - n1 * a0
        x = 0.0
        y = 0.0
        weight = 0.0
        g = net.out[v]
        start = g
        while True:
            w = net.origin[after(g)]
            s = 0.5 * (net.size[v] + net.size[w])
            d0, d1, d2 = p[v, 0] - p[w, 0], p[v, 1] - p[w, 1], p[v, 2] - p[w, 2]
            i = (d0 * a0 + d1 * a1 + d2 * a2) / s
            j = (d0 * b0 + d1 * b1 + d2 * b2) / s
            far = max(abs(i), abs(j))
            # one step along an arm or a diagonal; the longer component always is a step
            r = 0.0 if abs(i) < 0.5 * far or (abs(i) < 0.5 and abs(i) < far) else (1.0 if i > 0.0 else -1.0)
            t = 0.0 if abs(j) < 0.5 * far or (abs(j) < 0.5 and abs(j) < far) else (1.0 if j > 0.0 else -1.0)
            q = 1.0 / (s * s)
            x += q * s * (r - i)
            y += q * s * (t - j)
            weight += q
            g = net.twin[before(g)]
            if g == start:
                break
        x, y = x / weight, y / weight
        row[k] = v
        goal[k, 0] = p[v, 0] + x * a0 + y * b0
        goal[k, 1] = p[v, 1] + x * a1 + y * b1
        goal[k, 2] = p[v, 2] + x * a2 + y * b2
        k += 1
    return k
