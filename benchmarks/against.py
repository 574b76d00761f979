"""The warm call in one thread, from a mesh in memory to a proven mesh in memory, beside native programs.

The programs take a surface as ``.srf`` (``weld`` an STL) and print a line with ``total SECONDS s``.  Runs take turns,
and the least of several counts, since the machine is shared.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from beside import seconds_said, tori, torus, write_srf

import oddseam


def least_seconds(ours: Callable[[], object], native: Callable[[], float], rounds: int) -> tuple[float, float]:
    """The shortest of so many runs of each, in turns."""
    own, theirs = [], []
    for _ in range(rounds):
        theirs.append(native())
        start = time.perf_counter()
        ours()
        own.append(time.perf_counter() - start)
    return min(own), min(theirs)


def jobs(folder: Path, programs: Path, facets: int) -> dict[str, tuple[Callable[[], object], Callable[[], float]]]:
    """For every kind of work the call and the native run, on surfaces of about so many facets."""
    one, two = torus(facets), tori(facets)
    smooth_file, crossing_file, soup = (folder / name for name in ("torus.srf", "two.srf", "torus.stl"))
    write_srf(smooth_file, *one)
    write_srf(crossing_file, *two)
    oddseam.write_mesh(oddseam.Mesh.from_triangles(*one), soup)
    edges = one[0][one[1]] - one[0][np.roll(one[1], 1, axis=1)]
    mean = float(np.linalg.norm(edges, axis=2).mean())

    def fresh(surface: tuple[np.ndarray, np.ndarray]) -> oddseam.Mesh:
        return oddseam.Mesh.from_triangles(*surface)

    return {
        "read": (lambda: oddseam.read_mesh(soup), lambda: seconds_said(programs / "weld", soup)),
        "survey": (
            lambda: oddseam.survey(fresh(two), thin=False),
            lambda: seconds_said(programs / "selfx", crossing_file),
        ),
        "coarsen": (
            lambda: oddseam.coarsen(fresh(one), facets=facets // 10),
            lambda: seconds_said(programs / "coarsen", smooth_file, 0.1),
        ),
        "remesh": (
            lambda: oddseam.remesh(fresh(one), size=mean),
            lambda: seconds_said(programs / "remesh", smooth_file, 1, 11),
        ),
    }


def main() -> None:
    """Print a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("programs", type=Path, help="folder with weld, selfx, coarsen and remesh")
    parser.add_argument("--facets", type=int, nargs="+", default=[200_000, 1_000_000])
    parser.add_argument("--only", nargs="+", default=["read", "survey", "coarsen", "remesh"])
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--threads", default="1")
    chosen = parser.parse_args()
    os.environ["ODDSEAM_THREADS"] = chosen.threads
    print(f"{'work':8} {'facets':>10} {'ours, s':>8} {'native':>8} {'ratio':>6}")
    with tempfile.TemporaryDirectory() as place:
        for facets in (2000, *chosen.facets):  # the first loads the kernels
            for work, (ours, native) in jobs(Path(place), chosen.programs, facets).items():
                if work in chosen.only:
                    own, theirs = least_seconds(ours, native, chosen.rounds if facets > 2000 else 1)
                    if facets > 2000:
                        print(f"{work:8} {facets:10,} {own:8.2f} {theirs:8.2f} {own / theirs:6.2f}", flush=True)


if __name__ == "__main__":
    main()
