"""What features and size fields cost, against the number of facets."""

from __future__ import annotations

import argparse
import resource
import time
from collections.abc import Callable

import numpy as np
from beside import torus

import oddseam


def boxes(facets: int) -> tuple[np.ndarray, np.ndarray]:
    """A plate of grids with a step every tenth of its length."""
    n = int(np.sqrt(facets / 2))
    x, y = (w.ravel() for w in np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1), indexing="ij"))
    nodes = np.column_stack([x, y, 0.05 * (np.floor(10 * x) % 2)])
    at = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    a, b, c, d = (w.ravel() for w in (at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]))
    return nodes, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--facets", type=int, nargs="*", default=[10_000, 100_000, 1_000_000])
    args = parser.parse_args()
    small = oddseam.Mesh.from_triangles(*torus(1000))
    oddseam.make_sizes(oddseam.find_features(small), base=1.0, per_turn=24, across=2).at(
        small.nodes
    )  # load the kernels
    print(f"{'shape':>6} {'facets':>10} {'features':>9} {'patches':>8} {'curvature':>10} {'walls':>6} {'peak MB':>8}")
    shapes: dict[str, Callable[[int], tuple[np.ndarray, np.ndarray]]] = {"torus": torus, "plate": boxes}
    for name, shape in shapes.items():
        for facets in args.facets:
            mesh = oddseam.Mesh.from_triangles(*shape(facets))
            start = time.perf_counter()
            found = oddseam.find_features(mesh)
            features = time.perf_counter() - start
            start = time.perf_counter()
            oddseam.make_sizes(mesh, base=mesh.diagonal / 50, per_turn=48)
            curvature = time.perf_counter() - start
            start = time.perf_counter()
            oddseam.make_sizes(mesh, base=mesh.diagonal / 50, across=2)
            walls = time.perf_counter() - start
            peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            print(
                f"{name:>6} {mesh.n_elements:>10,} {features:>9.2f} {len(found.patches.table):>8,} "
                f"{curvature:>10.2f} {walls:>6.2f} {peak:>8,.0f}"
            )


if __name__ == "__main__":
    main()
