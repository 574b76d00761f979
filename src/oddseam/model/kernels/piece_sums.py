"""The kernel that adds up volumes and boxes over the triangles of every piece."""

from __future__ import annotations

from oddseam.compiled import kernel


@kernel
def sum_pieces(nodes, triangles, piece, middle, volume, low, high):
    """Add to ``volume`` (p,) that of the cone from ``middle`` to each triangle of a piece, and widen its box.

    ``piece`` (m,) is negative for triangles that do not count.  ``volume`` is (p, 2), the second what rounding lost:
    W. Kahan (1965), Pracniques: further remarks on reducing truncation errors.
    """
    ox, oy, oz = middle[0], middle[1], middle[2]
    for i in range(triangles.shape[0]):
        k = piece[i]
        if k < 0:
            continue
        a, b, c = triangles[i, 0], triangles[i, 1], triangles[i, 2]
        ax, ay, az = nodes[a, 0] - ox, nodes[a, 1] - oy, nodes[a, 2] - oz
        bx, by, bz = nodes[b, 0] - ox, nodes[b, 1] - oy, nodes[b, 2] - oz
        cx, cy, cz = nodes[c, 0] - ox, nodes[c, 1] - oy, nodes[c, 2] - oz
        cone = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
        more = cone / 6.0 - volume[k, 1]
        total = volume[k, 0] + more
        volume[k, 1] = (total - volume[k, 0]) - more
        volume[k, 0] = total
        for j in range(3):
            low[k, j] = min(min(low[k, j], nodes[a, j]), min(nodes[b, j], nodes[c, j]))
            high[k, j] = max(max(high[k, j], nodes[a, j]), max(nodes[b, j], nodes[c, j]))
