"""Opening files without surprises, and writing them whole or not at all."""

from __future__ import annotations

import mmap
import os
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO

from oddseam.errors import FormatError
from oddseam.parts_of_files import begin, finish

#: The bytes of a file: a memory map, or bytes.
Data = mmap.mmap | bytes


#: How the library of HDF5 begins when something cannot be had.
_CANNOT = re.compile(r"Unable to (?:synchronously )?[a-z ]+\((.+)\)")
#: Readers come upon damage by these where they do not look for it.
DAMAGE = (ValueError, TypeError, LookupError, ArithmeticError, AttributeError, EOFError)


def damaged(path: Path, error: Exception, place: str = "") -> FormatError:
    """What is said of content that a reader could make nothing of."""
    text = " ".join(str(error.args[0] if error.args else "").split())
    if isinstance(error, KeyError) and " " not in text:
        text = f"{text!r} is missing"
    elif isinstance(error, IndexError) or not text:
        text = "a number refers to something that is not there"
    said = _CANNOT.search(text)
    return FormatError(str(path), f"the content is damaged ({said[1] if said else text[:160]})", place)


@contextmanager
def opened(path: Path) -> Iterator[Data]:
    """The bytes of a file, mapped into memory; an empty file is refused."""
    try:
        with path.open("rb") as file:
            size = os.fstat(file.fileno()).st_size
            if not path.is_file():
                raise FormatError(str(path), "not a regular file")
            if size == 0:
                raise FormatError(str(path), "the file is empty")
            data = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
    except OSError as error:
        raise FormatError(str(path), _reason(error)) from error
    try:
        yield data
    finally:
        with suppress(BufferError):  # an array in a traceback may still look at it
            data.close()


def write_whole(path: Path, fill: Callable[[BinaryIO], None]) -> None:
    """Write a file through a temporary one beside it, so that the old one stays whole."""
    try:
        handle, name = begin(path)
    except OSError as error:
        raise FormatError(str(path), f"cannot be written: {_reason(error)}") from error
    try:
        with os.fdopen(handle, "wb") as file:
            fill(file)
            file.flush()
            os.fsync(file.fileno())
        mask = os.umask(0)
        os.umask(mask)
        os.chmod(name, 0o666 & ~mask)
        os.replace(name, path)
        finish(name)
    except BaseException as error:
        with suppress(OSError):
            os.unlink(name)
        finish(name)
        if isinstance(error, OSError):
            raise FormatError(str(path), f"cannot be written: {_reason(error)}") from error
        raise


def _reason(error: OSError) -> str:
    return (error.strerror or str(error)).lower()
