"""What remeshing costs, against the number of facets, and beside a native program if there is one."""

from __future__ import annotations

import argparse
import time

import numpy as np
from beside import native_seconds, torus

import oddseam


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
        native = native_seconds(args.native, nodes, triangles, "1.0", "11") if args.native else float("nan")
        angle = next(row for row in oddseam.survey(even).quality if row.measure == "minimum_angle").minimum
        print(
            f"{len(triangles):>10,} {len(even.faces):>10,} {seconds:>8.2f} {1e6 * seconds / len(triangles):>9.2f} "
            f"{native:>8.2f} {seconds / native:>6.1f}  {angle:.1f}"
        )


if __name__ == "__main__":
    main()
