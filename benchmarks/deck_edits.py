"""Cost of editing a deck with a pressure on every element: python benchmarks/deck_edits.py [ALONG A SIDE ...]."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import oddseam


def deck(n: int) -> str:
    """A panel of n by n quads, held along a side."""
    lines = ["SOL 101", "CEND", "SPC = 1", "LOAD = 2", "BEGIN BULK", "MAT1,1,210000.,,.3", "PSHELL,1,1,1."]
    lines += [
        f"GRID    {1 + i + j * (n + 1):<8}        {float(i):<8}{float(j):<8}0."
        for j in range(n + 1)
        for i in range(n + 1)
    ]
    for j in range(n):
        for i in range(n):
            a = 1 + i + j * (n + 1)
            lines.append(f"CQUAD4  {1 + i + j * n:<8}1       {a:<8}{a + 1:<8}{a + n + 2:<8}{a + n + 1:<8}")
    lines += [f"PLOAD4  2       {k:<8}0.1" for k in range(1, n * n + 1)]
    return "\n".join([*lines, f"SPC1,1,123456,1,THRU,{n + 1}", "ENDDATA", ""])


def measure(n: int, folder: Path) -> list[float]:
    """Seconds for reading, an opening, a box moved, and writing: plainly, with care, and as the other deck."""
    path = folder / "panel.bdf"
    path.write_text(deck(n))
    seconds = []

    def timed(run):
        start = time.perf_counter()
        result = run()
        seconds.append(time.perf_counter() - start)
        return result

    mesh = timed(lambda: oddseam.read_mesh(path, unit="mm"))
    middle = (n / 2 + 0.3, n / 2 + 0.2, 0.0)
    cut = timed(lambda: oddseam.cut(mesh, at=middle, diameter=6.0))
    timed(lambda: oddseam.refine(mesh, f"sphere ({n / 3}, {n / 3}, 0) 6", times=1))
    timed(lambda: oddseam.write_mesh(cut, folder / "plain.bdf"))
    timed(lambda: oddseam.write_mesh(cut, folder / "careful.bdf", carry_loads=True, trim_references=True))
    timed(lambda: oddseam.write_mesh(cut, folder / "other.inp"))
    return seconds


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as name:
        measure(20, Path(name))  # compiled and loaded
        print("| elements | read, s | cut, s | refine, s | write, s | with care, s | as keywords, s |")
        print("|---:|---:|---:|---:|---:|---:|---:|")
        for size in [int(word) for word in sys.argv[1:]] or [100, 300, 600]:
            row = " | ".join(f"{value:.2f}" for value in measure(size, Path(name)))
            print(f"| {size * size:,} | {row} |")
