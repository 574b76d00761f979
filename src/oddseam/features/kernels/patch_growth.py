"""Regions of facets that lie on a simple surface, grown from a few of them."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import helper, kernel
from oddseam.geometry.kernels.primitive_fits import off_surface

#: More facets in one plane are no step of a tessellation.
_MOST_IN_PLANE = 64
#: By so much the cosine of facets in one plane may fall short of one.
_SAME_PLANE = 1e-6
#: A side whose cosine with an axis is no more runs round it.
_ROUND = 0.02


@helper
def lies_on(t, kind, q, nodes, triangles, normals, tolerance, cosine):
    """Whether a facet lies on a surface: its nodes do, and it looks the same way, or the opposite one."""
    x = 0.0
    y = 0.0
    z = 0.0
    for i in range(3):
        v = triangles[t, i]
        d, _, _, _ = off_surface(kind, q, nodes[v, 0], nodes[v, 1], nodes[v, 2])
        if not abs(d) <= tolerance:
            return False
        x += nodes[v, 0] / 3.0
        y += nodes[v, 1] / 3.0
        z += nodes[v, 2] / 3.0
    _, nx, ny, nz = off_surface(kind, q, x, y, z)
    return abs(nx * normals[t, 0] + ny * normals[t, 1] + nz * normals[t, 2]) >= cosine


@kernel
def lie_on(facets, kind, q, nodes, triangles, normals, tolerance, cosine):
    """Whether all of some facets lie on a surface."""
    for t in facets:
        if not lies_on(t, kind, q, nodes, triangles, normals, tolerance, cosine):
            return False
    return True


@kernel
def hood(seed, most, across, label, queue, mark, stamp):
    """The facets without label nearest to one, ring by ring, in ``queue``; how many."""
    queue[0] = seed
    mark[seed] = stamp
    count = 1
    at = 0
    while at < count < most:
        t = queue[at]
        at += 1
        for i in range(3):
            o = across[t, i]
            if o >= 0 and label[o] < 0 and mark[o] != stamp:
                mark[o] = stamp
                queue[count] = o
                count += 1
                if count == most:
                    break
    return count


@kernel
def beside(seed, normals, across, label, queue, mark, stamp, found):
    """Normals of facets without label beside what lies flat with one, each once, in ``found`` (k, 3); how many."""
    queue[0] = seed
    mark[seed] = stamp
    count, n_found, at = 1, 0, 0
    while at < count:
        t = queue[at]
        at += 1
        for i in range(3):
            o = across[t, i]
            if o < 0 or label[o] >= 0 or mark[o] == stamp:
                continue
            if _dot(normals[seed], normals[o]) >= 1.0 - _SAME_PLANE:
                if count == _MOST_IN_PLANE:
                    return 0
                mark[o] = stamp
                queue[count] = o
                count += 1
                continue
            is_new = n_found < found.shape[0]
            for k in range(n_found):
                is_new = is_new and _dot(found[k], normals[o]) < 1.0 - _SAME_PLANE
            if is_new:
                for k in range(3):
                    found[n_found, k] = normals[o, k]
                n_found += 1
    return n_found


@kernel
def alike(seed, most, axis, reach, nodes, triangles, normals, across, label, queue, mark, stamp):
    """Facets without label that make one angle with an axis, in ``queue``; how many.

    Its cosine may differ by ``reach``.  They follow one another round the axis: across sides that run along it.
    """
    wanted = _dot(normals[seed], axis)
    queue[0] = seed
    mark[seed] = stamp
    count, at = 1, 0
    while at < count < most:
        t = queue[at]
        at += 1
        for i in range(3):
            o = across[t, i]
            if o < 0 or label[o] >= 0 or mark[o] == stamp or count >= most:
                continue
            side = nodes[triangles[t, (i + 1) % 3]] - nodes[triangles[t, i]]
            if _dot(side, axis) ** 2 <= _ROUND**2 * _dot(side, side):
                continue
            if abs(_dot(normals[o], axis) - wanted) <= reach:
                mark[o] = stamp
                queue[count] = o
                count += 1
    return count


@helper
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@kernel
def grow(starts, most, kind, q, nodes, triangles, normals, across, label, tolerance, cosine, queue, mark, stamp):
    """Facets without label that hang together with the first of ``starts`` on a surface, in ``queue``; not too many."""
    count = 0
    for k in range(starts.shape[0]):
        t = starts[k]
        if lies_on(t, kind, q, nodes, triangles, normals, tolerance, cosine):
            queue[0] = t
            mark[t] = stamp
            count = 1
            break
    at = 0
    while at < count:
        t = queue[at]
        at += 1
        for i in range(3):
            o = across[t, i]
            if o < 0 or label[o] >= 0 or mark[o] == stamp or count >= most:
                continue
            if lies_on(o, kind, q, nodes, triangles, normals, tolerance, cosine):
                mark[o] = stamp
                queue[count] = o
                count += 1
    return count


@helper
def smoothed(vectors, across, found):
    """Mean of the vectors (m, 3) of every facet and those across its edges."""
    for t in range(vectors.shape[0]):
        for d in range(3):
            total = vectors[t, d]
            count = 1
            for i in range(3):
                o = across[t, i]
                if o >= 0:
                    total += vectors[o, d]
                    count += 1
            found[t, d] = total / count


@kernel
def sag2(facets, kind, q, nodes, triangles):
    """Mean squared distance of the middles of the edges of facets to a surface."""
    total = 0.0
    for k in range(facets.shape[0]):
        for i in range(3):
            a = triangles[facets[k], i]
            b = triangles[facets[k], (i + 1) % 3]
            d, _, _, _ = off_surface(
                kind,
                q,
                0.5 * (nodes[a, 0] + nodes[b, 0]),
                0.5 * (nodes[a, 1] + nodes[b, 1]),
                0.5 * (nodes[a, 2] + nodes[b, 2]),
            )
            total += d * d
    return total / (3 * facets.shape[0])


@helper
def _misfit(t, kind, q, nodes, triangles):
    """Sum of the squared distances of the nodes of a facet to a surface."""
    total = 0.0
    for j in range(3):
        v = triangles[t, j]
        d, _, _, _ = off_surface(kind, q, nodes[v, 0], nodes[v, 1], nodes[v, 2])
        total += d * d
    return total


@kernel
def settle(label, kinds, numbers, nodes, triangles, across):
    """Give facets between regions to the neighbouring one that they are clearly nearer to; how many changed.

    Every change makes the sum of the misfits less, so that repeating this ends.
    """
    changed = 0
    for t in range(label.shape[0]):
        own = label[t]
        if own < 0:
            continue
        to = own
        best = -1.0
        for i in range(3):
            other = label[across[t, i]] if across[t, i] >= 0 else -1
            if other < 0 or other == own or other == to:
                continue
            if best < 0.0:
                best = 0.7 * _misfit(t, kinds[own], numbers[own], nodes, triangles)
            misfit = _misfit(t, kinds[other], numbers[other], nodes, triangles)
            if misfit < best:
                best = misfit
                to = other
        if to != own:
            label[t] = to
            changed += 1
    return changed


@helper
def nodes_on(facets, nodes, triangles, seen, stamp, points):
    """The nodes of facets, each once, into ``points``; how many there are.  ``seen`` (n,) is scratch."""
    count = 0
    for f in facets:
        for i in range(3):
            v = triangles[f, i]
            if seen[v] != stamp:
                seen[v] = stamp
                for k in range(3):
                    points[count, k] = nodes[v, k]
                count += 1
    return count


@helper
def edges_on(facets, is_whole, nodes, triangles, normals, across, mark, stamp, middles, directions):
    """The middles of the edges of facets with one beyond, each once, and the mean normals there; how many there are.

    With ``is_whole`` only those between two of the facets count.  ``mark`` (m,) is scratch.
    """
    for f in facets:
        mark[f] = stamp
    count = 0
    for f in facets:
        for i in range(3):
            o = across[f, i]
            if o < 0 or (mark[o] == stamp and o < f) or (mark[o] != stamp and is_whole):
                continue
            x, y, z = normals[f, 0] + normals[o, 0], normals[f, 1] + normals[o, 1], normals[f, 2] + normals[o, 2]
            length = np.sqrt(x * x + y * y + z * z)
            scale = 1.0 / length if length > 0.0 else 1.0
            directions[count, 0], directions[count, 1], directions[count, 2] = x * scale, y * scale, z * scale
            a, b = triangles[f, i], triangles[f, (i + 1) % 3]
            for k in range(3):
                middles[count, k] = 0.5 * (nodes[a, k] + nodes[b, k])
            count += 1
    return count
