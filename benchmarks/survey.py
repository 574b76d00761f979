"""What reading and surveying an STL costs, against the number of facets."""

from __future__ import annotations

import resource
import tempfile
import time
from pathlib import Path

from remesh import torus

import oddseam


def main() -> None:
    """Print the table."""
    print(f"{'facets':>10} {'MB':>6} {'read':>7} {'survey':>7} {'us/facet':>9} {'peak MB':>8}")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "torus.stl")
        for facets in (1_000, 10_000, 100_000, 1_000_000):  # the first loads the kernels
            oddseam.write_mesh(oddseam.Mesh.from_triangles(*torus(facets)), path)
            start = time.perf_counter()
            mesh = oddseam.read_mesh(path)
            read = time.perf_counter() - start
            oddseam.survey(mesh)
            total = time.perf_counter() - start
            peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            print(
                f"{len(mesh.faces):>10,} {path.stat().st_size / 1e6:>6.1f} {read:>7.2f} {total - read:>7.2f} "
                f"{1e6 * total / len(mesh.faces):>9.2f} {peak:>8.0f}"
            )


if __name__ == "__main__":
    main()
