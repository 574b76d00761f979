"""What reading and surveying an STL costs, against the number of facets; each size in a process of its own."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from remesh import torus

import oddseam


def measure(path: Path) -> None:
    """Read and survey one file, after a small one that loads the kernels, and print a row."""
    oddseam.survey(oddseam.read_mesh(path.with_name("small.stl")))
    start = time.perf_counter()
    mesh = oddseam.read_mesh(path)
    read = time.perf_counter() - start
    oddseam.survey(mesh)
    total = time.perf_counter() - start
    # of this process alone; what getrusage says begins with the size of the parent
    status = Path("/proc/self/status").read_text(encoding="ascii")
    peak = int(re.search(r"VmHWM:\s+(\d+)", status)[1]) / 1024
    print(
        f"{len(mesh.faces):>10,} {path.stat().st_size / 1e6:>6.1f} {read:>7.2f} {total - read:>7.2f} "
        f"{1e6 * total / len(mesh.faces):>9.2f} {peak:>8.0f}",
        flush=True,
    )


def main() -> None:
    """Print the table; ``--large`` adds ten million facets."""
    print(f"{'facets':>10} {'MB':>6} {'read':>7} {'survey':>7} {'us/facet':>9} {'peak MB':>8}", flush=True)
    with tempfile.TemporaryDirectory() as folder:
        oddseam.write_mesh(oddseam.Mesh.from_triangles(*torus(3000)), Path(folder, "small.stl"))
        for facets in (10_000, 100_000, 1_000_000, *([10_000_000] if "--large" in sys.argv else [])):
            path = Path(folder, "torus.stl")
            oddseam.write_mesh(oddseam.Mesh.from_triangles(*torus(facets)), path)
            subprocess.run([sys.executable, __file__, "--one", path], check=True)


if __name__ == "__main__":
    measure(Path(sys.argv[2])) if sys.argv[1:2] == ["--one"] else main()
