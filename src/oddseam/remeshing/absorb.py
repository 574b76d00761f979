"""Small edges, sliver patches and double edges merged into what lies beside them."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text
from oddseam.errors import Refusal
from oddseam.features.edges.drawing import drawn_along
from oddseam.features.edges.walking import cut_between
from oddseam.features.find_features import with_features
from oddseam.features.patches.bounding import with_creases
from oddseam.features.patches.cutting import with_nodes_on_edges
from oddseam.features.patches.small import Small, double_edges, small_things
from oddseam.findings.judged.judging import worsened
from oddseam.findings.judged.limits import Limits
from oddseam.formats import as_held
from oddseam.model import Mesh
from oddseam.model.editing import joint_creases
from oddseam.model.loss import SHAPE, measure_loss
from oddseam.model.prove import worse
from oddseam.progress import Progress, silent
from oddseam.remeshing.local.merging import Merge, merge
from oddseam.remeshing.surfaces.assembly import missed

_KINDS = ("edge", "sliver", "double edge")
#: A thing that stays, and why.
Left = tuple[Small, str]
#: What is merged may leave other small things; so often it is looked again.
_ROUNDS = 8
#: So often what did harm is left out before a round is given up.
_ATTEMPTS = 12
#: So many things that stay are named.
_NAMED = 5


@recorded()
def absorb(
    mesh: Mesh, *, below: float, crease: float = 30.0, target: str | None = None, progress: Progress = silent
) -> tuple[Mesh, Outcome]:
    """Merge what is smaller than a size into what lies beside it.

    A tiny edge becomes one node; a sliver patch goes, and its two long sides become one crease; where two creases run
    side by side, what lies between them is made a patch and goes.  What is merged lies where the planes of the facets
    beside it meet, as well as they do: a small chamfer becomes a sharp edge.  Nodes of rims stay on rims, and nodes
    that line or solid elements use, or where more than two facets meet, stay where they are.

    Parameters
    ----------
    mesh : Mesh
        Of a mesh without creases these are found first, see ``find_features``.
    below : float
        In the unit of the mesh.  Nothing moves farther in one go.
    crease : float
        Edges that are sharper than so many degrees are creases, where these have to be found.
    target : str, optional
        Format that the result is meant for, such as ``"stl"``: that no facets cross is seen to on the coordinates
        as that format holds them.
    progress : callable, optional

    Returns
    -------
    Mesh
        Everything but the facets there keeps its ids and its bits.

    Raises
    ------
    Refusal
        If the size is not positive, or nothing would be left.

    Notes
    -----
    What would make facets cross, turn over or meet in an edge that has two already is left as it was, and listed.
    About linear in the size of the mesh for each time that something has to be left out.  Slivers are told from
    others by area over perimeter and then by folding their border; positions are those of least quadric error, after
    M. Garland, P. Heckbert (1997), Surface simplification using quadric error metrics.

    Examples
    --------
    >>> import numpy as np
    >>> import oddseam
    >>> profile = [(0, 0), (5, 0), (5.1, 0.1), (5.1, 5)]
    >>> nodes = [(x, y, z) for z in (0, 3, 6, 9) for x, y in profile]
    >>> quads = [(4 * r + c, 4 * r + c + 1, 4 * r + c + 5, 4 * r + c + 4) for r in range(3) for c in range(3)]
    >>> triangles = [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]
    >>> sheet = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
    >>> sharp = oddseam.absorb(oddseam.find_features(sheet), below=0.3)
    >>> sharp.n_elements, np.ptp(sharp.nodes, axis=0).round(3).tolist()
    (12, [5.1, 5.0, 9.0])
    """
    mesh = with_features(mesh, crease)
    small_things(mesh, below)  # refuses what makes no sense
    work = _Work(below, target, as_held(mesh, target))
    new, left = work.merged(mesh)
    parted, stay = work.without_double_edges(new)
    if parted is not new:
        new, left = work.merged(parted)
    if not len(new.faces):
        raise Refusal(f"all of the surface is smaller than {below:g}, so that nothing of it would be left")
    if new is not mesh:
        assert new.creases is not None
        new = with_creases(new, new.creases, new.creases)  # patches that are gone leave the table
    count, move = work.count, work.move
    steps = [
        Step("merge slivers", count["sliver"], move["sliver"], "patches"),
        Step("merge double edges", count["double edge"], move["double edge"], "pairs of creases"),
        Step("merge tiny edges", count["edge"], move["edge"], "pieces of creases and rims"),
    ]
    if new is not mesh:
        steps.append(missed(new, mesh).step("of a new node to the original surface"))
    unmet = [f"{fault} after absorbing" for fault in worse(as_held(new, target), work.before)]
    unmet += worsened(mesh, new, Limits()) if new is not mesh else []
    loss = measure_loss(mesh, new, max(below, SHAPE * mesh.diagonal))
    return new, Outcome(tuple(steps), tuple(_said(left + stay)), tuple(unmet)).with_loss(loss)


@dataclass
class _Work:
    """What is asked for, what there was before, and how often what was merged, with the farthest moves of nodes."""

    below: float
    target: str | None
    before: Mesh
    count: dict[str, int] = field(default_factory=lambda: dict.fromkeys(_KINDS, 0))
    move: dict[str, float] = field(default_factory=lambda: dict.fromkeys(_KINDS, 0.0))

    def merged(self, mesh: Mesh) -> tuple[Mesh, list[Left]]:
        """The mesh with slivers and tiny edges merged, and those that stay."""
        for _ in range(_ROUNDS):
            things = sorted(small_things(mesh, self.below), key=lambda it: (it.kind == "edge", it.width))
            made, left = self._merged_without_harm(mesh, things)
            if made is None:
                return mesh, [(things[k], why) for k, why in left.items()]
            mesh = made.mesh
            self._counted(made, [things[k].kind for k in made.things])
        things = small_things(mesh, self.below)
        return mesh, [(it, "others beside it had to be merged first") for it in things]

    def without_double_edges(self, mesh: Mesh) -> tuple[Mesh, list[Left]]:
        """The mesh with double edges merged, and those that stay."""
        doubles = double_edges(mesh, self.below, small_things(mesh, self.below))
        left: list[Left] = []
        while doubles:
            parted, drawn, refused = _parted(mesh, doubles)
            left += refused
            slivers = [it for it in small_things(parted, self.below) if it.fold is not None]
            between = [slivers[k] for k in sorted({k for its in _bounded_by(drawn, slivers) for k in its})]
            made, _ = self._merged_without_harm(parted, between)
            going = [] if made is None else [between[k] for k in made.things]
            doubles = [it for it, its in zip(drawn, _bounded_by(drawn, going), strict=True) if its]
            left += [(it, "its sides cannot be merged") for it in drawn if it not in doubles]
            if made is not None and len(doubles) == len(drawn):
                self._counted(made, ["double edge"] * len(made.things))
                return made.mesh, left
        return mesh, left

    def _counted(self, made: Merge, kinds: list[str]) -> None:
        for kind in kinds:
            self.count[kind] += 1
            self.move[kind] = max(self.move[kind], made.move)

    def _merged_without_harm(self, mesh: Mesh, things: list[Small]) -> tuple[Merge | None, dict[int, str]]:
        """All of the things merged that do no harm, and which others stay, and why."""
        left: dict[int, str] = {}
        for _ in range(_ATTEMPTS):
            made = merge(mesh, things, set(left), self.below)
            left |= made.refused
            if not made.things:
                return None, left
            harmed = _harmed(mesh, made, as_held(made.mesh, self.target), self.before)
            if not harmed:
                return made, left
            left |= harmed
        return None, {k: left.get(k, "too much beside it stays") for k in range(len(things))}


def _bounded_by(doubles: list[Small], slivers: list[Small]) -> list[list[int]]:
    """For each double edge the slivers that have all of its nodes."""
    having: dict[int, list[int]] = {}
    nodes = [set(it.nodes.tolist()) for it in slivers]
    for k, its in enumerate(nodes):
        for node in its:
            having.setdefault(node, []).append(k)
    return [[k for k in having.get(int(it.nodes[0]), ()) if nodes[k].issuperset(it.nodes.tolist())] for it in doubles]


def _parted(mesh: Mesh, doubles: list[Small]) -> tuple[Mesh, list[Small], list[Left]]:
    """The mesh with creases across at the ends of double edges, those that have them, and why others have not."""
    on_edges: dict[tuple[int, int], dict[float, int]] = {}
    points: list[Array] = []
    lines: list[tuple[int, int]] = []
    for it in doubles:
        for node, (a, b), share in it.across:
            known = {0.0: a} if a == b else on_edges.setdefault((a, b), {})
            if share not in known:
                known[share] = mesh.n_nodes + len(points)
                points.append(mesh.nodes[a] + share * (mesh.nodes[b] - mesh.nodes[a]))
            lines.append((node, known[share]))
    places = {edge: [known[share] for share in sorted(known)] for edge, known in on_edges.items()}
    cut, paths = cut_between(with_nodes_on_edges(mesh, places, np.array(points).reshape(-1, 3)), lines)
    drawn: list[Small] = []
    left: list[Left] = []
    creases, at = cut.creases, 0
    for it in doubles:
        its = paths[at : at + len(it.across)]
        at += len(it.across)
        failed = [path for path in its if isinstance(path, Refusal)]
        if failed:
            left.append((it, str(failed[0])))
            continue
        drawn.append(it)
        for path in its:
            if not isinstance(path, Refusal):
                creases = joint_creases(drawn_along(path), creases)
    return cut.replaced(creases=creases), drawn, left


def _harmed(mesh: Mesh, made: Merge, written: Mesh, before: Mesh) -> dict[int, str]:
    """Things that cannot be merged, and why: by facets that cross or look away, and edges of more than two facets."""
    new = made.mesh
    found: dict[int, str] = {}

    def blame(nodes: Array, why: str) -> None:
        for k in np.unique(made.owner[nodes]).tolist():
            if k >= 0:
                found.setdefault(k, why)

    c, t = new.connectivity, new.triangulation
    blame(t.triangles[np.isin(t.element, made.turned)], "facets would be turned over")
    if int(c.is_nonmanifold.sum()) > int(mesh.connectivity.is_nonmanifold.sum()):
        blame(c.edges[c.is_nonmanifold], "more than two facets would meet in an edge")
    if len(c.nonmanifold_nodes) > len(mesh.connectivity.nonmanifold_nodes):
        blame(c.nonmanifold_nodes, "surfaces would touch in a node")
    bad = written.unsound_triangles
    if len(bad) > len(before.unsound_triangles):
        blame(written.triangulation.triangles[bad], "facets would cross")
    return found


def _said(left: list[Left]) -> list[str]:
    """What is to be said of things that stay."""
    lines = []
    for it, why in left[:_NAMED]:
        size = f"of {it.length:.4g}" if it.kind == "edge" else f"{it.width:.4g} wide"
        lines.append(f"the {it.kind} {size} at {point_text(it.place)} stays: {why}")
    if len(left) > _NAMED:
        lines.append(f"and {len(left) - _NAMED:,} more stay as they are (`oddseam small` lists them)")
    return lines
