"""Finding and resolving facets that cross, against size: ``python benchmarks/crossings.py [--native PROGRAM]``.

Two tori that cross, of 5,000 to 500,000 facets each.  With a native program that takes ``FILE.srf`` and
prints a line with ``total SECONDS s``, its time to find the pairs stands beside ours.
"""

from __future__ import annotations

import argparse
import resource
import time

from beside import native_seconds, tori

import oddseam
from oddseam.geometry.exact.crossings import crossing_pairs
from oddseam.mending.contacts.overlaps import resolve_overlaps


def main() -> None:
    """Print a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--native", help="program that finds pairs in FILE.srf")
    parser.add_argument("--facets", type=int, nargs="*", default=[10_000, 100_000, 1_000_000])
    args = parser.parse_args()
    nodes, triangles = tori(2_000)
    resolve_overlaps(oddseam.Mesh.from_triangles(nodes, triangles, unit="mm"), drop=True, target="stl", widest=0.0)
    print("facets     pairs   find, s  native, s  resolve, s  resolve / find  us per facet  peak MB")
    for facets in args.facets:
        nodes, triangles = tori(facets)
        start = time.perf_counter()
        pairs = crossing_pairs(nodes, triangles)
        find = time.perf_counter() - start
        beside = f"{native_seconds(args.native, nodes, triangles):.2f}" if args.native else "-"
        mesh = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
        mesh = oddseam.as_written(mesh, "stl")
        start = time.perf_counter()
        result, report = resolve_overlaps(mesh, drop=True, target="stl", widest=0.0)
        resolve = time.perf_counter() - start
        if not report.is_resolved or len(result.crossing_triangles):
            raise SystemExit("not resolved")
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"{len(triangles):>9,} {len(pairs):>6,} {find:>9.2f} {beside:>10} {resolve:>11.2f} {resolve / find:>15.1f}"
            f" {1e6 * resolve / len(triangles):>13.1f} {peak:>8,.0f}"
        )


if __name__ == "__main__":
    main()
