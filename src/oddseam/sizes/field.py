"""The size field: a base size, zones, and sources from which the size grows."""

from __future__ import annotations

import dataclasses
import json
import zipfile
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from oddseam.arrays import Array, for_kernels
from oddseam.errors import FormatError, Refusal
from oddseam.formats.files import write_whole
from oddseam.geometry.threads import in_shares
from oddseam.geometry.trees.boxtree import boxes_in_order
from oddseam.sizes.zones import Body, Zone

#: Of sources closer to one another than this share of their size the smallest stands for all.
_APART = 0.25


def _nothing(*shape: int) -> Array:
    return np.zeros(shape)


@dataclass(frozen=True, eq=False)
class Counted:
    """A chain of edges, given by their ends (k, 2, 3), that is to have so many elements."""

    ends: Array
    elements: int


@dataclass(frozen=True, eq=False)
class SizeField:
    """The wanted edge length at any place.

    It is the least of the base size, of the sizes of zones, and of those of sources: points with a size.
    Away from a zone or a source the size grows with the distance, so that it nowhere changes faster than that.

    Parameters
    ----------
    base : float
        Largest size, in the unit of the mesh.
    gradation : float
        By how much the size grows, over the distance.
    zones : tuple of Zone
    points : (k, 3) float array
        Sources.
    sizes : (k,) float array
        Their sizes.
    bodies : tuple of Body
        Closed surfaces with a size inside.
    counted : tuple of Counted
        Creases and rims with a number of edges, which counts whatever the size there.

    Raises
    ------
    Refusal
        If a size or the gradation is not positive.

    Examples
    --------
    >>> import oddseam
    >>> field = oddseam.SizeField(4.0, gradation=0.5, zones=(oddseam.Zone("sphere", (0, 0, 0, 2), size=1.0),))
    >>> field.at([[0, 1, 0], [4, 0, 0], [100, 0, 0]])
    array([1., 2., 4.])
    """

    base: float
    gradation: float = 0.35
    zones: tuple[Zone, ...] = ()
    points: Array = field(default_factory=lambda: _nothing(0, 3))
    sizes: Array = field(default_factory=lambda: _nothing(0))
    bodies: tuple[Body, ...] = ()
    counted: tuple[Counted, ...] = ()

    def __post_init__(self) -> None:
        for name in ("base", "gradation"):
            if not 0 < getattr(self, name) < np.inf:
                raise Refusal(f"{'size' if name == 'base' else name} {getattr(self, name)} is not positive")
            object.__setattr__(self, name, float(getattr(self, name)))  # arrays are made like it
        if len(self.points) != len(self.sizes):
            raise Refusal(f"there are {len(self.points)} sources, and {len(self.sizes)} sizes for them")
        if len(self.sizes) and not (np.isfinite(self.points).all() and self.sizes.min() > 0):
            raise Refusal("a source of the size field has no finite place, or no positive size")

    @property
    def is_even(self) -> bool:
        """Whether the size is the same everywhere."""
        return not self.zones and not self.bodies and not len(self.sizes)

    @property
    def least(self) -> float:
        """The smallest size anywhere."""
        own = [*(zone.size for zone in self.zones), *(body.size for body in self.bodies)]
        return min([self.base, *own, float(self.sizes.min(initial=np.inf))])

    def finer(self, points: Array, sizes: Array) -> SizeField:
        """The field with more sources; those that make no difference to speak of are left out.

        O(k log k) for k sources.

        Parameters
        ----------
        points : (k, 3) float array
        sizes : (k,) float array
        """
        points, sizes = np.asarray(points, np.float64).reshape(-1, 3), np.asarray(sizes, np.float64)
        counts = sizes < self.base
        points = np.concatenate([self.points, points[counts]])
        sizes = np.concatenate([self.sizes, sizes[counts]])
        if not len(sizes):
            return self
        if not sizes.min() > 0:
            raise Refusal("a source of the size field has no positive size")
        # the smallest of every cell of a grid as fine as its size asks for
        level = np.floor(np.log2(sizes))
        cell = np.floor((points - points.min(axis=0)) / (_APART * 2.0**level)[:, None]).astype(np.int64)
        order = np.lexsort((sizes, *cell.T, level))
        rows = np.column_stack([level.astype(np.int64), cell])[order]
        first = np.ones(len(rows), bool)
        first[1:] = (rows[1:] != rows[:-1]).any(axis=1)
        keep = np.sort(order[first])
        return dataclasses.replace(self, points=points[keep], sizes=sizes[keep])

    def at(self, points: Array) -> Array:
        """(k,) sizes at points (k, 3).

        About O(log n) for each, for n sources.
        """
        points = for_kernels(points)
        found = np.full(len(points), self.base)
        for zone in self.zones:
            np.minimum(found, zone.size + self.gradation * zone.distance(points), out=found)
        for body in self.bodies:
            reach = max(self.base - body.size, 0.0) / self.gradation
            np.minimum(found, body.size + self.gradation * body.distance(points, reach), out=found)
        if len(self.sizes) and len(points):
            self._lower(points, found)
        return found

    def as_setting(self) -> str:
        """In words, for an account."""
        places = f"{len(self.zones) + len(self.bodies)} zone(s), {len(self.sizes):,} source(s)"
        places += f", {len(self.counted)} line(s) with a number of elements" if self.counted else ""
        return f"{self.least:g} to {self.base:g}, {places}"

    def write(self, path: str | Path) -> None:
        """Write the field to an ``.npz`` file, whole or not at all."""
        if Path(path).suffix.lower() != ".npz":
            raise FormatError(str(path), "size fields are written as .npz")
        head = {
            "base": self.base, "gradation": self.gradation, "zones": [dataclasses.asdict(zone) for zone in self.zones],
            "bodies": [body.size for body in self.bodies], "lines": [line.elements for line in self.counted],
        }  # fmt: skip

        arrays: dict[str, Any] = {f"body{k}": body.corners for k, body in enumerate(self.bodies)}
        arrays |= {f"line{k}": line.ends for k, line in enumerate(self.counted)}

        def fill(file: BinaryIO) -> None:
            np.savez(file, head=np.array(json.dumps(head)), points=self.points, sizes=self.sizes, **arrays)

        write_whole(Path(path), fill)

    @classmethod
    def read(cls, path: str | Path) -> SizeField:
        """Read what :meth:`write` has written.

        Raises
        ------
        FormatError
            If the file is none of these.
        """
        try:
            with Path(path).open("rb") as file, np.load(file, allow_pickle=False) as held:
                head, points, sizes = json.loads(str(held["head"])), held["points"], held["sizes"]
                bodies = tuple(Body(held[f"body{k}"], size) for k, size in enumerate(head.get("bodies", ())))
                lines = tuple(Counted(held[f"line{k}"], n) for k, n in enumerate(head.get("lines", ())))
            zones = tuple(Zone(z["kind"], tuple(z["numbers"]), z["size"]) for z in head["zones"])
            return cls(head["base"], head["gradation"], zones, points, sizes, bodies, lines)
        except OSError as error:
            raise FormatError(str(path), f"cannot be read: {error.strerror or error}") from error
        except (ValueError, KeyError, TypeError, zipfile.BadZipFile) as error:
            raise FormatError(str(path), f"this is no size field: {error}") from error

    def _lower(self, points: Array, found: Array) -> None:
        from oddseam.compiled import announce
        from oddseam.sizes.kernels.grading import lower_sizes

        announce(lower_sizes)
        source, size, box, least = self._tree

        def run(start: int, stop: int) -> None:
            lower_sizes(points[start:stop], source, size, box, least, self.gradation, found[start:stop])

        in_shares(run, len(points))

    @cached_property
    def _tree(self) -> tuple[Array, Array, Array, Array]:
        """Sources and sizes in the order of a tree of boxes, those, and the least size in each."""
        m = len(self.sizes)
        row = np.arange(m)
        order, box = boxes_in_order(self.points, np.column_stack([row, row, row]))
        size = self.sizes[order]
        leaves = (len(box) + 1) // 2
        least = np.full(len(box), np.inf)
        first = np.arange(leaves + 1) * m // leaves
        held = np.flatnonzero(np.diff(first))
        least[leaves - 1 + held] = np.minimum.reduceat(size, first[held])
        while leaves > 1:
            below = least[leaves - 1 : 2 * leaves - 1]
            leaves //= 2
            least[leaves - 1 : 2 * leaves - 1] = np.minimum(below[::2], below[1::2])
        return np.ascontiguousarray(self.points[order]), size, box, least
