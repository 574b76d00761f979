"""Kernels of the renderer: triangles and lines into a depth buffer."""

from __future__ import annotations

import numpy as np

from oddseam.compiled import kernel


@kernel
def fill_triangles(xy, depth_of, triangles, depth, ident):
    """Draw triangles; the nearest wins (largest depth), and of equals the first.

    ``xy`` (n, 2) in pixels, ``depth_of`` (n,), ``depth`` (h, w) starts at -inf, ``ident``
    (h, w) receives the row of the triangle.
    """
    height, width = depth.shape
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, bx, by, cx, cy = xy[a, 0], xy[a, 1], xy[b, 0], xy[b, 1], xy[c, 0], xy[c, 1]
        twice = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if twice == 0.0:
            continue
        x0 = max(int(np.ceil(min(ax, min(bx, cx)) - 0.5)), 0)
        x1 = min(int(np.floor(max(ax, max(bx, cx)) - 0.5)), width - 1)
        y0 = max(int(np.ceil(min(ay, min(by, cy)) - 0.5)), 0)
        y1 = min(int(np.floor(max(ay, max(by, cy)) - 0.5)), height - 1)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px = x + 0.5
                py = y + 0.5
                u = ((bx - px) * (cy - py) - (by - py) * (cx - px)) / twice
                v = ((cx - px) * (ay - py) - (cy - py) * (ax - px)) / twice
                w = 1.0 - u - v
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                d = u * depth_of[a] + v * depth_of[b] + w * depth_of[c]
                if d > depth[y, x]:
                    depth[y, x] = d
                    ident[y, x] = t


@kernel
def draw_lines(xy, depth_of, edges, depth, slack, colour, width, canvas):
    """Draw edges (k, 2) with square pens into ``canvas`` (h, w, 3) where nothing is nearer."""
    height, across = depth.shape
    half = width // 2
    for e in range(edges.shape[0]):
        a, b = edges[e, 0], edges[e, 1]
        steps = int(max(abs(xy[b, 0] - xy[a, 0]), abs(xy[b, 1] - xy[a, 1]))) + 1
        if steps > 20000:
            continue
        for i in range(steps + 1):
            t = i / steps
            x = int(np.floor(xy[a, 0] + t * (xy[b, 0] - xy[a, 0])))
            y = int(np.floor(xy[a, 1] + t * (xy[b, 1] - xy[a, 1])))
            d = depth_of[a] + t * (depth_of[b] - depth_of[a]) + slack
            for dy in range(-half, width - half):
                for dx in range(-half, width - half):
                    px = x + dx
                    py = y + dy
                    if 0 <= px < across and 0 <= py < height and d >= depth[py, px]:
                        for k in range(3):
                            canvas[py, px, k] = colour[k]
