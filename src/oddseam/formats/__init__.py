"""Reading and writing mesh files: one file per format, chosen by content first."""

from oddseam.formats.as_written import as_held, as_written
from oddseam.formats.read_mesh import read_mesh
from oddseam.formats.registry import format_named, format_of
from oddseam.formats.write_mesh import Written, write_mesh

__all__ = [
    "Written",
    "as_held",
    "as_written",
    "format_named",
    "format_of",
    "read_mesh",
    "write_mesh",
]
