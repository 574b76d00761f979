"""The profile of a wall: upright or leaning, its top rounded."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.inputs import check_count

#: A rounded rim turns by this many degrees at most from row to row.
_TURN = 30.0


def wall_profile(height: float, taper: float, rounding: float, size: float, rows: int | None) -> Array:
    """(r, 2) how far a wall leans in, and how high it is, from its foot to the border of the top.

    Parameters
    ----------
    height : float
    taper : float
        Degrees by which it leans in; negative leans out.
    rounding : float
        Radius between wall and top; 0 leaves them sharp.
    size : float
        Of elements.
    rows : int or None
        Of elements on the wall beneath the rounding; as many as the size asks for without.

    Raises
    ------
    Refusal
        If there is no such wall.
    """
    if not 0 < abs(height) < np.inf:
        raise Refusal(f"lifting by {height:g} changes nothing")
    if not -60 <= taper <= 60:
        raise Refusal(f"the taper must lie between -60 and 60 degrees, and is {taper:g}")
    if not 0 <= rounding < np.inf:
        raise Refusal(f"the rounding must be 0 or a radius, and is {rounding:g}")
    if rows is not None:
        check_count("rows of the wall", rows)
    lean = np.radians(taper)
    up = abs(height)
    check_count("rows of the wall", rows or up / size, least=0)
    corner = np.array([up * np.tan(lean), up])
    along = corner / np.linalg.norm(corner)  # the wall, upwards
    turn = 0.5 * np.pi - lean  # from the wall to the top
    cut = rounding * np.tan(0.5 * turn)
    if cut >= np.linalg.norm(corner):
        most = float(np.linalg.norm(corner)) / np.tan(0.5 * turn)
        raise Refusal(f"a rounding of {rounding:g} needs a higher wall; with this height it is below {most:.4g}")
    begin = corner - cut * along
    count = rows or max(1, round(float(np.linalg.norm(begin)) / size))
    wall = np.linspace(0.0, 1.0, count + 1)[:, None] * begin
    if rounding == 0:
        return _signed(wall, height)
    inward = np.array([along[1], -along[0]])
    middle = begin + rounding * inward
    steps = max(int(np.ceil(np.degrees(turn) / _TURN - 1e-9)), round(rounding * turn / size), 1)
    angle = np.linspace(0.0, turn, steps + 1)[1:, None]
    arc = middle + rounding * (-np.cos(angle) * inward + np.sin(angle) * along)
    return _signed(np.concatenate([wall, arc]), height)


def _signed(profile: Array, height: float) -> Array:
    return np.asarray(profile * (1.0, np.sign(height)))
