"""What a mend is asked for: settings that make sense, and what follows from them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oddseam.errors import Refusal
from oddseam.findings import Limits
from oddseam.findings.meant import joints_are_kept
from oddseam.formats import format_named
from oddseam.model import Mesh
from oddseam.model.facing import crack_width
from oddseam.model.loss import SHAPE


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

    close: str | float
    widest: float
    gap: float
    keep_joints: bool
    overlaps: str
    trim: str | None
    crumbs: float
    crumbs_were_given: bool
    fins: float
    tolerance: float
    target: str | None
    rounds: str | None
    one_solid: bool


def settings_of(
    mesh: Mesh, close: str | float, width: float | None, keep_joints: bool | None, overlaps: str | None,
    trim: str | None, crumbs: float | None, fins: float | None, tolerance: float | None, target: str | None,
) -> Settings:  # fmt: skip
    """The settings of a mend, checked, with what was left to us filled in.

    Raises
    ------
    Refusal
        If one makes no sense.
    """
    limits, diagonal = Limits(), mesh.diagonal
    widest = _size("close", _named_width(close, limits.rim * diagonal))
    crumb_size = _size("crumbs", limits.crumb * diagonal if crumbs is None else crumbs)
    fin_size = _size("fins", limits.crumb * diagonal if fins is None else fins)
    gap = _size("width", crack_width(mesh) if width is None else width)
    allowed = _size("tolerance", SHAPE * diagonal if tolerance is None else tolerance)
    if not len(mesh.faces):
        raise Refusal("the mesh has no shell elements to mend")
    if overlaps not in (None, "union", "imprint", "keep"):
        raise Refusal(f"overlaps {overlaps!r} is not union, imprint or keep")
    if keep_joints is None:
        keep_joints = joints_are_kept(mesh)
    overlaps = overlaps or ("keep" if keep_joints else "union")
    if trim not in (None, "inside", "outside"):
        raise Refusal(f"trim {trim!r} is not inside or outside")
    if trim is not None and overlaps != "union":
        raise Refusal(f"trim needs overlaps 'union' to know what is solid, not {overlaps!r}")
    rounds = target if target is not None and format_named(target).joins else None
    one_solid = close == "all" and overlaps == "union" and not keep_joints and trim is None
    return Settings(
        close, widest, gap, keep_joints, overlaps, trim, crumb_size, crumbs is not None, fin_size, allowed, target,
        rounds, one_solid,
    )  # fmt: skip


def _named_width(close: str | float, small: float) -> float:
    named = {"small": small, "all": np.inf, "none": 0.0}
    if isinstance(close, str):
        if close not in named:
            raise Refusal(f"close {close!r} is not small, all, none or a diameter")
        return named[close]
    return float(close)


def _size(name: str, value: float) -> float:
    if not value >= 0 or (name != "close" and not np.isfinite(value)):
        raise Refusal(f"{name} {value} is not a size")
    return value
