"""CGNS (AIAA standard, HDF5): unstructured zones with named boundaries and their kinds.

Sections become parts; what a boundary condition covers becomes a part with its name and kind.
Links to other files are not followed.  Files are written with version stamp 3.4.
"""

from oddseam.formats.cgns.read_cgns import read, recognises
from oddseam.formats.cgns.write_cgns import rounded, write

__all__ = ["read", "recognises", "rounded", "write"]
