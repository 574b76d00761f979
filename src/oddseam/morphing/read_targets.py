"""Where nodes are to go, from a table."""

from __future__ import annotations

import csv
from pathlib import Path

from oddseam.arrays import Point
from oddseam.errors import FormatError
from oddseam.formats.csv_files import csv_file
from oddseam.inputs import checked
from oddseam.morphing.changes import (
    Targets,
)


@checked
def read_targets(path: str | Path) -> Targets:
    """Read where nodes are to go.

    Parameters
    ----------
    path : str or Path
        Comma-separated values with a first row of names: ``id``, ``x``, ``y``, ``z``.

    Raises
    ------
    FormatError
        With the line, if a value is not a number or a node occurs twice.

    Examples
    --------
    >>> import os, pathlib, tempfile, oddseam
    >>> table = pathlib.Path(tempfile.mkdtemp(), "targets.csv")
    >>> _ = table.write_text(f"id,x,y,z{os.linesep}17,1.5,0,2")
    >>> oddseam.read_targets(table)
    Targets(places={17: (1.5, 0.0, 2.0)})
    """
    path = Path(path)
    places: dict[int, Point] = {}
    with csv_file(path) as file:
        reader = csv.DictReader(file, skipinitialspace=True)
        names = [name.strip() for name in reader.fieldnames or ()]
        if names != ["id", "x", "y", "z"]:
            raise FormatError(str(path), "the columns have to be id, x, y and z", "line 1")
        reader.fieldnames = names
        for row in reader:
            line = f"line {reader.line_num}"
            try:
                node, xyz = int(row["id"]), (float(row["x"]), float(row["y"]), float(row["z"]))
            except (TypeError, ValueError):
                raise FormatError(str(path), "an id and three numbers are wanted", line) from None
            if node in places:
                raise FormatError(str(path), f"node {node} has a target already", line)
            places[node] = xyz
    if not places:
        raise FormatError(str(path), "holds no target", "line 1")
    return Targets(places)
