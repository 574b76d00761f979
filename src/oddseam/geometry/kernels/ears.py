"""The compiled ear clipping of polygons."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel


@helper
def _turn(u, v, a, b, c):
    return (u[b] - u[a]) * (v[c] - v[a]) - (v[b] - v[a]) * (u[c] - u[a])


@kernel
def clip_ears(points, first, triangles):
    """Triangles, as rows of ``points``, of the polygons ``first[i]`` to ``first[i + 1]``.

    A polygon of n corners always gives n - 2 triangles that run round as it does; if no ear is
    left, which happens only to one that meets itself, the flattest corner is cut off.
    """
    made = 0
    for p in range(len(first) - 1):
        n = first[p + 1] - first[p]
        at = first[p]
        # the normal by Newell's sum, and the plane of the two other axes
        normal = np.zeros(3)
        for i in range(n):
            a, b = points[at + i], points[at + (i + 1) % n]
            normal[0] += (a[1] - b[1]) * (a[2] + b[2] - 2.0 * points[at, 2])
            normal[1] += (a[2] - b[2]) * (a[0] + b[0] - 2.0 * points[at, 0])
            normal[2] += (a[0] - b[0]) * (a[1] + b[1] - 2.0 * points[at, 1])
        axis = int(np.argmax(np.abs(normal)))
        one, two = (axis + 1) % 3, (axis + 2) % 3
        u, v = points[at : at + n, one].copy(), points[at : at + n, two].copy()
        if normal[axis] < 0:
            u = -u
        after, before = (np.arange(n) + 1) % n, (np.arange(n) - 1) % n
        left, here, tried = n, 0, 0
        while left > 3:
            a, b, c = before[here], here, after[here]
            turn = _turn(u, v, a, b, c)
            is_ear = turn > 0 or tried >= left
            if is_ear and tried < left:
                k = after[c]
                while k != a and is_ear:
                    inside = _turn(u, v, a, b, k) >= 0 and _turn(u, v, b, c, k) >= 0 and _turn(u, v, c, a, k) >= 0
                    same = (u[k] == u[a] and v[k] == v[a]) or (u[k] == u[c] and v[k] == v[c])
                    is_ear = not inside or same
                    k = after[k]
            if is_ear:
                triangles[made, 0], triangles[made, 1], triangles[made, 2] = at + a, at + b, at + c
                made += 1
                after[a], before[c] = c, a
                left -= 1
                tried = 0
                here = after[c] if left > 3 else c
            else:
                tried += 1
                here = after[here]
        triangles[made, 0], triangles[made, 1], triangles[made, 2] = at + before[here], at + here, at + after[here]
        made += 1
    return made
