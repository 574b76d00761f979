"""Edges of three facets and more that are meant, as in a shell model."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.findings.classes.defects import edges_of_copies
from oddseam.model import Mesh


def joints_are_kept(mesh: Mesh) -> bool:
    """Whether edges with three facets are meant where nobody says otherwise.

    They are in a solver deck, of shells that have a thickness, and where something was attached as a T-joint.
    """
    attached = any(entry.operation == "attach" for entry in mesh.account.entries)
    return mesh.is_deck or attached or any(part.thickness for part in mesh.parts_used)


def meant_joints(mesh: Mesh) -> Array:
    """(e,) bool: edges of three facets and more that are no fault.

    They are so where :func:`joints_are_kept`, and where the last mend kept joints or imprinted sheets on one another;
    edges at duplicate facets never are.
    """
    c = mesh.connectivity
    kept = joints_are_kept(mesh)
    last = next((entry for entry in reversed(mesh.account.entries) if entry.operation == "mend"), None)
    if last is not None:
        asked = last.settings.get("keep_joints")
        kept = last.settings.get("overlaps") == "imprint" or (kept if asked is None else bool(asked))
    if not kept:
        return np.zeros(len(c.edges), bool)
    return np.asarray(c.is_nonmanifold & ~edges_of_copies(mesh))
