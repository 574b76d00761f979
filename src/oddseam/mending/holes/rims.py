"""Which rims a mend fills, and which are open when it is done, with what is to be said of them."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oddseam.accounts import Step
from oddseam.arrays import Array, point_text
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.mending.holes.filling import fill_rims
from oddseam.model import Mesh
from oddseam.model.connectivity import Rim
from oddseam.model.facing import facing_rims

#: A rim wider than this share of its own piece is the border of a sheet, not damage to it.
_SHARE_OF_PIECE = 0.6
#: A rim along which all but its two tips face one another within so many crack widths is a crack.
_CRACK = 3.0
#: The tips of a slit face one another however wide it is, by a node on each side.
_TIPS = 2
#: A rim is the same as one before if it lies where that lay, within this share of the diagonal.
_SAME_RIM = 1e-6
#: So many rims are named.
_MOST = 2 * MOST_PLACES


@dataclass
class Rims:
    """What is to be filled, and why some was not.

    Attributes
    ----------
    widest : float
        Rims up to this size are to be filled.
    spares_sheets : bool
        Whether the borders of sheets as small as themselves are left.
    gap : float
        Width of a crack.
    reasons : list of (points, str)
        Why rims were not filled that were tried.
    in_vain : set of bytes
        Names of these, which are not tried again.
    """

    widest: float
    spares_sheets: bool
    gap: float
    reasons: list[tuple[Array, str]] = field(default_factory=list)
    in_vain: set[bytes] = field(default_factory=set)

    def fill(self, mesh: Mesh, may_cross: bool, name: str = "fill rims") -> tuple[Mesh, Step]:
        """The mesh with all filled that is to be filled and can be; cracks whatever their length."""
        chosen = [rim for rim, kind in self._kinds(mesh) if kind == "fill" and _name(mesh, rim) not in self.in_vain]
        before = {id(rim) for rim in chosen}
        filled, report = fill_rims(mesh, chosen, may_cross=may_cross)
        places = tuple(point_of(mesh.nodes[rim.nodes].mean(axis=0)) for rim in chosen[:MOST_PLACES])
        left = [(rim, reason) for rim, reason in report.left if id(rim) in before]
        self.reasons += [(mesh.nodes[rim.nodes], reason) for rim, reason in left]
        self.in_vain |= {_name(mesh, rim) for rim, _ in left}
        return filled, Step(name, report.rims, 0.0, report.text, places)

    def spanned(self, mesh: Mesh) -> list[str]:
        """What is to be said of the rims that are spanned as parts of one solid, the widest first."""
        _, across, centre = mesh.connectivity.measure_rims(mesh.nodes)
        lines = [f"spanned: a rim {across[k]:.4g} across, at {point_text(centre[k])}" for k in np.argsort(-across)]
        return _shortened(lines, "spanned")

    def left_open(self, mesh: Mesh) -> tuple[list[str], list[str]]:
        """Of the rims that are open: what is to be noted, and what was asked for and is unmet."""
        notes, unmet, tried = [], [], []
        facing = np.zeros(mesh.n_nodes, bool)
        if self.gap > 0:
            facing[facing_rims(mesh, self.gap).node] = True
        for (rim, kind), across in zip(
            self._kinds(mesh), mesh.connectivity.measure_rims(mesh.nodes)[1].tolist(), strict=True
        ):
            at = point_text(mesh.nodes[rim.nodes].mean(axis=0))
            beside = int(facing[rim.nodes].sum())
            if beside > 2 * _TIPS:
                unmet.append(
                    f"open: a crack, {len(rim.corners)} edges long, at {at}: {beside} of its nodes face it across less "
                    f"than {self.gap:.4g}"
                )
            elif kind == "wide":
                notes.append(f"left open: a rim {across:.4g} across, {len(rim.corners)} edges, at {at}")
            elif kind == "border" and self.widest > 0:
                unmet.append(f"open: a rim {across:.4g} across at {at} is the border of a sheet as small as itself")
            elif kind == "fill":
                tried.append(rim)
        more = len(tried) - _MOST
        unmet += [
            f"open: the rim at {point_text(mesh.nodes[rim.nodes].mean(axis=0))} was not filled: "
            f"{self._reason(mesh, rim)}"
            for rim in tried[:_MOST]
        ] + [f"open: {more:,} more rims that were not filled"] * (more > 0)
        return _shortened(notes, "left open"), _shortened(unmet, "open")

    def _kinds(self, mesh: Mesh) -> list[tuple[Rim, str]]:
        """Every rim, and whether it is to be filled, too wide, or the border of a sheet."""
        c, extent = mesh.connectivity, mesh.pieces.extent
        cracks = self._cracks(mesh) if self.widest > 0 else set()
        found = []
        for number, (rim, across) in enumerate(zip(c.rims, c.measure_rims(mesh.nodes)[1].tolist(), strict=True)):
            if across > self.widest and number not in cracks:
                found.append((rim, "wide"))
            elif self.spares_sheets and across > _SHARE_OF_PIECE * extent[c.piece[c.face[rim.corners[0]]]]:
                found.append((rim, "border"))
            else:
                found.append((rim, "fill" if self.widest > 0 else "wide"))
        return found

    def _cracks(self, mesh: Mesh) -> set[int]:
        """Numbers of the rims that face themselves or others all along, except for two tips."""
        beside = np.zeros(mesh.n_nodes, bool)
        if self.gap > 0:
            beside[facing_rims(mesh, _CRACK * self.gap).node] = True
        return {number for number, rim in enumerate(mesh.connectivity.rims) if (~beside[rim.nodes]).sum() <= _TIPS}

    def _reason(self, mesh: Mesh, rim: Rim) -> str:
        """Why a rim was not filled, when it was tried."""
        for points, reason in reversed(self.reasons):
            away = np.linalg.norm(points[:, None] - mesh.nodes[rim.nodes][None, :200], axis=2)
            if away.min() <= _SAME_RIM * mesh.diagonal:
                return reason
        return "it came up where surfaces were cut along one another"


def _name(mesh: Mesh, rim: Rim) -> bytes:
    """The ids of the nodes of a rim."""
    return mesh.node_ids[rim.nodes].tobytes()


def _shortened(lines: list[str], word: str) -> list[str]:
    more = len(lines) - _MOST
    return lines[:_MOST] + [f"{word}: {more:,} more rims"] * (more > 0)
