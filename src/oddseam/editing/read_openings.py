"""Tables of openings: one row for each, as comma-separated values."""

from __future__ import annotations

import csv
from pathlib import Path
from typing import Any

from oddseam.errors import FormatError
from oddseam.formats.csv_files import csv_file
from oddseam.inputs import checked

_PLACES = {"at": ("x", "y", "z"), "direction": ("dx", "dy", "dz")}
_NUMBERS = ("diameter", "length", "width", "angle")
_COLUMNS = ("x", "y", "z", "dx", "dy", "dz", "kind", *_NUMBERS, "rim_nodes", "collars")


@checked
def read_openings(path: str | Path) -> list[dict[str, Any]]:
    """Read a table of openings.

    Parameters
    ----------
    path : str or Path
        Comma-separated values with a first row of names: ``x``, ``y``, ``z``, and any of ``dx``, ``dy``, ``dz`` (the
        direction), ``kind``, ``diameter``, ``length``, ``width``, ``angle``, ``rim_nodes``, and ``collars`` (widths
        with spaces between).  What is empty is left to ``cut``.

    Returns
    -------
    list of dict
        What ``cut`` takes, one for each row.

    Raises
    ------
    FormatError
        With the line, if a column is not known, or a value is not a number.

    Examples
    --------
    >>> import os, pathlib, tempfile, oddseam
    >>> table = pathlib.Path(tempfile.mkdtemp(), "holes.csv")
    >>> _ = table.write_text(f"x,y,z,diameter,collars{os.linesep}5,5,0,2.5,0.4 0.6")
    >>> oddseam.read_openings(table)
    [{'at': (5.0, 5.0, 0.0), 'diameter': 2.5, 'collars': [0.4, 0.6]}]
    """
    path = Path(path)
    with csv_file(path) as file:
        reader = csv.DictReader(file)
        names = [name.strip() for name in reader.fieldnames or ()]
        strange = [name for name in names if name not in _COLUMNS]
        missing = [name for name in "xyz" if name not in names]
        if strange or missing:
            reason = f"column {strange[0]!r} is not known" if strange else f"the column {missing[0]!r} is not there"
            may_be = ", ".join(_COLUMNS)
            raise FormatError(str(path), f"{reason}: x, y and z are needed, and columns may be {may_be}", "line 1")
        reader.fieldnames = names
        rows = [_row(path, reader.line_num, row) for row in reader]
    if not rows:
        raise FormatError(str(path), "holds no opening", "line 1")
    return rows


def _row(path: Path, line: int, row: dict[str, Any]) -> dict[str, Any]:
    if None in row or None in row.values():
        raise FormatError(str(path), "has more or fewer values than there are columns", f"line {line}")
    words = {name: value.strip() for name, value in row.items() if value.strip()}

    def number(name: str, word: str, what: type) -> Any:
        try:
            return what(word)
        except ValueError:
            raise FormatError(str(path), f"{name}: {word!r} is not a number", f"line {line}") from None

    found: dict[str, Any] = {}
    for key, names in _PLACES.items():
        given = [name for name in names if name in words]
        if given and len(given) < 3:
            raise FormatError(str(path), f"{', '.join(names)} go together", f"line {line}")
        if given:
            found[key] = tuple(number(name, words[name], float) for name in names)
    if "at" not in found:
        raise FormatError(str(path), "x, y and z are needed", f"line {line}")
    if "kind" in words:
        found["kind"] = words["kind"]
    found |= {name: number(name, words[name], float) for name in _NUMBERS if name in words}
    if "rim_nodes" in words:
        found["rim_nodes"] = number("rim_nodes", words["rim_nodes"], int)
    if "collars" in words:
        found["collars"] = [number("collars", word, float) for word in words["collars"].split()]
    return found
