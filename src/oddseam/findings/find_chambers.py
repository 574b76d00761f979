"""Chambers: the closed volumes that a surface makes, how they nest, and which one holds a point.

Facets are cut along one another where they meet (exactly, see ``geometry.arrangement``), and the
cells into which they cut space are found from the order of the facets round every edge (see
``geometry.cells``).  What hangs together makes its own cells; such a complex lies in the smallest
cell of the others that winds about it.  Which way facets look plays no part in what is closed.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.geometry.exact.arrangement import arrange
from oddseam.geometry.trees.windings import SpaceCells, space_cells
from oddseam.geometry.triangles import areas, winding_number
from oddseam.inputs import PointsLike, checked
from oddseam.markup import html_table
from oddseam.model import Mesh
from oddseam.progress import Progress, silent

if TYPE_CHECKING:
    import pandas as pd

#: A chamber thinner than this share of the coordinates is what rounding left between walls, and none.
_UNSURE = 64 * 2.0**-52
#: A point about which a chamber winds neither nearly once nor nearly not lies on its wall.
_ON_WALL = 0.01


@dataclass(frozen=True)
class Chamber:
    """A closed volume.

    Attributes
    ----------
    number : int
        From 1 on, the largest first.
    kind : str
        ``"solid"`` if the facets round it look away from it, ``"cavity"`` if they look into it, and
        ``"mixed"`` if some do this and some that.
    volume : float
        Without what lies within it.
    inside : int
        Number of the chamber that it lies in, with walls of its own; 0 outside of all.
    beside : tuple of int
        Chambers on the other side of its walls, 0 for the outside.
    parts : tuple of str
        Parts that its walls belong to.
    facets : int
        Facets round it, as they are cut where they meet.
    low, high : (x, y, z)
        Its box.
    """

    number: int
    kind: str
    volume: float
    inside: int
    beside: tuple[int, ...]
    parts: tuple[str, ...]
    facets: int
    low: tuple[float, float, float]
    high: tuple[float, float, float]


@dataclass(frozen=True)
class Chambers:
    """All chambers of a mesh.

    Attributes
    ----------
    rows : tuple of Chamber
    held : tuple of int or None
        For every point asked for the number of the chamber that holds it, 0 outside, ``None`` on a wall.
    unit : str or None
    """

    rows: tuple[Chamber, ...]
    held: tuple[int | None, ...]
    unit: str | None

    def to_dict(self) -> dict[str, Any]:
        """Plain values, ready for JSON."""
        return {"unit": self.unit, "chambers": [asdict(row) for row in self.rows], "held": list(self.held)}

    def frame(self) -> pd.DataFrame:
        """One row for each chamber."""
        import pandas as pd

        return pd.DataFrame([asdict(row) for row in self.rows], columns=list(Chamber.__dataclass_fields__))

    def _repr_html_(self) -> str:
        head = ("chamber", "kind", "volume", "inside", "beside", "parts", "facets")
        rows = [(r.number, r.kind, f"{r.volume:.6g}", r.inside, r.beside, r.parts, r.facets) for r in self.rows]
        return html_table(f"chambers, volumes in {self.unit or 'unknown units'}³", head, rows)


@checked
def find_chambers(mesh: Mesh, *, inside: PointsLike = (), progress: Progress = silent) -> Chambers:
    """Find the closed volumes that the shells of a mesh make.

    Parameters
    ----------
    mesh : Mesh
        Shell elements in any state; they may cross, look any way, and be open.
    inside : sequence of (x, y, z)
        Points: the result says which chamber holds each.
    progress : callable, optional

    Returns
    -------
    Chambers

    Raises
    ------
    Refusal
        If the mesh has no shell elements.

    Notes
    -----
    O(n log n), and a time that grows with the number of pairs that cross; O(n) for each point.

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [6, 0, 0], [0, 1, 0], [0, 0, 1]]
    >>> wedge = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> found = oddseam.find_chambers(wedge, inside=[(0.1, 0.1, 0.1), (9, 9, 9)])
    >>> found.rows[0].kind, round(found.rows[0].volume, 9), found.held
    ('solid', 1.0, (1, 0))
    """
    if not len(mesh.faces):
        raise Refusal(
            "the mesh has no shell elements that could enclose anything; `oddseam skin` takes those of solids"
        )
    t = mesh.triangulation
    rows = np.setdiff1d(np.arange(len(t.triangles)), mesh.degenerate_triangles)
    cut = arrange(mesh.nodes, t.triangles[rows])
    space = _Space(cut.points, cut.triangles, space_cells(cut.points, cut.triangles, cut.places, cancel=False))
    element = t.element[rows[cut.origin[space.cells.row]]]
    return Chambers(
        tuple(space.described(mesh, element)), tuple(space.holder(np.array(p, float)) for p in inside), mesh.unit
    )  # fmt: skip


class _Space:
    """Cells, numbered as chambers."""

    def __init__(self, points: Array, triangles: Array, cells: SpaceCells) -> None:
        self.cells = cells
        self._corners = points[triangles[cells.row]]
        count = len(cells.content)
        is_inner = np.ones(count, bool)
        is_inner[cells.outermost] = False
        self._inner = np.flatnonzero(is_inner)
        self._inner = self._inner[np.argsort(cells.content[self._inner], kind="stable")]
        self._walls = self._sides()
        self.parent = [self._parent(k) for k in range(len(cells.outermost))]
        volume = cells.content.copy()
        for k, cell in enumerate(self.parent):
            if cell >= 0:
                volume[cell] += cells.content[cells.outermost[k]]  # which is below zero
        self.volume = volume
        size = np.array([areas(self._walls[k][0]).sum() for k in self._inner.tolist()])
        is_real = volume[self._inner] > _UNSURE * float(np.abs(points).max(initial=0.0)) * size
        order = self._inner[is_real][np.argsort(-volume[self._inner][is_real], kind="stable")]
        self.number = np.zeros(count, np.int64)
        self.number[order] = np.arange(1, len(order) + 1)
        for k, cell in enumerate(self.parent):
            self.number[cells.outermost[k]] = self.number[cell] if cell >= 0 else 0
        self._order = order

    def _sides(self) -> dict[int, tuple[Array, Array, Array]]:
        """For every inner cell the triangles round it, looking out, and its box; membranes within it are none."""
        front, back = self.cells.cell.T
        between = np.flatnonzero(front != back)
        side = np.concatenate([back[between], front[between]])
        row = np.concatenate([between, between])
        turned = np.repeat([False, True], len(between))
        order = np.argsort(side, kind="stable")
        begin, end = np.searchsorted(side[order], self._inner), np.searchsorted(side[order], self._inner, "right")
        walls = {}
        for cell, low, high in zip(self._inner.tolist(), begin.tolist(), end.tolist(), strict=True):
            its = order[low:high]
            corners = np.where(turned[its, None, None], self._corners[row[its]][:, ::-1], self._corners[row[its]])
            walls[cell] = (corners, corners.min(axis=(0, 1)), corners.max(axis=(0, 1)))
        return walls

    def _winds(self, cell: int, point: Array) -> float:
        corners, low, high = self._walls[cell]
        return winding_number(point, corners) if ((low <= point) & (point <= high)).all() else 0.0

    def _parent(self, complex: int) -> int:
        """The smallest cell of the others that a complex lies in, or -1."""
        point = self._corners[np.argmax(self.cells.complex == complex)].mean(axis=0)
        mine = set(self.cells.cell[self.cells.complex == complex].ravel().tolist())
        return next((c for c in self._inner.tolist() if c not in mine and self._winds(c, point) > 0.5), -1)

    def holder(self, point: Array) -> int | None:
        """Number of the chamber that holds a point, 0 for none, ``None`` on a wall."""
        for cell in self._inner.tolist():  # the smallest first: what lies within another comes before it
            winds = self._winds(cell, point)
            if winds > 1.0 - _ON_WALL:
                return int(self.number[cell])
            if winds > _ON_WALL:
                return None
        return 0

    def described(self, mesh: Mesh, element: Array) -> list[Chamber]:
        """All chambers; ``element`` is that of every row of the cells."""
        front, back = self.cells.cell.T
        area = areas(self._corners)
        found = []
        names = [part.name for part in mesh.parts]
        complex_of = np.zeros(len(self.cells.content), np.int64)
        complex_of[self.cells.cell] = self.cells.complex[:, None]
        for number, cell in enumerate(self._order.tolist(), start=1):
            looks_in, looks_out = (front == cell) & (back != cell), (back == cell) & (front != cell)
            share = area[looks_out].sum() / area[looks_in | looks_out].sum()
            kind = "solid" if share > 0.99 else "cavity" if share < 0.01 else "mixed"
            its = np.flatnonzero(looks_in | looks_out)
            beside = self.number[np.concatenate([front[looks_out], back[looks_in]])]
            parts = np.unique(mesh.element_part[element[its]])
            holder = self.parent[int(complex_of[cell])]
            _, low, high = self._walls[cell]
            found.append(
                Chamber(
                    number, kind, float(self.volume[cell]), int(self.number[holder]) if holder >= 0 else 0,
                    tuple(np.unique(beside).tolist()), tuple(names[p] for p in parts.tolist()), len(its),
                    tuple(low.tolist()), tuple(high.tolist()),
                )
            )  # fmt: skip
        return found
