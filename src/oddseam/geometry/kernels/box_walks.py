"""Kernels of the box tree.

The closest point of a triangle follows C. Ericson (2005), Real-time collision detection, 5.1.5.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel


@helper
def closest_on_triangle(c, i, x, y, z):
    """Closest point (3) on triangle ``i`` of ``c`` (m, 9) to a point, and its squared distance."""
    ax, ay, az = c[i, 0], c[i, 1], c[i, 2]
    ux, uy, uz = c[i, 3] - ax, c[i, 4] - ay, c[i, 5] - az
    vx, vy, vz = c[i, 6] - ax, c[i, 7] - ay, c[i, 8] - az
    px, py, pz = x - ax, y - ay, z - az
    d1 = ux * px + uy * py + uz * pz
    d2 = vx * px + vy * py + vz * pz
    s = 0.0
    t = 0.0
    if d1 > 0.0 or d2 > 0.0:
        qx, qy, qz = px - ux, py - uy, pz - uz
        d3 = ux * qx + uy * qy + uz * qz
        d4 = vx * qx + vy * qy + vz * qz
        rx, ry, rz = px - vx, py - vy, pz - vz
        d5 = ux * rx + uy * ry + uz * rz
        d6 = vx * rx + vy * ry + vz * rz
        vc = d1 * d4 - d3 * d2
        vb = d5 * d2 - d1 * d6
        va = d3 * d6 - d5 * d4
        if d3 >= 0.0 and d4 <= d3:
            s = 1.0
        elif d6 >= 0.0 and d5 <= d6:
            t = 1.0
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            s = d1 / (d1 - d3) if d1 - d3 > 0.0 else 0.0
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            t = d2 / (d2 - d6) if d2 - d6 > 0.0 else 0.0
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            w = (d4 - d3) + (d5 - d6)
            t = (d4 - d3) / w if w > 0.0 else 0.0
            s = 1.0 - t
        elif va + vb + vc > 0.0:
            s = vb / (va + vb + vc)
            t = vc / (va + vb + vc)
    qx = ax + s * ux + t * vx
    qy = ay + s * uy + t * vy
    qz = az + s * uz + t * vz
    return qx, qy, qz, (qx - x) ** 2 + (qy - y) ** 2 + (qz - z) ** 2


@helper
def box_distance(box, q, x, y, z):
    """Squared distance of a point to a box."""
    dx = max(max(box[q, 0] - x, x - box[q, 3]), 0.0)
    dy = max(max(box[q, 1] - y, y - box[q, 4]), 0.0)
    dz = max(max(box[q, 2] - z, z - box[q, 5]), 0.0)
    return dx * dx + dy * dy + dz * dz


@kernel
def closest_points(points, wanted, corners, label, box, enough, found, row):
    """Fill ``found`` (k, 3) and ``row`` (k,), which holds hints on entry: rows, -1 for none, -2 for what came last.

    A point not farther than ``enough`` will do, if that is not below zero, however near others are.
    """
    before = -1
    limit = enough * enough if enough >= 0.0 else -1.0
    m = corners.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    far = np.empty(128, np.float64)
    for k in range(points.shape[0]):
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        best = np.inf
        if row[k] == -1 and 0 <= before < m and (wanted[k] < 0 or label[before] == wanted[k]):
            # what the last point is nearest to bounds the search, a little above for it may be found again
            _, _, _, best = closest_on_triangle(corners, before, x, y, z)
            best = best * (1.0 + 1e-12) + 1e-300
        hint = row[k] if row[k] > -2 else before
        row[k] = -1
        if 0 <= hint < m and (wanted[k] < 0 or label[hint] == wanted[k]):
            fx, fy, fz, best = closest_on_triangle(corners, hint, x, y, z)
            found[k, 0] = fx
            found[k, 1] = fy
            found[k, 2] = fz
            row[k] = hint
        top = 1
        stack[0] = 0
        far[0] = box_distance(box, 0, x, y, z)
        while top > 0 and best > limit:
            top -= 1
            q = stack[top]
            if far[top] >= best:
                continue
            if q >= leaves - 1:
                first = (q - leaves + 1) * m // leaves
                last = (q - leaves + 2) * m // leaves
                for i in range(first, last):
                    if wanted[k] >= 0 and label[i] != wanted[k]:
                        continue
                    fx, fy, fz, d = closest_on_triangle(corners, i, x, y, z)
                    if d < best:
                        best = d
                        found[k, 0] = fx
                        found[k, 1] = fy
                        found[k, 2] = fz
                        row[k] = i
                continue
            near = box_distance(box, 2 * q + 1, x, y, z)
            other = box_distance(box, 2 * q + 2, x, y, z)
            swap = other < near
            # the nearer child goes on top
            if swap:
                near, other = other, near
            if other < best:
                stack[top] = 2 * q + 1 if swap else 2 * q + 2
                far[top] = other
                top += 1
            if near < best:
                stack[top] = 2 * q + 2 if swap else 2 * q + 1
                far[top] = near
                top += 1
        before = row[k]


@kernel
def triangles_near(points, reach, corners, box, pairs):
    """Pairs of a point (k, 3) and a triangle not farther from it than ``reach``.

    Those for which ``pairs`` has no room are counted only.  Returns how many there are.
    """
    m = corners.shape[0]
    leaves = (box.shape[0] + 1) // 2
    stack = np.empty(128, np.int64)
    limit = reach * reach
    count = 0
    for k in range(points.shape[0]):
        x, y, z = points[k, 0], points[k, 1], points[k, 2]
        top = 1
        stack[0] = 0
        while top > 0:
            top -= 1
            q = stack[top]
            if box_distance(box, q, x, y, z) > limit:
                continue
            if q < leaves - 1:
                stack[top], stack[top + 1] = 2 * q + 1, 2 * q + 2
                top += 2
                continue
            for i in range((q - leaves + 1) * m // leaves, (q - leaves + 2) * m // leaves):
                _, _, _, d = closest_on_triangle(corners, i, x, y, z)
                if d <= limit:
                    if count < pairs.shape[0]:
                        pairs[count, 0], pairs[count, 1] = k, i
                    count += 1
    return count
