"""What a mend is asked for: settings that make sense, and what follows from them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from oddseam.errors import Refusal
from oddseam.findings import Limits
from oddseam.findings.classes.meant import joints_are_kept
from oddseam.formats import format_named
from oddseam.model import Mesh
from oddseam.model.facing import crack_width
from oddseam.model.loss import SHAPE

#: Which rims are filled; what becomes of facets that cross; which side of open sheets is cut off.
Close = Literal["small", "all", "none"]
Overlaps = Literal["union", "imprint", "keep"]
Trim = Literal["inside", "outside"]


@dataclass(frozen=True)
class Settings:
    """Settings of a mend, see there.

    Attributes
    ----------
    widest : float
        Rims up to this size are filled.
    gap : float
        Width of cracks.
    crumbs_were_given : bool
        Whether the size of crumbs was said.
    rounds : str or None
        The target, if its file joins nodes at one place, so that nodes are rounded to what it holds.
    fins : float
        How far fins may stand off.
    one_solid : bool
        Whether all pieces are parts of one solid.
    """

    close: Close | float
    widest: float
    gap: float
    keep_joints: bool
    overlaps: Overlaps
    trim: Trim | None
    crumbs: float
    crumbs_were_given: bool
    fins: float
    tolerance: float
    target: str | None
    rounds: str | None
    one_solid: bool


class Asked(NamedTuple):
    """What a mend is asked for, as it is said."""

    close: Close | float
    gap: float | None
    keep_joints: bool | None
    overlaps: Overlaps | None
    trim: Trim | None
    crumbs: float | None
    fins: float | None
    deviation: float | None
    target: str | None


def settings_of(mesh: Mesh, asked: Asked) -> Settings:
    """The settings of a mend, checked, with what was left to us filled in.

    Raises
    ------
    Refusal
        If one makes no sense.
    """
    close, gap, keep_joints, overlaps, trim, crumbs, fins, deviation, target = asked
    limits, diagonal = Limits(), mesh.diagonal
    widest = _size("close", _named_width(close, limits.rim * diagonal))
    crumb_size = _size("crumbs", limits.crumb * diagonal if crumbs is None else crumbs)
    fin_size = _size("fins", limits.crumb * diagonal if fins is None else fins)
    widest_crack = _size("gap", crack_width(mesh) if gap is None else gap)
    allowed = _size("deviation", SHAPE * diagonal if deviation is None else deviation)
    if not len(mesh.faces):
        raise Refusal("the mesh has no shell elements to mend")
    if keep_joints is None:
        keep_joints = joints_are_kept(mesh)
    overlaps = overlaps or ("keep" if keep_joints else "union")
    if trim is not None and overlaps != "union":
        raise Refusal(f"trim needs overlaps 'union' to know what is solid, not {overlaps!r}")
    rounds = target if target is not None and format_named(target).joins else None
    one_solid = close == "all" and overlaps == "union" and not keep_joints and trim is None
    return Settings(
        close, widest, widest_crack, keep_joints, overlaps, trim, crumb_size, crumbs is not None, fin_size, allowed,
        target, rounds, one_solid,
    )  # fmt: skip


def _named_width(close: Close | float, small: float) -> float:
    named = {"small": small, "all": np.inf, "none": 0.0}
    if isinstance(close, str):
        return named[close]
    return float(close)


def _size(name: str, value: float) -> float:
    if not value >= 0 or (name != "close" and not np.isfinite(value)):
        raise Refusal(f"{name} {value} is not a size")
    return value
