"""Files of comma-separated values, opened so that what is wrong with them is said with their name."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

from oddseam.errors import FormatError


@contextmanager
def csv_file(path: Path) -> Iterator[TextIO]:
    """Open a file to be read as a table.

    Raises
    ------
    FormatError
        If it cannot be read, or what is read of it is no table.
    """
    try:
        with path.open(newline="", encoding="utf-8-sig") as file:
            yield file
    except OSError as error:
        raise FormatError(str(path), f"cannot be read: {error.strerror}") from error
    except (UnicodeDecodeError, csv.Error) as error:
        raise FormatError(str(path), "is no table of comma-separated values") from error
