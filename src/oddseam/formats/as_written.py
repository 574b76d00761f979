"""Meshes as files of a format will hold them."""

from __future__ import annotations

from oddseam.formats.registry import format_named
from oddseam.inputs import checked
from oddseam.model import Mesh


@checked
def as_written(mesh: Mesh, format: str) -> Mesh:
    """The mesh as a file of this format will read it back: rounded, and joined where it joins.

    Examples
    --------
    >>> import oddseam
    >>> thin = oddseam.Mesh.from_triangles([[0, 0, 0], [1, 0, 0], [0, 0.1, 0]], [[0, 1, 2]])
    >>> float(oddseam.as_written(thin, "stl").nodes[:, 1].max())
    0.10000000149011612
    """
    return format_named(format).rounded(mesh)


def as_held(mesh: Mesh, target: str | None) -> Mesh:
    """The mesh as a file of the target format will hold it; itself without a target."""
    return mesh if target is None else as_written(mesh, target)
