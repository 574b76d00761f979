"""Runs of vertices and triangles of a 3MF model, read in bulk beside the XML parser.

The parser sees everything else.  A run begins only where the parser itself has just seen the
element that holds it, and ends at the first element that is more than plain numbers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from oddseam.arrays import Array
from oddseam.compiled import announce

#: Elements read at once, and bytes that one of them may take.
_BATCH, _LONGEST = 1 << 16, 1 << 12


@dataclass(frozen=True)
class Run:
    """A kind of element that comes in runs, and the element that holds them."""

    holder: bytes
    opening: bytes
    names: tuple[bytes, ...]
    whole: bool

    def scan(self, text: bytes) -> tuple[Array, int]:
        """The numbers (k, n) of the plain elements that a text begins with, and where what follows begins.

        -1 stands for a number that is not there.

        Raises
        ------
        ValueError
            For a number that is none.
        """
        from oddseam.formats.kernels.threemf_scans import scan_elements

        announce(scan_elements)
        values, doubts = np.empty((_BATCH, len(self.names))), np.zeros((1024, 5), np.int64)
        longest = max(map(len, self.names))
        names = np.frombuffer(b"".join(name.ljust(longest, b"\0") for name in self.names), np.uint8)
        count, end = scan_elements(
            np.frombuffer(text, np.uint8), 0, np.frombuffer(self.opening, np.uint8),
            names.reshape(-1, longest), self.whole, values, doubts,
        )  # fmt: skip
        for row, which, start, stop, _ in doubts[: doubts[0, 4]].tolist():
            values[row, which] = float(text[start:stop].decode("latin-1"))
        return values[:count], int(end)


VERTICES = Run(b"<vertices>", b"<vertex", (b"x=", b"y=", b"z="), False)
TRIANGLES = Run(b"<triangles>", b"<triangle", (b"v1=", b"v2=", b"v3=", b"pid=", b"p1="), True)


def feed(
    chunks: Iterator[bytes],
    parse: Callable[[bytes], None],
    opened: Callable[[], str],
    take: Callable[[Run, Array], None],
) -> None:
    """Give a text to a parser, except for the runs in it.

    Parameters
    ----------
    chunks : iterator of bytes
    parse : callable
        Of the parser.
    opened : callable
        Name of the element that the parser has just seen the start of.
    take : callable
        Gets the numbers of a run.
    """
    text, run = b"", None
    for chunk in chunks:
        text += chunk
        while True:
            if run is None:
                found = [(text.find(one.holder), one) for one in (VERTICES, TRIANGLES)]
                at, following = min(((k, one) for k, one in found if k >= 0), default=(-1, None), key=lambda f: f[0])
                if following is None:
                    # the name may go on in the next chunk
                    keep = max(len(text) - len(TRIANGLES.holder), 0)
                    parse(text[:keep])
                    text = text[keep:]
                    break
                at += len(following.holder)
                parse(text[:at])
                text = text[at:]
                run = following if opened() == following.holder[1:-1].decode() else None
                continue
            values, end = run.scan(text)
            text = text[end:]
            if len(values):
                take(run, values)
            elif len(text) < _LONGEST and not text.startswith(b"</"):
                break  # an element may go on in the next chunk
            else:
                run = None
    parse(text)
