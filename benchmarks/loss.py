"""Cost of measuring what was lost, of a whole surface that was meshed anew and of a small change to a large one.

python benchmarks/loss.py
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import shapes

from oddseam.model.editing import edited
from oddseam.model.loss import SHAPE, measure_loss


def main() -> None:
    """Print seconds, and microseconds for each changed facet."""
    for n in (100, 320, 1000):
        mesh, other = shapes.mesh(shapes.torus(n, n // 2)), shapes.mesh(shapes.torus(n * 9 // 10, n * 9 // 20))
        cut = edited(mesh, drop=np.arange(mesh.n_elements // 100))
        for name, after in (("all", other), ("a hundredth", cut)):
            measure_loss(mesh, after, SHAPE * mesh.diagonal)
            mesh.triangulation, after.triangulation  # noqa: B018
            start = time.perf_counter()
            loss = measure_loss(mesh, after, SHAPE * mesh.diagonal)
            took = time.perf_counter() - start
            words = f"{loss.facets:>9,} changed of {mesh.n_elements:>9,} facets"
            print(f"{name:<12}{words}: {took:6.2f} s, {1e6 * took / loss.facets:6.2f} us each, {loss.farthest:.3g} off")


if __name__ == "__main__":
    main()
