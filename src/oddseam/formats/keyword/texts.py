"""Lines of a keyword deck: nodes, elements, sets, materials and sections."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from oddseam.arrays import Array
from oddseam.formats.decks import real_text
from oddseam.formats.keyword.keyword_elements import node_order, side_label
from oddseam.formats.losses import Remarks
from oddseam.model import Material, Mesh, Part

#: The solver reads the first twenty characters of a number.
WIDTH = 20
_ON_A_LINE = 16


def node_line(number: int, xyz: list[float]) -> str:
    """A node."""
    x, y, z = (real_text(value, WIDTH) for value in xyz)
    return f"{number}, {x}, {y}, {z}\n"


def id_row(values: Iterable[int]) -> str:
    """Numbers on as few lines as they take."""
    words = list(map(str, values))
    rows = [", ".join(words[k : k + _ON_A_LINE]) for k in range(0, len(words), _ON_A_LINE)]
    return ",\n".join(rows) + "\n"


def id_rows(ids: list[int]) -> Iterator[str]:
    """Members of a set, so many to a line."""
    yield from (id_row(ids[k : k + _ON_A_LINE]) for k in range(0, len(ids), _ON_A_LINE))


def element_lines(kind: str, number: int, nodes: list[int]) -> str:
    """An element, its nodes in our order."""
    order = node_order(kind, len(nodes))
    placed = [0] * len(nodes)
    for here, there in enumerate(order):
        placed[there] = nodes[here]
    return id_row([number, *placed])


def surface_lines(mesh: Mesh, name: str, pairs: Array, said: Remarks) -> Iterator[str]:
    """A group of sides (k, 2) as a surface of that name; edges of shells are said to be lost."""
    starts = np.cumsum([0, *(len(block) for block in mesh.elements.values())])
    kinds = [*mesh.elements]
    rows = [f"*SURFACE, NAME={name}, TYPE=ELEMENT\n"]
    for element, side in pairs.tolist():
        label = side_label(kinds[int(np.searchsorted(starts, element, side="right")) - 1], side)
        rows += [f"{mesh.element_ids[element]}, {label}\n"] if label else []
    if len(rows) <= len(pairs):
        said.lost.append(f"{len(pairs) + 1 - len(rows):,} edges of shells in the group of sides {name!r}")
    yield from rows if len(rows) > 1 else ()


def set_names(parts: Iterable[str]) -> dict[str, str]:
    """Set names that a deck allows, all different: no blanks, no commas, eighty characters."""
    names: dict[str, str] = {}
    for name in parts:
        plain = "".join(c if c.isalnum() or c in "_-." else "_" for c in name.upper())[:76] or "PART"
        plain = plain if plain[0].isalpha() else f"P_{plain}"[:76]
        number, unlike = 2, plain
        while unlike in names.values():
            unlike, number = f"{plain}_{number}", number + 1
        names[name] = unlike
    return names


def material_lines(name: str, material: Material) -> Iterator[str]:
    """A linear, isotropic material."""
    yield f"*MATERIAL, NAME={name}\n"
    if material.young is not None and material.poisson is not None:
        yield f"*ELASTIC\n{real_text(material.young, WIDTH)}, {real_text(material.poisson, WIDTH)}\n"
    if material.density is not None:
        yield f"*DENSITY\n{real_text(material.density, WIDTH)}\n"


def section_lines(name: str, material: str, part: Part, is_shell: bool) -> str:
    """What a set of elements is made of."""
    if is_shell:
        return f"*SHELL SECTION, ELSET={name}, MATERIAL={material}\n{real_text(part.thickness or 0.0, WIDTH)}\n"
    return f"*SOLID SECTION, ELSET={name}, MATERIAL={material}\n"
