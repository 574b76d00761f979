"""Reading a mesh file, whatever it is called."""

from __future__ import annotations

import logging
from pathlib import Path

import numpy as np

from oddseam.errors import BadArgument, FormatError, MeshError, Refusal
from oddseam.formats.files import DAMAGE, damaged, opened
from oddseam.formats.registry import FORMATS
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.model.units import Unit
from oddseam.progress import Progress, silent

logger = logging.getLogger(__name__)


@checked
def read_mesh(path: str | Path, *, unit: Unit | None = None, progress: Progress = silent) -> Mesh:
    """Read a mesh file.

    The format is told from the content, whatever the file is called.  Facets without
    connectivity (STL) are joined where their coordinates are equal to the last bit.

    Parameters
    ----------
    path : str or Path
    unit : str, optional
        Unit of length of a file that does not say; unknown otherwise.
    progress : callable, optional

    Raises
    ------
    FormatError
        If the file cannot be read; one line with the place and the reason.

    Examples
    --------
    >>> import oddseam, pathlib, tempfile
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> path = pathlib.Path(tempfile.mkdtemp(), "corner.stl")
    >>> written = oddseam.write_mesh(corner, path)
    >>> oddseam.read_mesh(path, unit="mm")
    <Mesh: 4 nodes, 4 tri; 1 part(s); mm>
    """
    path = Path(path)
    with opened(path) as data:
        fmt = next((f for f in FORMATS if f.recognises(data)), None)
        if fmt is None:
            fmt = next((f for f in FORMATS if path.suffix.lower() in f.suffixes), None)
        if fmt is None:
            known = ", ".join(f.name for f in FORMATS if f.suffixes)
            raise FormatError(str(path), f"the content is of no format that is known here: {known}")
        try:
            with np.errstate(all="ignore"):  # what is not finite is refused when the mesh is made
                mesh = fmt.read(path, data)
        except (MeshError, BadArgument) as error:
            raise FormatError(str(path), str(error)) from error
        except RecursionError as error:
            raise FormatError(str(path), "nested too deeply") from error
        except MemoryError as error:
            raise FormatError(str(path), "there is not enough memory for what it holds") from error
        except DAMAGE as error:
            logger.debug("%s as %s", path, fmt.name, exc_info=True)
            raise damaged(path, error) from error
    if unit is not None and mesh.unit not in (None, unit):
        raise Refusal(f"{path}: the file says that its unit is {mesh.unit}, not {unit}")
    logger.info("read %s as %s: %r", path, fmt.name, mesh)
    return mesh if unit is None else mesh.replaced(unit=unit)
