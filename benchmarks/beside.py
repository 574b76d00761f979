"""What benchmarks share: a torus, and a native program to measure beside."""

from __future__ import annotations

import re
import subprocess
import tempfile
from pathlib import Path

import numpy as np


def torus(facets: int) -> tuple[np.ndarray, np.ndarray]:
    """A smooth torus of about this many facets, closed."""
    m = max(int(np.sqrt(facets / 6.0)), 8)
    n = 3 * m
    u, v = np.arange(n) * 2 * np.pi / n, np.arange(m) * 2 * np.pi / m
    ring = 2.0 + 0.7 * np.cos(v)
    points = np.stack(
        [np.outer(np.cos(u), ring), np.outer(np.sin(u), ring), np.outer(np.ones(n), 0.7 * np.sin(v))], axis=-1
    )
    i, j = np.meshgrid(np.arange(n), np.arange(m), indexing="ij")
    a, b = i * m + j, (i + 1) % n * m + j
    c, d = (i + 1) % n * m + (j + 1) % m, i * m + (j + 1) % m
    triangles = [np.stack(t, axis=-1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))]
    return points.reshape(-1, 3), np.concatenate(triangles).astype(np.int32)


def tori(facets: int) -> tuple[np.ndarray, np.ndarray]:
    """Two tori that cross, one turned and moved, with about so many facets together."""
    points, one = torus(facets // 2)
    angle = 0.7
    turn = np.array([[1, 0, 0], [0, np.cos(angle), -np.sin(angle)], [0, np.sin(angle), np.cos(angle)]])
    return np.concatenate([points, points @ turn.T + [0.3, 0.2, 0.1]]), np.concatenate([one, one + len(points)])


def write_srf(path: Path, nodes: np.ndarray, triangles: np.ndarray) -> None:
    """The file that native programs take."""
    path.write_bytes(np.array([len(nodes), len(triangles)], "<i8").tobytes() + nodes.tobytes() + triangles.tobytes())


def seconds_said(*words: object) -> float:
    """Seconds that a native program, the first of these words, says it took."""
    text = subprocess.run([str(word) for word in words], capture_output=True, text=True, check=True).stdout
    found = re.search(r"total ([\d.]+) s", text)
    if found is None:
        raise SystemExit(f"{words[0]} did not say how long it took")
    return float(found[1])


def native_seconds(program: str, nodes: np.ndarray, triangles: np.ndarray, *words: str) -> float:
    """Seconds that a native program says it took on a surface; ``words`` come after the name of its file."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "surface.srf")
        write_srf(path, nodes, triangles)
        return seconds_said(program, path, *words)
