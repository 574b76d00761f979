"""The keyword deck of CalculiX, an open-source solver (``.inp``).

Nodes, elements, sets, surfaces, sections and elastic materials are interpreted; every other line
is carried and written back as it stood, and listed where it refers to what is gone.
"""

from __future__ import annotations

import re

from oddseam.formats.files import Data
from oddseam.formats.keyword.keyword_loads import read_loads
from oddseam.formats.keyword.keyword_references import find_references
from oddseam.formats.keyword.read_keyword import read
from oddseam.formats.keyword.write_keyword import rounded, write
from oddseam.formats.loads import READERS
from oddseam.model.source import FINDERS

__all__ = ["read", "recognises", "rounded", "write"]

FINDERS["keyword"] = find_references
READERS["keyword"] = read_loads

_SIGNS = re.compile(rb"^[ \t]*\*(NODE|ELEMENT|HEADING|INCLUDE)[ \t]*(,|\r?$)", re.IGNORECASE | re.MULTILINE)


def recognises(data: Data) -> bool:
    """A text in whose first quarter megabyte a keyword stands that begins a model."""
    head = data[: 1 << 18]
    return b"\0" not in head and _SIGNS.search(head) is not None
