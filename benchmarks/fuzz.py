"""Damage small files of every format at random and read them: a mesh or one clear line, nothing else.

    python benchmarks/fuzz.py [--count 2000] [--seed 1] [FORMAT ...]

Damage: bytes changed, bits flipped, runs cut out, doubled or swapped, digits exchanged, the end cut off; and with
an eye for the structure: numbers, names and encodings put in the place of others, lines doubled and dropped, members
of containers damaged and packed again, lengths of chunks kept right, other suffixes.  Memory is limited.  A read that
takes more than twenty seconds ends the run with the place where it hangs.
"""

from __future__ import annotations

import argparse
import faulthandler
import io
import random
import re
import resource
import tempfile
import time
import traceback
import zipfile
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


#: What stands in the place of a number.
_NUMBERS = (
    b"9" * 4400, b"1e999", "\u00b2\u00b3".encode(), b"-5", b"0x10", b"1_000", b"9" * 20, b"nan", b"-inf", b"", b"0",
    b"4294967295", b"2147483648", b"1.5", b"9223372036854775807", "\u0663".encode(), b"1e5",
)  # fmt: skip
_ENCODINGS = (b"klingon", b"utf-16", b"latin-1", b"ascii", b"cp037", b"", b"utf-7")
_BLANKS = (b"\xc2\xa0", b"\xe2\x80\x83", b"\t", b"  ", b"\x0b", b"\x00", b"")


def restructured(whole: bytes, rng: random.Random) -> bytes:
    """The file with its structure damaged: words, lines, members of a container."""
    if whole[:2] == b"PK":
        return _repacked(whole, rng)
    if whole[:4] == b"glTF":
        return _rechunked(whole, rng)
    for _ in range(rng.randint(1, 3)):
        whole = _reworded(whole, rng)
    return whole


def _reworded(text: bytes, rng: random.Random) -> bytes:
    pattern, others = rng.choice([
        (rb"-?\d+(?:\.\d*)?(?:[eE][-+]?\d+)?", _NUMBERS), (rb"encoding=\"[^\"]*\"", None), (rb" ", _BLANKS),
        (rb"[^\n]*\n", None), (rb"[A-Za-z_]{3,}", None),
    ])  # fmt: skip
    found = [match.span() for match in re.finditer(pattern, text)]
    if not found:
        return text
    start, end = rng.choice(found)
    if others is not None:
        new = rng.choice(others)
    elif pattern.startswith(rb"enc"):
        new = b'encoding="%s"' % rng.choice(_ENCODINGS)
    else:  # another word or line of the file, twice the same, or none
        a, b = rng.choice(found)
        new = rng.choice([text[a:b], text[start:end] * 2, b""])
    return text[:start] + new + text[end:]


def _repacked(whole: bytes, rng: random.Random) -> bytes:
    with zipfile.ZipFile(io.BytesIO(whole)) as old:
        members = [(info, old.read(info)) for info in old.infolist()]
    chosen = rng.randrange(len(members))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as new:
        for k, (info, content) in enumerate(members):
            spoilt = rng.choice([damaged, _reworded])(content, rng) if k == chosen else content
            if k != chosen or rng.random() > 0.05:
                new.writestr(info, spoilt)
    return out.getvalue()


def _rechunked(whole: bytes, rng: random.Random) -> bytes:
    size = int.from_bytes(whole[12:16], "little")
    text, rest = whole[20 : 20 + size], whole[20 + size :]
    for _ in range(rng.randint(1, 2)):
        text = _reworded(text, rng)
    text += b" " * (-len(text) % 4)
    body = len(text).to_bytes(4, "little") + whole[16:20] + text + rest
    return whole[:8] + (12 + len(body)).to_bytes(4, "little") + body


def main() -> None:
    """Run."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n\n")[0])
    parser.add_argument("formats", nargs="*", metavar="FORMAT")
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    rng = random.Random(args.seed)
    resource.setrlimit(resource.RLIMIT_DATA, (2 << 30, 2 << 30))
    suffixes = [suffix for fmt in FORMATS for suffix in fmt.suffixes]
    with tempfile.TemporaryDirectory() as scratch:
        for fmt in FORMATS:
            if args.formats and fmt.name not in args.formats:
                continue
            path = Path(scratch) / f"file{(fmt.suffixes or ('.' + fmt.name.split('-')[0],))[0]}"
            oddseam.write_mesh(sample(), path, format=fmt.name)
            whole = path.read_bytes()
            read = refused = netted = broke = 0
            start = time.perf_counter()
            for _ in range(args.count):
                broken = (damaged if rng.random() < 0.5 else restructured)(whole, rng)
                named = path if rng.random() < 0.95 else path.with_suffix(rng.choice(suffixes))
                named.write_bytes(broken)
                (Path(scratch) / "last").write_bytes(broken)
                faulthandler.dump_traceback_later(20, exit=True)
                try:
                    mesh = oddseam.read_mesh(named)
                    assert np.isfinite(mesh.nodes).all()
                    read += 1
                except oddseam.OddSeamError as error:
                    refused += 1
                    netted += "content is damaged (" in str(error)
                    broke += "\n" in str(error)
                except Exception:
                    broke += 1
                    traceback.print_exc(limit=-2)
                faulthandler.cancel_dump_traceback_later()
            seconds = time.perf_counter() - start
            print(f"{fmt.name:<10} {read:>7,} read {refused:>7,} refused ({netted:,} in general words) {broke:,} broke "
                  f"{seconds:6.1f} s", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
