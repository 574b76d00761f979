"""What coarsening to a tenth costs, against the number of facets, and beside a native program if there is one."""

from __future__ import annotations

import argparse
import resource
import time

import numpy as np
from beside import native_seconds, torus

import oddseam
from oddseam.remeshing.surfaces.quadric import Bounds, coarsen_sheets
from oddseam.remeshing.surfaces.sheets import cut_into_sheets


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--native", help="a program to measure beside")
    parser.add_argument("--facets", type=int, nargs="*", default=[10_000, 100_000, 200_000, 1_000_000])
    args = parser.parse_args()
    oddseam.coarsen(oddseam.Mesh.from_triangles(*torus(1000)), facets=100)  # load the kernels
    print(
        f"{'facets':>10} {'after':>8} {'coarsen':>8} {'native':>7} {'ratio':>6} {'crossings':>9} {'all':>6} "
        f"{'within':>8} {'peak MB':>7}"
    )
    for facets in args.facets:
        nodes, triangles = torus(facets)
        goal = len(triangles) // 10
        start = time.perf_counter()
        sheets = cut_into_sheets(nodes, triangles, np.zeros(len(triangles), np.int32), 30.0)
        result = coarsen_sheets(sheets, Bounds(goal))
        alone = time.perf_counter() - start
        new = oddseam.Mesh.from_triangles(result.surface.points, result.surface.triangles)
        start = time.perf_counter()
        found = len(new.crossing_triangles)
        check = time.perf_counter() - start
        mesh = oddseam.Mesh.from_triangles(nodes, triangles)
        start = time.perf_counter()
        oddseam.coarsen(mesh, facets=goal)
        whole = time.perf_counter() - start
        start = time.perf_counter()
        oddseam.coarsen(mesh, deviation=1e-3 * mesh.diagonal)
        within = time.perf_counter() - start
        native = native_seconds(args.native, nodes, triangles, "0.1") if args.native else float("nan")
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"{len(triangles):>10,} {len(new.faces):>8,} {alone:>8.2f} {native:>7.2f} {alone / native:>6.2f} "
            f"{check:>9.2f} {whole:>6.2f} {within:>8.2f} {peak:>7,.0f}" + (f"  {found} cross" if found else "")
        )


if __name__ == "__main__":
    main()
