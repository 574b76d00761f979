"""The formats, chosen by content first and suffix second."""

from __future__ import annotations

import logging
import tempfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import FormatError, MeshError, Refusal
from oddseam.formats import cgns, gltf, keyword, nastran, obj, off, ply, seam, stl, threemf, vtu
from oddseam.formats.decks import PLAIN, Care
from oddseam.formats.files import DAMAGE, Data, damaged, opened
from oddseam.formats.losses import Dangling, Remarks
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.model.proof import prove
from oddseam.model.units import Unit

logger = logging.getLogger(__name__)


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


@dataclass(frozen=True)
class Written:
    """What :func:`write_mesh` did.

    Attributes
    ----------
    path, format : str
    lost, converted, carried, listed : tuple of str
        What the file does not hold; holds in another form; what was taken over from what is gone to what came in its
        place; and what is to be looked at, such as cards that refer to what is gone.
    dangling : tuple of Dangling
        The cards that refer to what is gone, name by name, with all ids and lines.
    broken : tuple of str
        What was so of the mesh and is not so of the file, because of rounding.
    largest_rounding : float
        Largest distance between a node and where the file puts it.
    """

    path: str
    format: str
    lost: tuple[str, ...]
    converted: tuple[str, ...]
    carried: tuple[str, ...]
    listed: tuple[str, ...]
    dangling: tuple[Dangling, ...]
    broken: tuple[str, ...]
    largest_rounding: float


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


@checked
def read_mesh(path: str | Path, *, unit: Unit | None = None) -> Mesh:
    """Read a mesh file.

    The format is told from the content, whatever the file is called.  Facets without
    connectivity (STL) are joined where their coordinates are equal to the last bit.

    Parameters
    ----------
    path : str or Path
    unit : str, optional
        Unit of length of a file that does not say; unknown otherwise.

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
        except MeshError as error:
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


@checked
def write_mesh(
    mesh: Mesh,
    path: str | Path,
    *,
    format: str | None = None,
    carry_loads: bool = False,
    trim_references: bool = False,
) -> Written:
    """Write a mesh file, whole or not at all.

    Parameters
    ----------
    mesh : Mesh
    path : str or Path
        The suffix chooses the format, unless ``format`` names one.
    format : str, optional
        Name of the format, such as ``"stl"``, or ``"stl-text"``, which no suffix stands for.
    carry_loads : bool
        Whether pressures of a deck are carried over to the new elements that lie where loaded ones were, instead of
        only being listed.
    trim_references : bool
        Whether what cards of a deck name that is gone is taken out of them: lists get shorter, cards of which nothing
        is left to act on are dropped, sets get what came in the place of what is gone.

    Returns
    -------
    Written
        With what the format cannot hold, and what its rounding broke.

    Raises
    ------
    Refusal
        If a reader of the file would refuse it, such as a deck without thickness.
    FormatError
        If it cannot be written there.

    Examples
    --------
    >>> import oddseam, pathlib, tempfile
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> written = oddseam.write_mesh(corner, pathlib.Path(tempfile.mkdtemp(), "corner.stl"))
    >>> written.lost
    ('the unit (mm)',)
    """
    path = Path(path)
    fmt = format_named(format or format_of(path))
    rounded = fmt.rounded(mesh)
    care = Care(carry_loads, trim_references)
    if care != PLAIN and fmt.write_deck is None:
        wish = "carry loads" if carry_loads else "trim references"
        why = "a working file keeps the deck as it was read, and both are done when a deck is written from it"
        raise Refusal(f"{path}: cannot {wish}; {why if fmt.name == 'seam' else f'{fmt.name} holds no cards'}")
    before = Remarks()
    if care != PLAIN and mesh.is_deck and mesh.source is not None and mesh.source.format != fmt.name:
        mesh = _taken_care_of(mesh, care, before)
    said = fmt.write(mesh, path) if fmt.write_deck is None else fmt.write_deck(mesh, path, care)
    said.carried += before.carried
    said.lost += before.lost
    said.listed += before.listed
    said.lost += _cards_left(mesh, fmt, said)
    move = 0.0
    broken: tuple[str, ...] = ()
    if rounded is not mesh:
        move = _largest_rounding(mesh, rounded)
    if move > 0:
        broken = tuple(prove(rounded).worse_than(prove(mesh)))
    lost, converted, carried, listed = (tuple(its) for its in (said.lost, said.converted, said.carried, said.listed))
    return Written(str(path), fmt.name, lost, converted, carried, listed, tuple(said.dangling), broken, move)


def _taken_care_of(mesh: Mesh, care: Care, said: Remarks) -> Mesh:
    """The mesh with its deck as that would be written with care, for another deck to be made of it."""
    assert mesh.source is not None
    its = format_named(mesh.source.format)
    assert its.write_deck is not None
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, mesh.source.name)
        told = its.write_deck(mesh, path, care)
        said.carried, said.lost, said.listed = told.carried, told.lost, told.listed
        source = read_mesh(path).source
    return mesh.replaced(source=source)


def _cards_left(mesh: Mesh, fmt: Format, said: Remarks) -> list[str]:
    """What a deck carries that another format does not get."""
    source = mesh.source
    if source is None or source.records is None or fmt.name in (source.format, "seam"):
        return []
    left = Counter(source.carried)
    left.subtract(said.taken)
    cards = ", ".join(f"{count:,} {name}" for name, count in sorted((+left).items()))
    found = [f"what {source.name} carries: {cards}"] if cards else []
    framed = int((source.records.node_frame > 0).sum())
    if framed:
        found.append(f"frames of {framed:,} nodes, which are given in the basic one")
    return found


def _largest_rounding(mesh: Mesh, rounded: Mesh) -> float:
    one, two = mesh.triangulation.triangles, rounded.triangulation.triangles
    if len(one) == 0 or one.shape != two.shape:
        return 0.0
    return float(np.linalg.norm(mesh.nodes[one] - rounded.nodes[two], axis=2).max())
