"""VTK XML unstructured grids (``.vtu``): mixed elements with ids, parts and groups as arrays.

Read in all forms that the format allows: text, base64 and raw, inline and appended, either byte
order, 32- and 64-bit headers, plain, zlib and lzma.  Document types are refused.  Ids are the
arrays that the file names as its global ids; parts and groups are arrays of our own.
"""

from oddseam.formats.vtu.read_vtu import read, recognises
from oddseam.formats.vtu.write_vtu import rounded, write, write_text

__all__ = ["read", "recognises", "rounded", "write", "write_text"]
