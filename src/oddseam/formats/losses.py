"""What is to be said of a mesh that is written: what its format cannot hold, in the same words for all formats."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

import numpy as np

from oddseam.arrays import listed, runs_text
from oddseam.errors import FormatError
from oddseam.model import KINDS, Mesh
from oddseam.model.skin import has_solids
from oddseam.model.units import METRES

if TYPE_CHECKING:
    from oddseam.formats.loads import Loads


@dataclass(frozen=True)
class Dangling:
    """Cards of one name that refer to what is gone.

    Attributes
    ----------
    card : str
        Its name; a keyword with its star.
    count : int
        Number of cards, or of lines under a keyword.
    what : str
        ``"node"`` or ``"element"``.
    ids : tuple of int
        All that are gone and named, ascending.
    lines : tuple of int
        Lines of the deck, with what it includes, as it was read; counted from 1.
    """

    card: str
    count: int
    what: str
    ids: tuple[int, ...]
    lines: tuple[int, ...]

    def __str__(self) -> str:
        word = "line" if self.card.startswith("*") else "card"
        if self.count == 1:
            its = f"1 {self.card} {word} (line {self.lines[0]}), written as it was, refers"
        else:
            its = f"{self.count:,} {self.card} {word}s (lines {listed(self.lines)}), written as they were, refer"
        return f"{its} to {self.what}s that are gone: {runs_text(np.array(self.ids))}"


@dataclass
class Remarks:
    """What a writer says.

    Attributes
    ----------
    lost : list of str
        What the file does not hold.
    converted : list of str
        What it holds in another form.
    carried : list of str
        What was taken over from what is gone to what came in its place, or stands as it stood.
    listed : list of str
        What is to be looked at, such as what refers to elements that are gone.
    dangling : list of Dangling
        The cards that do, name by name.
    taken : Counter
        Cards of another deck that are in this one, by their names there.
    """

    lost: list[str] = field(default_factory=list)
    converted: list[str] = field(default_factory=list)
    carried: list[str] = field(default_factory=list)
    listed: list[str] = field(default_factory=list)
    dangling: list[Dangling] = field(default_factory=list)
    taken: Counter[str] = field(default_factory=Counter)

    def take(self, loads: Loads) -> None:
        """Say what of the loads of another deck is in this one."""
        self.taken += loads.taken
        self.lost += loads.left
        counts = ", ".join(f"{count:,} {name}" for name, count in sorted(loads.taken.items()))
        self.converted += [f"loads and constraints, to those of the other deck: {counts}"] if counts else []


def losses(
    mesh: Mesh,
    *,
    kinds: Collection[str],
    holds: Collection[str] = (),
    triangulated: bool = False,
) -> Remarks:
    """What is lost or converted, one line each.

    Parameters
    ----------
    mesh : Mesh
    kinds : collection of str
        Element kinds that are written as they are.
    holds : collection of str
        Which of "unit", "unit in a comment", "parts", "ids", "groups", "boundaries", "properties" the format holds.
    triangulated : bool
        Whether other shells are written as triangles; a quadratic element is otherwise written
        with its corners, where the linear kind is held.
    """
    said = Remarks()
    lost = said.lost
    if mesh.unit in METRES and "unit" not in holds:
        if "unit in a comment" in holds:
            said.converted.append(f"the unit ({mesh.unit}), to a comment")
        else:
            lost.append(f"the unit ({mesh.unit})")
    used = mesh.parts_used
    if len(used) > 1 and "parts" not in holds:
        lost.append(f"{len(used)} parts (written as one surface)")
    for name, block in mesh.elements.items():
        if name in kinds:
            continue
        kind = KINDS[name]
        what = f"{len(block):,} {name} elements"
        if kind.dimension == 2 and triangulated:
            said.converted.append(f"{what}, to triangles")
        elif kind.linear in kinds:
            said.converted.append(f"{what}, to {kind.linear} elements with their corners alone")
        else:
            lost.append(what + (", whose surface `oddseam skin` takes" if kind.dimension == 3 else ""))
    if "ids" not in holds and _are_ids_worth_keeping(mesh):
        lost.append("node and element ids")
    if len(mesh.groups) and "groups" not in holds:
        lost.append(f"{len(mesh.groups)} groups")
    if any(part.boundary for part in used) and "boundaries" not in holds:
        lost.append("boundary kinds")
    if any(part.thickness or part.material for part in used) and "properties" not in holds:
        lost.append("thickness and material of the parts")
    if mesh.creases is not None:
        lost.append("creases")
    if mesh.patches is not None:
        lost.append("patches")
    if len(mesh.account):
        lost.append("the account (keep a .seam file for that)")
    return said


def refuse_bare(mesh: Mesh, path: Path, lacks: str) -> NoReturn:
    """Refuse to write a mesh that lacks what a format is for; solids have a skin."""
    advice = "; `oddseam skin` takes the surface of its solids" if has_solids(mesh) else ""
    raise FormatError(str(path), f"the mesh has {lacks}{advice}")


def _are_ids_worth_keeping(mesh: Mesh) -> bool:
    """Whether ids came with a deck, or were given and do not simply count up."""
    if mesh.source is not None:
        return mesh.is_deck
    return any(len(ids) and (np.diff(ids) != 1).any() for ids in (mesh.node_ids, mesh.element_ids))
