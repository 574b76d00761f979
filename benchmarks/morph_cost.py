"""What a morph costs: a patch of a cube of tets or hexes is moved into it.

    python benchmarks/morph_cost.py [tet|hex [REACH]]

REACH is in hundredths of the side; the whole cube follows without it.
"""

from __future__ import annotations

import resource
import sys
import time

import numpy as np

import oddseam

_SIX = ((0, 1, 2, 6), (0, 2, 3, 6), (0, 3, 7, 6), (0, 7, 4, 6), (0, 4, 5, 6), (0, 5, 1, 6))


def cube(n: int, kind: str) -> oddseam.Mesh:
    """A cube of n x n x n hexes, as they are or as six tets each."""
    steps = np.linspace(0.0, 100.0, n + 1)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    at = np.arange(len(nodes), dtype=np.int32).reshape(n + 1, n + 1, n + 1)
    low, high = slice(None, -1), slice(1, None)
    corner = [(low, low), (high, low), (high, high), (low, high)]
    hexes = np.stack([at[i, j, k].ravel() for k in (low, high) for i, j in corner], axis=1)
    cells = hexes if kind == "hex" else np.concatenate([hexes[:, t] for t in _SIX])
    block = oddseam.Elements(cells, np.arange(1, len(cells) + 1), np.zeros(len(cells), np.int32))
    return oddseam.Mesh(nodes, {kind: block}, (oddseam.Part("cube", 1),), unit="mm")


def main(kind: str, reach: float) -> None:
    """Run."""
    change = oddseam.Offset("cylinder (50, 50, 99.9) (50, 50, 100.1) 12", -2.0)
    oddseam.morph(cube(12, kind), change)  # warm
    for n in (20, 40, 58, 78, 99):
        mesh = cube(n, kind)
        start = time.perf_counter()
        new = oddseam.morph(mesh, change, reach=reach)
        seconds = time.perf_counter() - start
        moved = int((new.nodes != mesh.nodes).any(axis=1).sum())
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        print(
            f"{mesh.n_nodes:>9,} nodes, {moved:>9,} moved, {seconds:6.1f} s, {1e6 * seconds / moved:6.1f} us each, "
            f"{memory:.2f} GB"
        )


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "tet", float(sys.argv[2]) if len(sys.argv) > 2 else np.inf)
