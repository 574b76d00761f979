"""Shell elements that are picked turned over."""

from __future__ import annotations

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import MOST_PLACES, point_of
from oddseam.model import Mesh
from oddseam.model.editing import edited
from oddseam.model.loss import kept_shape
from oddseam.model.rings import corner_means
from oddseam.picks import selected
from oddseam.progress import Progress, silent


@recorded(loss=kept_shape)
def flip(mesh: Mesh, pick: str, *, progress: Progress = silent) -> tuple[Mesh, Outcome]:
    """Turn the shell elements of a pick over.

    Parameters
    ----------
    mesh : Mesh
    pick : str
        A pick.
    progress : callable, optional

    Examples
    --------
    >>> import oddseam
    >>> nodes = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]]
    >>> corner = oddseam.Mesh.from_triangles(nodes, [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], unit="mm")
    >>> oddseam.prove(oddseam.flip(corner, "all")).inward_pieces
    1
    """
    chosen = selected(mesh, pick)
    shells = np.intersect1d(chosen, mesh.faces.element)
    if not len(shells):
        raise Refusal(f"pick {pick!r} selects no shell elements; others have no side to turn")
    notes = (f"left as they were: {len(chosen) - len(shells):,} other elements",) if len(shells) < len(chosen) else ()
    places = tuple(point_of(place) for place in corner_means(mesh)[shells[:MOST_PLACES]])
    step = Step("turn", len(shells), 0.0, pick, places)
    return edited(mesh, turn=shells), Outcome((step,), notes)
