"""The formats, chosen by content first and suffix second."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from oddseam.arrays import Array
from oddseam.errors import FormatError, Refusal
from oddseam.formats import cgns, gltf, keyword, nastran, obj, off, ply, seam, stl, threemf, vtu
from oddseam.formats.decks import Care
from oddseam.formats.files import Data
from oddseam.formats.losses import Remarks
from oddseam.model import Mesh


def _same_nodes(mesh: Mesh) -> Array:
    return mesh.nodes


@dataclass(frozen=True)
class Format:
    """One file format.

    ``recognises`` looks at the bytes; ``write`` returns what the format cannot hold;
    ``rounded`` gives the mesh as the format will read it back; ``held_nodes`` the coordinates
    alone; ``joins`` says whether nodes of equal coordinates become one; ``write_deck`` writes
    with care for what cards refer to.
    """

    name: str
    suffixes: tuple[str, ...]
    recognises: Callable[[Data], bool]
    read: Callable[[Path, Data], Mesh]
    write: Callable[[Mesh, Path], Remarks]
    rounded: Callable[[Mesh], Mesh]
    held_nodes: Callable[[Mesh], Array] = _same_nodes
    joins: bool = False
    write_deck: Callable[[Mesh, Path, Care], Remarks] | None = None


#: In the order in which their content is looked at.
FORMATS = (
    Format("seam", (".seam",), seam.recognises, seam.read, seam.write, seam.rounded),
    Format("stl", (".stl",), stl.recognises, stl.read, stl.write, stl.rounded, stl.held_nodes, True),
    Format("stl-text", (), lambda data: False, stl.read, stl.write_text, stl.rounded_text, joins=True),
    Format("ply", (".ply",), ply.recognises, ply.read, ply.write, ply.rounded),
    Format("ply-text", (), lambda data: False, ply.read, ply.write_text, ply.rounded),
    Format("off", (".off",), off.recognises, off.read, off.write, off.rounded),
    Format("obj", (".obj",), obj.recognises, obj.read, obj.write, obj.rounded),
    Format("3mf", (".3mf",), threemf.recognises, threemf.read, threemf.write, threemf.rounded),
    Format("gltf", (".glb",), gltf.recognises, gltf.read, gltf.write, gltf.rounded),
    Format("vtu", (".vtu",), vtu.recognises, vtu.read, vtu.write, vtu.rounded),
    Format("vtu-text", (), lambda data: False, vtu.read, vtu.write_text, vtu.rounded),
    Format("cgns", (".cgns",), cgns.recognises, cgns.read, cgns.write, cgns.rounded),
    Format(
        "keyword", (".inp",), keyword.recognises, keyword.read, keyword.write, keyword.rounded, write_deck=keyword.write
    ),
    Format(
        "nastran",
        (".bdf", ".nas", ".dat"),
        nastran.recognises,
        nastran.read,
        nastran.write,
        nastran.rounded,
        write_deck=nastran.write,
    ),
)


def format_named(name: str) -> Format:
    """The format of that name."""
    for fmt in FORMATS:
        if fmt.name == name:
            return fmt
    raise Refusal(f"format {name!r} is not known; formats are {', '.join(f.name for f in FORMATS)}")


def format_of(path: str | Path) -> str:
    """Name of the format that a file name's suffix stands for."""
    suffix = Path(path).suffix.lower()
    for fmt in FORMATS:
        if suffix in fmt.suffixes:
            return fmt.name
    known = ", ".join(s for f in FORMATS for s in f.suffixes)
    raise FormatError(str(path), f"the suffix {suffix!r} names no format that can be written ({known})")
