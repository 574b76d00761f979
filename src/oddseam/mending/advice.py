"""What would help where a mend ends unmet, because what was meant as one solid came as open sheets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from oddseam.formats import as_held
from oddseam.mending.contacts.overlaps import MOST_PAIRS
from oddseam.mending.settings import Settings
from oddseam.model import Mesh
from oddseam.model.prove import prove

#: Of more facets, a pair that crosses counting for so many, it is not tried whether closing all would help.
_MOST, _PAIR = 60_000, 20


def advice(
    given: Mesh, mended: Mesh, asked: Settings, unmet: list[str], mend: Callable[[Mesh, Settings], Mesh | None]
) -> list[str]:
    """What to do instead, first of all that is said, if that is known to end closed and clean, or likely to."""
    c = mended.connectivity
    if not unmet or asked.one_solid or asked.keep_joints or asked.overlaps != "union" or not c.n_rims:
        return []
    _, across, _ = c.measure_rims(mended.nodes)
    rims = f"spanning {len(across):,} rim(s), the widest {across.max():.4g} across"
    if len(given.crossing_triangles) > MOST_PAIRS:
        return []
    if len(mended.triangulation.triangles) + _PAIR * len(mended.crossing_triangles) > _MOST:
        return [f"if this is meant as one solid, `oddseam mend --close all` may make it one by {rims} (not tried)"]
    solid = mend(given, replace(asked, close="all", widest=np.inf, one_solid=True, trim=None))
    proof = None if solid is None else prove(as_held(solid, asked.target))
    if proof is None or not proof.is_closed or not proof.is_clean:
        return []
    return [f"if this is meant as one solid, `oddseam mend --close all` makes it one closed surface by {rims}"]
