"""What an operation costs from ten thousand facets to ten million: seconds, and the peak of a process of its own.

python benchmarks/growth.py [--facets 10000 ...] [--only survey coarsen mend remesh]
"""

from __future__ import annotations

import argparse
import multiprocessing
import resource
import time
from collections.abc import Callable

import numpy as np
from beside import torus

import oddseam


def _remesh(mesh: oddseam.Mesh) -> object:
    some = mesh.triangulation.triangles[:100_000]
    edges = mesh.nodes[some] - mesh.nodes[np.roll(some, 1, axis=1)]
    return oddseam.remesh(mesh, size=float(np.linalg.norm(edges, axis=2).mean()))


WORK: dict[str, Callable[[oddseam.Mesh], object]] = {
    "survey": lambda mesh: oddseam.survey(mesh, thin=False),
    "coarsen": lambda mesh: oddseam.coarsen(mesh, facets=mesh.n_elements // 10),
    "mend": oddseam.mend,
    "remesh": _remesh,
}


def measured(work: str, facets: int) -> tuple[int, float, float]:
    """Facets, seconds and megabytes, once the kernels are loaded."""
    WORK[work](oddseam.Mesh.from_triangles(*torus(5000)))
    mesh = oddseam.Mesh.from_triangles(*torus(facets))
    start = time.perf_counter()
    WORK[work](mesh)
    seconds = time.perf_counter() - start
    return mesh.n_elements, seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main() -> None:
    """Print a table."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("--facets", type=int, nargs="+", default=[10_000, 100_000, 1_000_000, 10_000_000])
    parser.add_argument("--only", nargs="+", choices=WORK, default=list(WORK))
    chosen = parser.parse_args()
    print(f"{'work':8} {'facets':>12} {'seconds':>9} {'us each':>8} {'peak MB':>8}")
    for facets in chosen.facets:
        for work in chosen.only:
            with multiprocessing.get_context("spawn").Pool(1) as alone:
                count, seconds, peak = alone.apply(measured, (work, facets))
            print(f"{work:8} {count:12,} {seconds:9.2f} {1e6 * seconds / count:8.1f} {peak:8,.0f}", flush=True)


if __name__ == "__main__":
    main()
