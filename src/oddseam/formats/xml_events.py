"""XML as formats hold it: without document types and entities, every fault with its line."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import NoReturn
from xml.parsers import expat

from oddseam.errors import FormatError

#: Messages show so much of a word.
_SHOWN = 30
#: A whole number has no more digits than this.
_DIGITS = 18


class XmlReader:
    """Takes events of the standard parser; what it makes of them is for those who inherit.

    Parameters
    ----------
    path : Path
    name : str
        Of a part of the file, for messages.
    namespaces : bool
        Whether names of elements have that of their space before a bar.
    """

    def __init__(self, path: Path, name: str = "", *, namespaces: bool = False) -> None:
        self.path, self.name = path, name
        self.parser = expat.ParserCreate(namespace_separator="|" if namespaces else None)
        self.parser.buffer_text = True
        self.parser.StartElementHandler, self.parser.EndElementHandler = self.started, self.ended
        self.parser.CharacterDataHandler = self.said
        self.parser.StartDoctypeDeclHandler = self._refused

    def run(self, pieces: Iterable[bytes], feed: Callable[[Iterable[bytes]], None] | None = None) -> None:
        """Parse a text in pieces, or let ``feed`` give them to the parser.

        Raises
        ------
        FormatError
            If it is no sound XML, or an element is not as it should be.
        """
        try:
            if feed is None:
                for piece in pieces:
                    self.parser.Parse(piece)
            else:
                feed(pieces)
            self.parser.Parse(b"", True)
        except expat.ExpatError as error:
            self.fail(f"is not well-formed XML ({expat.ErrorString(error.code)})")
        except KeyError as error:
            self.fail(f"an element misses the attribute {error}")
        except LookupError as error:
            self.fail(f"is in an encoding that is not known ({str(error)[:_SHOWN]})")
        except (ValueError, OverflowError) as error:
            self.fail(f"an element is wrong: {' '.join(str(error).split())[:120]}")

    def fail(self, reason: str) -> NoReturn:
        """Refuse the file, with the line that the parser is at."""
        place = f"line {self.parser.CurrentLineNumber}"
        raise FormatError(str(self.path), reason, f"{self.name}, {place}" if self.name else place)

    def _refused(self, *_: object) -> None:
        self.fail("document types and entities are not allowed")

    def started(self, tag: str, attributes: dict[str, str]) -> None:
        """An element begins."""

    def ended(self, tag: str) -> None:
        """An element ends."""

    def said(self, text: str) -> None:
        """Text within an element."""


def whole(word: str, what: str = "") -> int:
    """A whole number in plain digits.

    Raises
    ------
    ValueError
        If it is none, or has more digits than a number that counts anything.
    """
    digits = word.strip().removeprefix("-")
    if not (digits.isascii() and digits.isdecimal() and len(digits) <= _DIGITS):
        raise ValueError(f"{what}{' ' if what else ''}{word[:_SHOWN]!r} is not a whole number")
    return int(word)


def whole_count(word: str, what: str = "") -> int:
    """A whole number that is not negative.

    Raises
    ------
    ValueError
        If it is none.
    """
    value = whole(word, what)
    if value < 0:
        raise ValueError(f"{what}{' ' if what else ''}{value} is negative")
    return value
