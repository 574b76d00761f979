"""The kernel that triangulates a loop of nodes.

P. Liepa (2003), Filling holes in meshes, after G. Barequet, M. Sharir (1995), Filling gaps in
the boundary of a polyhedron: of all triangulations take the one whose sharpest fold is least,
and of those the one with the least area.
"""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel

#: A triangle with a smaller square of its area over its longest edge to the fourth has no direction,
#: and is taken only where every other way has one too: worse than any fold.
_THIN = 1e-12
_NO_AREA = 3000.0


@helper
def area_vector(p, i, j, k):
    ux, uy, uz = p[j, 0] - p[i, 0], p[j, 1] - p[i, 1], p[j, 2] - p[i, 2]
    vx, vy, vz = p[k, 0] - p[i, 0], p[k, 1] - p[i, 1], p[k, 2] - p[i, 2]
    return 0.5 * (uy * vz - uz * vy), 0.5 * (uz * vx - ux * vz), 0.5 * (ux * vy - uy * vx)


@helper
def fold(ax, ay, az, bx, by, bz):
    """1 - cosine of the angle between two vectors, in steps of a thousandth; 0 if one is nothing.

    The steps let the area decide between folds that differ by rounding only.
    """
    s = np.sqrt((ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz))
    if s == 0.0:
        return 0.0
    return np.floor((1.0 - (ax * bx + ay * by + az * bz) / s) * 1000.0 + 0.5)


@helper
def longest_square(p, i, j, k):
    """Square of the longest edge of a triangle."""
    longest = 0.0
    for a, b in ((i, j), (j, k), (k, i)):
        s = (p[a, 0] - p[b, 0]) ** 2 + (p[a, 1] - p[b, 1]) ** 2 + (p[a, 2] - p[b, 2]) ** 2
        longest = max(longest, s)
    return longest


@kernel
def triangulate_loop(p, normal, forbidden, triangles):
    """Triangulate the loop of points p (n, 3); O(n^3) time, O(n^2) memory.

    ``normal`` (n, 3) looks out of the facet behind edge (i, i + 1); ``forbidden`` (n, n) marks
    chords that may not be used.  Fills ``triangles`` (n - 2, 3); returns whether there is a
    way.
    """
    n = p.shape[0]
    worst = np.zeros((n, n))
    area = np.zeros((n, n))
    apex = np.full((n, n), -1, np.int32)
    for span in range(2, n):
        for i in range(n - span):
            k = i + span
            best_fold = np.inf
            best_area = np.inf
            if not (forbidden[i, k] and span < n - 1):
                for m in range(i + 1, k):
                    if worst[i, m] == np.inf or worst[m, k] == np.inf:
                        continue
                    x, y, z = area_vector(p, i, m, k)
                    f = max(worst[i, m], worst[m, k])
                    if x * x + y * y + z * z <= _THIN * longest_square(p, i, m, k) ** 2:
                        f = _NO_AREA
                    if m == i + 1:
                        f = max(f, fold(x, y, z, normal[i, 0], normal[i, 1], normal[i, 2]))
                    else:
                        a, b, c = area_vector(p, i, apex[i, m], m)
                        f = max(f, fold(x, y, z, a, b, c))
                    if k == m + 1:
                        f = max(f, fold(x, y, z, normal[m, 0], normal[m, 1], normal[m, 2]))
                    else:
                        a, b, c = area_vector(p, m, apex[m, k], k)
                        f = max(f, fold(x, y, z, a, b, c))
                    if span == n - 1:
                        f = max(f, fold(x, y, z, normal[k, 0], normal[k, 1], normal[k, 2]))
                    s = area[i, m] + area[m, k] + np.sqrt(x * x + y * y + z * z)
                    if f < best_fold or (f == best_fold and s < best_area):
                        best_fold = f
                        best_area = s
                        apex[i, k] = m
            worst[i, k] = best_fold
            area[i, k] = best_area
    if worst[0, n - 1] == np.inf:
        return False
    stack = np.empty((n, 2), np.int64)
    stack[0, 0] = 0
    stack[0, 1] = n - 1
    top = 1
    row = 0
    while top > 0:
        top -= 1
        i = stack[top, 0]
        k = stack[top, 1]
        m = apex[i, k]
        triangles[row, 0] = i
        triangles[row, 1] = m
        triangles[row, 2] = k
        row += 1
        if m - i > 1:
            stack[top, 0] = i
            stack[top, 1] = m
            top += 1
        if k - m > 1:
            stack[top, 0] = m
            stack[top, 1] = k
            top += 1
    return True
