"""Reading and writing mesh files: one file per format, chosen by content first."""

from oddseam.formats.registry import (
    Written,
    as_held,
    as_written,
    format_named,
    format_of,
    read_mesh,
    write_mesh,
)

__all__ = [
    "Written",
    "as_held",
    "as_written",
    "format_named",
    "format_of",
    "read_mesh",
    "write_mesh",
]
