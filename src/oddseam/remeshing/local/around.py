"""Elements put into a hole made like those around: meshed anew with their neighbours, in quads where these are."""

from __future__ import annotations

import numpy as np

from oddseam.arrays import Array
from oddseam.errors import Refusal
from oddseam.model import Mesh
from oddseam.model.rings import grown
from oddseam.model.splicing import extracted, spliced
from oddseam.progress import silent
from oddseam.remeshing.remesh import Ways, meshed_anew
from oddseam.remeshing.surfaces.net import Fineness
from oddseam.remeshing.surfaces.region import region_round
from oddseam.sizes import SizeField

#: Rings of elements round those given that are meshed anew with them.
_RINGS = 2
_CREASE, _GROWTH = 30.0, 0.35


def like_around(mesh: Mesh, elements: Array, *, rings: int = _RINGS, among: Array | None = None) -> Mesh | None:
    """The mesh with tri and quad elements, and some rings round them, meshed like what is beyond.

    Elements that are not ``among`` (m,) those that may be touched stay as they are.  ``None`` if it has a fault.
    Linear in the size of the mesh for taking out and putting back, and in what is meshed anew for the rest.
    """
    is_surface = np.zeros(mesh.n_elements, bool)
    for name, _, span in mesh.blocks():
        is_surface[span] = name in ("tri", "quad")
    chosen = np.zeros(mesh.n_elements, bool)
    chosen[elements] = True
    near = grown(mesh, chosen, rings, is_surface if among is None else is_surface & among)
    wide = np.flatnonzero(grown(mesh, near, 1, np.ones(mesh.n_elements, bool)))
    local = extracted(mesh, wide)
    its = np.flatnonzero(near[wide])
    region = region_round(local, its)
    beyond = extracted(local, np.flatnonzero(~near[wide] & is_surface[wide]))
    ends = beyond.nodes[beyond.connectivity.edges]
    size = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).mean()) if len(ends) else local.diagonal / 10.0
    quads = len(beyond.elements.get("quad", ())) > len(beyond.elements.get("tri", ()))
    ways = Ways("recognised", quads)
    try:
        made = meshed_anew(region, _CREASE, Fineness(region.graded(SizeField(size, _GROWTH))), ways, None, silent)
    except Refusal:
        return None
    return None if made.unmet else spliced(mesh, wide, made.mesh)
