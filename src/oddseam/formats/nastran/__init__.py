"""NASTRAN bulk data, the public deck format.

GRID, shell, solid and line elements, PSHELL, PCOMP, MAT1 and the coordinate frames are
interpreted; every other line is carried and written back as it stood, and listed where it refers
to a node or an element that is gone.  Identifiers are kept.
"""

from __future__ import annotations

import re

from oddseam.formats.files import Data
from oddseam.formats.loads import READERS
from oddseam.formats.nastran.bulk_loads import read_loads
from oddseam.formats.nastran.bulk_references import find_references
from oddseam.formats.nastran.points import rounded
from oddseam.formats.nastran.read_bulk import read
from oddseam.formats.nastran.write_bulk import write
from oddseam.model.source import FINDERS

__all__ = ["read", "recognises", "rounded", "write"]

FINDERS["nastran"] = find_references
READERS["nastran"] = read_loads

_SIGNS = re.compile(
    rb"^\s*(BEGIN\s+BULK|GRID\*?[ ,\t*]|ENDDATA|CEND|SOL[ \t]|"
    rb"C(TRIA[36R]|QUAD[48R]|TETRA|HEXA|PENTA|PYRAM|BAR|BEAM|ROD|ONROD)[ ,\t*])",
    re.IGNORECASE | re.MULTILINE,
)


def recognises(data: Data) -> bool:
    """A text in whose first quarter megabyte a line begins like one of a deck."""
    head = data[: 1 << 18]
    return b"\0" not in head and _SIGNS.search(head) is not None
