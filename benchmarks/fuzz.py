"""Damage small files of every format at random and read them: a mesh or one clear line, nothing else.

    python benchmarks/fuzz.py [--count 2000] [--seed 1] [FORMAT ...]

Damage: bytes changed, bits flipped, runs cut out, doubled or swapped, digits exchanged, the end cut off.
A read that takes more than ten seconds ends the run with the place where it hangs.
"""

from __future__ import annotations

import argparse
import faulthandler
import random
import tempfile
import time
from pathlib import Path

import numpy as np

import oddseam
from oddseam.formats.registry import FORMATS


def sample() -> oddseam.Mesh:
    """Solids, shells and a line in three parts, with ids, groups and a material."""
    nodes = np.array([[x, y, z] for z in (0, 1, 2) for y in (0, 1) for x in (0, 1)], float)
    cube = [0, 1, 3, 2, 4, 5, 7, 6]
    steel = oddseam.Material(1, 2.1e5, 0.3, 7.85e-9)
    parts = (
        oddseam.Part("bulk", 1, material=steel),
        oddseam.Part("skin", 2, "wall", 1.5, steel),
        oddseam.Part("rod", 3),
    )
    elements = {
        "line": oddseam.Elements([[8, 11]], [40], [2]),
        "tri": oddseam.Elements([[8, 9, 11], [8, 11, 10]], [7, 9], [1, 1]),
        "quad": oddseam.Elements([[4, 5, 9, 8]], [11], [1]),
        "hex": oddseam.Elements([cube], [1], [0]),
    }
    groups = oddseam.Groups({"held": [0, 1]}, {"top": [1, 2]}, {"wet": [[4, 0]]})
    return oddseam.Mesh(nodes, elements, parts, np.arange(12) * 3 + 1, groups, unit="mm")


def damaged(whole: bytes, rng: random.Random) -> bytes:
    """The file with a little of everything done to it."""
    broken = bytearray(whole)
    for _ in range(rng.randint(1, 5)):
        at, n = rng.randrange(len(broken)), rng.randint(1, 12)
        match rng.randrange(7):
            case 0:
                broken[at] = rng.randrange(256)
            case 1:
                broken[at] ^= 1 << rng.randrange(8)
            case 2:
                del broken[at : at + n]
            case 3:
                broken[at:at] = broken[at : at + n]
            case 4:
                broken[at : at + 1] = rng.choice([b"9" * n, b"-", b",", b"\n", b"\\", b"#", b"e", b" ", b"$", b"*"])
            case 5:
                to = rng.randrange(len(broken))
                broken[at], broken[to] = broken[to], broken[at]
            case 6:
                broken[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\xff\xff\xff\x7f", b"\1\0\0\0"])
        broken = broken or bytearray(b"x")
    return bytes(broken[: rng.randrange(1, len(broken) + 1)] if rng.random() < 0.15 else broken)


def main() -> None:
    """Run."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("formats", nargs="*", metavar="FORMAT")
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    rng = random.Random(args.seed)
    with tempfile.TemporaryDirectory() as scratch:
        for fmt in FORMATS:
            if args.formats and fmt.name not in args.formats:
                continue
            path = Path(scratch) / f"file{(fmt.suffixes or ('.' + fmt.name.split('-')[0],))[0]}"
            oddseam.write_mesh(sample(), path, format=fmt.name)
            whole = path.read_bytes()
            read = refused = 0
            start = time.perf_counter()
            for _ in range(args.count):
                path.write_bytes(damaged(whole, rng))
                faulthandler.dump_traceback_later(10, exit=True)
                try:
                    mesh = oddseam.read_mesh(path)
                    assert np.isfinite(mesh.nodes).all()
                    read += 1
                except oddseam.OddSeamError as error:
                    assert "\n" not in str(error), str(error)
                    refused += 1
                faulthandler.cancel_dump_traceback_later()
            seconds = time.perf_counter() - start
            print(f"{fmt.name:<10} {read:>7,} read {refused:>7,} refused {seconds:6.1f} s", flush=True)


if __name__ == "__main__":
    main()
