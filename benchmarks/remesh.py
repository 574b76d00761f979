"""What remeshing costs, against the number of facets, and beside a native program if there is one."""

from __future__ import annotations

import argparse
import re
import subprocess
import tempfile
import time
from pathlib import Path

import numpy as np

import oddseam


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


def native_seconds(program: str, nodes: np.ndarray, triangles: np.ndarray) -> float:
    """Seconds that the native program says it took, for the mean edge length and as many rounds as ours."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "surface.srf")
        path.write_bytes(
            np.array([len(nodes), len(triangles)], "<i8").tobytes() + nodes.tobytes() + triangles.tobytes()
        )
        said = subprocess.run([program, str(path), "1.0", "11"], capture_output=True, text=True, check=True).stdout
    found = re.search(r"total ([\d.]+) s", said)
    if found is None:
        raise SystemExit(f"{program} did not say how long it took")
    return float(found[1])


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--native", help="a program to measure beside")
    parser.add_argument("--facets", type=int, nargs="*", default=[10_000, 100_000, 1_000_000])
    args = parser.parse_args()
    oddseam.remesh(oddseam.Mesh.from_triangles(*torus(1000)), size=0.2)  # load the kernels
    print(f"{'facets':>10} {'after':>10} {'seconds':>8} {'us/facet':>9} {'native':>8} {'ratio':>6}  least angle")
    for facets in args.facets:
        nodes, triangles = torus(facets)
        edge = nodes[triangles]
        size = float(np.linalg.norm(edge - np.roll(edge, 1, axis=1), axis=2).mean())
        mesh = oddseam.Mesh.from_triangles(nodes, triangles)
        start = time.perf_counter()
        even = oddseam.remesh(mesh, size=size)
        seconds = time.perf_counter() - start
        native = native_seconds(args.native, nodes, triangles) if args.native else float("nan")
        angle = next(row for row in oddseam.survey(even).quality if row.measure == "minimum_angle").minimum
        print(
            f"{len(triangles):>10,} {len(even.faces):>10,} {seconds:>8.2f} {1e6 * seconds / len(triangles):>9.2f} "
            f"{native:>8.2f} {seconds / native:>6.1f}  {angle:.1f}"
        )


if __name__ == "__main__":
    main()
