"""Kernels of the extension: linear finite elements on triangles and tets, row by row."""

from __future__ import annotations

import math

import numpy as np

from oddseam.compiled import helper, kernel

#: A simplex counts as no flatter than this, over the power of its size.
_FLATTEST = 1e-4


@helper
def _gradients(points, simplices, s, out):
    """Gradients (k, 3) of the k linear shape functions of a triangle or a tet; returns its area or volume."""
    k = simplices.shape[1]
    a, b, c = simplices[s, 0], simplices[s, 1], simplices[s, 2]
    ax, ay, az = points[a, 0], points[a, 1], points[a, 2]
    ux, uy, uz = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - az
    vx, vy, vz = points[c, 0] - ax, points[c, 1] - ay, points[c, 2] - az
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    size2 = ux * ux + uy * uy + uz * uz + vx * vx + vy * vy + vz * vz
    if k == 3:
        twice = max(math.sqrt(nx * nx + ny * ny + nz * nz), _FLATTEST * size2)
        if not twice > 0.0:
            out[:] = 0.0
            return 0.0
        nx, ny, nz = nx / twice, ny / twice, nz / twice
        # the normal across an edge, over twice the area, points to the opposite corner
        out[1, 0], out[1, 1], out[1, 2] = (vy * nz - vz * ny), (vz * nx - vx * nz), (vx * ny - vy * nx)
        out[2, 0], out[2, 1], out[2, 2] = (ny * uz - nz * uy), (nz * ux - nx * uz), (nx * uy - ny * ux)
        for d in range(3):
            out[1, d] /= twice
            out[2, d] /= twice
            out[0, d] = -out[1, d] - out[2, d]
        return 0.5 * twice
    e = simplices[s, 3]
    wx, wy, wz = points[e, 0] - ax, points[e, 1] - ay, points[e, 2] - az
    size2 += wx * wx + wy * wy + wz * wz
    six = nx * wx + ny * wy + nz * wz
    least = _FLATTEST * size2 * math.sqrt(size2)
    if not least > 0.0:
        out[:] = 0.0
        return 0.0
    if abs(six) < least:
        six = least if six >= 0.0 else -least
    out[1, 0], out[1, 1], out[1, 2] = vy * wz - vz * wy, vz * wx - vx * wz, vx * wy - vy * wx
    out[2, 0], out[2, 1], out[2, 2] = wy * uz - wz * uy, wz * ux - wx * uz, wx * uy - wy * ux
    out[3, 0], out[3, 1], out[3, 2] = nx, ny, nz
    for d in range(3):
        out[1, d] /= six
        out[2, d] /= six
        out[3, d] /= six
        out[0, d] = -out[1, d] - out[2, d] - out[3, d]
    return abs(six) / 6.0


@kernel
def incidence(simplices, row, first, of):
    """Simplices at every row: ``of[first[r]:first[r + 1]]``; ``row`` (n,) is the row of a node, or -1."""
    first[:] = 0
    for s in range(simplices.shape[0]):
        for i in range(simplices.shape[1]):
            r = row[simplices[s, i]]
            if r >= 0:
                first[r + 1] += 1
    for r in range(1, first.shape[0]):
        first[r] += first[r - 1]
    if of.shape[0] == 0:
        return
    for s in range(simplices.shape[0]):
        for i in range(simplices.shape[1]):
            r = row[simplices[s, i]]
            if r >= 0:
                of[first[r]] = s
                first[r] += 1
    for r in range(first.shape[0] - 1, 0, -1):
        first[r] = first[r - 1]
    first[0] = 0


@kernel
def columns(start, stop, simplices, row, first, of, begin, column):
    """Columns of rows ``start`` to ``stop`` of the matrix, ascending; with an empty ``column`` only their number.

    ``begin[r + 1]`` gets the number of columns of row r, or is where they begin already.
    """
    seen = np.empty(4096, np.int32)
    for r in range(start, stop):
        count = 0
        for at in range(first[r], first[r + 1]):
            for i in range(simplices.shape[1]):
                j = row[simplices[of[at], i]]
                if j < 0:
                    continue
                k = count
                while k > 0 and seen[k - 1] > j:
                    k -= 1
                if k > 0 and seen[k - 1] == j:
                    continue
                if count == seen.shape[0]:
                    larger = np.empty(2 * count, np.int32)
                    for m in range(count):
                        larger[m] = seen[m]
                    seen = larger
                for m in range(count, k, -1):
                    seen[m] = seen[m - 1]
                seen[k] = j
                count += 1
        if column.shape[0] == 0:
            begin[r + 1] = count
        else:
            for m in range(count):
                column[begin[r] + m] = seen[m]


@kernel
def assemble(start, stop, points, simplices, weight, row, first, of, begin, column, u, value, right):
    """Rows of the stiffness matrix of free nodes, and what known displacements ``u`` (n, 3) add to the right side."""
    gradient = np.empty((4, 3))
    node_count = simplices.shape[1]
    for r in range(start, stop):
        low, high = begin[r], begin[r + 1]
        value[low:high] = 0.0
        right[r] = 0.0
        for at in range(first[r], first[r + 1]):
            s = of[at]
            size = _gradients(points, simplices, s, gradient) * weight[s]
            mine = 0
            for i in range(node_count):
                if row[simplices[s, i]] == r:
                    mine = i
            for i in range(node_count):
                k = size * (
                    gradient[mine, 0] * gradient[i, 0]
                    + gradient[mine, 1] * gradient[i, 1]
                    + gradient[mine, 2] * gradient[i, 2]
                )
                node = simplices[s, i]
                j = row[node]
                if j < 0:
                    right[r, 0] -= k * u[node, 0]
                    right[r, 1] -= k * u[node, 1]
                    right[r, 2] -= k * u[node, 2]
                    continue
                a, b = low, high - 1
                while a < b:
                    m = (a + b) // 2
                    if column[m] < j:
                        a = m + 1
                    else:
                        b = m
                value[a] += k


@kernel
def strains(start, stop, points, simplices, u, out):
    """Square of the gradient of a displacement ``u`` (n, 3) in every simplex."""
    gradient = np.empty((4, 3))
    for s in range(start, stop):
        _gradients(points, simplices, s, gradient)
        total = 0.0
        for a in range(3):
            for d in range(3):
                part = 0.0
                for i in range(simplices.shape[1]):
                    part += gradient[i, a] * u[simplices[s, i], d]
                total += part * part
        out[s] = total
