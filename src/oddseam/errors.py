"""The errors that Odd Seam raises on purpose.

Each message is one line: what happened, where, and what to do next.  Anything else that
escapes from the library is a defect of the library.
"""

from __future__ import annotations


class OddSeamError(Exception):
    """Base of every error that Odd Seam raises on purpose."""


class FormatError(OddSeamError):
    """A file cannot be read, or cannot be written, as what it claims to be.

    Parameters
    ----------
    path : str
        The file.
    reason : str
        What is wrong, in one line.
    place : str, optional
        Where in the file: ``"line 12"``, ``"byte 84"``, ``"facet 7"``.
    """

    def __init__(self, path: str, reason: str, place: str = "") -> None:
        self.path, self.reason, self.place = str(path), reason, place
        super().__init__(f"{path}: {place}: {reason}" if place else f"{path}: {reason}")

    def __reduce__(self) -> tuple[type[FormatError], tuple[str, str, str]]:
        return type(self), (self.path, self.reason, self.place)


class MeshError(OddSeamError):
    """Arrays that do not make a consistent mesh; the message names the index."""


class PickError(OddSeamError):
    """A described selection cannot be understood or selects nothing."""


class Refusal(OddSeamError):  # noqa: N818  (a refusal is not a failure)
    """An operation declines to do what was asked and leaves the mesh untouched."""


class BadArgument(Refusal, TypeError, ValueError):  # noqa: N818  (it is a refusal)
    """An argument is not what a function takes; the message names it, and says what is wanted."""
