"""The element kinds: how many nodes each has and which of them make its sides.

Local node numbers count from 0: corners first, then the midside nodes in the order of
``edges``.  Sides of solids are faces that look outward; a shell element has its two faces
(0 the positive one, 1 the negative one) and then its edges; a line has its two ends.
"""

from __future__ import annotations

from dataclasses import dataclass

_TRI_EDGES = ((0, 1), (1, 2), (2, 0))
_QUAD_EDGES = ((0, 1), (1, 2), (2, 3), (3, 0))


@dataclass(frozen=True)
class ElementKind:
    """One kind of element.

    Attributes
    ----------
    name : str
        Such as ``"tri"``; the quadratic one is ``"tri6"``.
    dimension : int
        0 point, 1 line, 2 shell, 3 solid.
    corners, size : int
        Number of corner nodes, and of all nodes.
    edges : tuple of (int, int)
        Corner pairs; a quadratic element has one midside node for each, in this order.
    sides : tuple of tuple of int
        Corners of every side.
    """

    name: str
    dimension: int
    corners: int
    size: int
    edges: tuple[tuple[int, int], ...]
    sides: tuple[tuple[int, ...], ...]

    @property
    def is_quadratic(self) -> bool:
        """Whether there are midside nodes."""
        return self.size > self.corners

    @property
    def linear(self) -> str:
        """The kind with the same corners and no midside nodes."""
        return self.name.rstrip("0123456789")


def _both_orders(
    name: str,
    dimension: int,
    corners: int,
    edges: tuple[tuple[int, int], ...],
    sides: tuple[tuple[int, ...], ...],
) -> list[ElementKind]:
    size = corners + len(edges)
    quadratic = ElementKind(f"{name}{size}", dimension, corners, size, edges, sides)
    return [ElementKind(name, dimension, corners, corners, edges, sides), quadratic]


_ALL = [
    ElementKind("point", 0, 1, 1, (), ((0,),)),
    *_both_orders("line", 1, 2, ((0, 1),), ((0,), (1,))),
    *_both_orders("tri", 2, 3, _TRI_EDGES, ((0, 1, 2), (0, 2, 1), *_TRI_EDGES)),
    *_both_orders("quad", 2, 4, _QUAD_EDGES, ((0, 1, 2, 3), (0, 3, 2, 1), *_QUAD_EDGES)),
    *_both_orders(
        "tet", 3, 4,
        (*_TRI_EDGES, (0, 3), (1, 3), (2, 3)),
        ((0, 2, 1), (0, 1, 3), (1, 2, 3), (2, 0, 3)),
    ),
    *_both_orders(
        "pyramid", 3, 5,
        (*_QUAD_EDGES, (0, 4), (1, 4), (2, 4), (3, 4)),
        ((0, 3, 2, 1), (0, 1, 4), (1, 2, 4), (2, 3, 4), (3, 0, 4)),
    ),
    *_both_orders(
        "wedge", 3, 6,
        (*_TRI_EDGES, (3, 4), (4, 5), (5, 3), (0, 3), (1, 4), (2, 5)),
        ((0, 2, 1), (3, 4, 5), (0, 1, 4, 3), (1, 2, 5, 4), (2, 0, 3, 5)),
    ),
    *_both_orders(
        "hex", 3, 8,
        (*_QUAD_EDGES, (4, 5), (5, 6), (6, 7), (7, 4), (0, 4), (1, 5), (2, 6), (3, 7)),
        ((0, 3, 2, 1), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)),
    ),
]  # fmt: skip

#: Every element kind by name, in the order in which a mesh keeps and numbers its elements.
KINDS: dict[str, ElementKind] = {kind.name: kind for kind in _ALL}
