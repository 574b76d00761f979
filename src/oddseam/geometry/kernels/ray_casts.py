"""Kernels that follow rays through a tree of boxes.

A triangle is met as in T. Moeller, B. Trumbore (1997), Fast, minimum storage ray-triangle
intersection.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel


@helper
def _entry(box, q, x, y, z, ix, iy, iz, limit):
    """Distance at which a ray enters a box; infinite if it does not before ``limit``."""
    x1, x2 = (box[q, 0] - x) * ix, (box[q, 3] - x) * ix
    y1, y2 = (box[q, 1] - y) * iy, (box[q, 4] - y) * iy
    z1, z2 = (box[q, 2] - z) * iz, (box[q, 5] - z) * iz
    near = max(max(min(x1, x2), min(y1, y2)), max(min(z1, z2), 0.0))
    far = min(min(max(x1, x2), max(y1, y2)), min(max(z1, z2), limit))
    return near if near <= far * (1.0 + 1e-12) else np.inf


@helper
def _inverse(x):
    """1 / x, kept finite, so that a ray within the plane of a box's side counts as inside."""
    return 1.0 / x if abs(x) > 1e-300 else 1e300


@helper
def _meets(p, a, b, c, o, d, i):
    """Distance along ray ``i`` at which it meets the triangle of three nodes; infinite if it does not."""
    ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
    px = d[i, 1] * vz - d[i, 2] * vy
    py = d[i, 2] * vx - d[i, 0] * vz
    pz = d[i, 0] * vy - d[i, 1] * vx
    det = ux * px + uy * py + uz * pz
    if det == 0.0:
        return np.inf
    tx, ty, tz = o[i, 0] - p[a, 0], o[i, 1] - p[a, 1], o[i, 2] - p[a, 2]
    s = (tx * px + ty * py + tz * pz) / det
    qx = ty * uz - tz * uy
    qy = tz * ux - tx * uz
    qz = tx * uy - ty * ux
    t = (d[i, 0] * qx + d[i, 1] * qy + d[i, 2] * qz) / det
    # a ray that hits an edge must not slip between its two triangles
    if s < -1e-9 or t < -1e-9 or s + t > 1.0 + 1e-9:
        return np.inf
    return (vx * qx + vy * qy + vz * qz) / det


@kernel
def cast_rays(origins, directions, own, nodes, triangles, box, distance, row):
    """Fill ``row`` (k,), -1 on entry, with the first triangle met, and ``distance`` (k,), which holds limits.

    ``triangles`` (m, 3) is in the order of the tree; ray i does not meet the triangle ``own[i]``.
    """
    m = triangles.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    ahead = np.empty(128, np.float64)
    for k in range(origins.shape[0]):
        x, y, z = origins[k, 0], origins[k, 1], origins[k, 2]
        ix, iy, iz = _inverse(directions[k, 0]), _inverse(directions[k, 1]), _inverse(directions[k, 2])
        top = 1
        stack[0] = 0
        ahead[0] = _entry(box, 0, x, y, z, ix, iy, iz, distance[k])
        while top > 0:
            top -= 1
            q = stack[top]
            if ahead[top] > distance[k]:
                continue
            if q >= leaves - 1:
                for j in range((q - leaves + 1) * m // leaves, (q - leaves + 2) * m // leaves):
                    if j == own[k]:
                        continue
                    t = _meets(nodes, triangles[j, 0], triangles[j, 1], triangles[j, 2], origins, directions, k)
                    if 0.0 < t <= distance[k] and (t < distance[k] or row[k] < 0):
                        distance[k] = t
                        row[k] = j
                continue
            # the nearer child goes on top
            far = 2 * q + 1
            one = _entry(box, 2 * q + 1, x, y, z, ix, iy, iz, distance[k])
            two = _entry(box, 2 * q + 2, x, y, z, ix, iy, iz, distance[k])
            if one < two:
                far = 2 * q + 2
                one, two = two, one
            if one < np.inf:
                stack[top] = far
                ahead[top] = one
                top += 1
            if two < np.inf:
                stack[top] = 4 * q + 3 - far
                ahead[top] = two
                top += 1


@kernel
def follow_ray(k, origins, directions, own, nodes, triangles, box, met):
    """Put all triangles that ray ``k`` meets into ``met``, as far as there is room; how many there are."""
    m = triangles.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    x, y, z = origins[k, 0], origins[k, 1], origins[k, 2]
    ix, iy, iz = _inverse(directions[k, 0]), _inverse(directions[k, 1]), _inverse(directions[k, 2])
    count = 0
    top = 1
    stack[0] = 0
    while top > 0:
        top -= 1
        q = stack[top]
        if _entry(box, q, x, y, z, ix, iy, iz, np.inf) == np.inf:
            continue
        if q < leaves - 1:
            stack[top] = 2 * q + 1
            stack[top + 1] = 2 * q + 2
            top += 2
            continue
        for j in range((q - leaves + 1) * m // leaves, (q - leaves + 2) * m // leaves):
            if j == own[k]:
                continue
            t = _meets(nodes, triangles[j, 0], triangles[j, 1], triangles[j, 2], origins, directions, k)
            if 0.0 < t < np.inf:
                if count < met.shape[0]:
                    met[count] = j
                count += 1
    return count
