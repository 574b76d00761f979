"""Writing a mesh file, whole or not at all."""

from __future__ import annotations

import tempfile
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddseam.errors import Refusal
from oddseam.formats.decks import PLAIN, Care
from oddseam.formats.losses import Dangling, Remarks
from oddseam.formats.read_mesh import read_mesh
from oddseam.formats.registry import Format, format_named, format_of
from oddseam.inputs import checked
from oddseam.model import Mesh
from oddseam.model.prove import prove
from oddseam.progress import Progress, silent


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


@checked
def write_mesh(
    mesh: Mesh,
    path: str | Path,
    *,
    format: str | None = None,
    carry_loads: bool = False,
    trim_references: bool = False,
    progress: Progress = silent,
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
    progress : callable, optional

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
