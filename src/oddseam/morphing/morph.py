"""``morph``: a change of the design carried into a mesh whose ids and connectivity stay."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from oddseam.accounts import Outcome, Step, recorded
from oddseam.arrays import Array, point_text, rows_in
from oddseam.errors import Refusal
from oddseam.findings.classes.finding import point_of
from oddseam.findings.judged.limits import LimitsLike
from oddseam.geometry.triangles import areas
from oddseam.model import Mesh
from oddseam.model.loss import changed_shape
from oddseam.morphing.changes import Change
from oddseam.morphing.drives.goals import ON, Goals
from oddseam.morphing.drives.matching import ADVICE
from oddseam.morphing.drives.tied import follow_ties
from oddseam.morphing.follows.following import Follower, Stuck
from oddseam.morphing.follows.morph_quality import crossings_of, judged, turned_pieces
from oddseam.morphing.follows.plan import Plan
from oddseam.morphing.follows.skeleton import Skeleton
from oddseam.morphing.morph_patches import renewed
from oddseam.progress import Progress, silent

#: So many elements, patches or places are named.
_NAMED = 4
#: A face whose height over its longest edge is less is a needle.
_NEEDLE = 0.05


@recorded(loss=changed_shape)
def morph(
    mesh: Mesh,
    changes: Change | Sequence[Change],
    *,
    hold: Sequence[str] = (),
    planes: Sequence[str] = (),
    reach: float | None = None,
    limits: LimitsLike | None = None,
    progress: Progress = silent,
) -> tuple[Mesh, Outcome]:
    """Carry a design change into a mesh; only coordinates change.

    Shells, solids, line elements and midside nodes follow.  The patches beside what changes keep to their planes,
    cylinders and so on where the change lets them; all other patches stay.

    Parameters
    ----------
    mesh : Mesh
        With shells or solids, linear or quadratic.
    changes : Change or sequence of Change
        ``Move``, ``Turn``, ``Scale``, ``Offset``, ``Bore``, ``Wall``, ``Targets``, ``Lattice``; see
        ``read_changes`` for those in a file.
    hold : sequence of str
        Picks whose nodes stay where they are.
    planes : sequence of str
        Planes of symmetry such as ``"x=0"``; nodes on them stay in them.
    reach : float, optional
        Nodes farther from all that is changed stay, to the last bit; ten times the largest move by default, infinite
        for the whole part.
    limits : mapping of str to float, optional
        Measures of quality that no element may come to break, such as ``{"scaled_jacobian": 0.2}``.
    progress : callable, optional

    Returns
    -------
    Mesh
        With the same ids and connectivity.

    Raises
    ------
    Refusal
        If an element would be turned inside out, with the share of the change that can be reached and the place; if
        facets would come to cross, or a limit be broken; or if what is asked contradicts itself.
    PickError
        If a pick is not understood or selects nothing.

    Notes
    -----
    Nodes on edges follow between the ends of their chain, those on faces by an extension over their patch, those
    within solids by one through the material, p-harmonic both, see :mod:`oddseam.morphing.follows.extension` for the
    method and its literature; then nodes at distorted elements are moved until these are as they were, as nearly as
    they can be, see :mod:`oddseam.morphing.kernels.mesh_relaxing`.  Large turns are made in steps, and steps that would
    turn an element inside out are halved.  About O(n) in the nodes within reach.

    Examples
    --------
    >>> import oddseam
    >>> nodes, parts = [[0, 0, 0], [2, 0, 0], [0, 2, 0], [0, 0, 2]], (oddseam.Part("block", 1),)
    >>> tet = oddseam.Mesh(nodes, {"tet": oddseam.Elements([[0, 1, 2, 3]], [1], [0])}, parts, unit="mm")
    >>> oddseam.morph(tet, oddseam.Move("ids 4", by=(0, 0, 1))).nodes[3].tolist()
    [0.0, 0.0, 3.0]
    """
    asked = (changes,) if isinstance(changes, Change) else tuple(changes)
    if not asked or not all(isinstance(one, Change) for one in asked):
        raise Refusal("say at least one change: Move, Turn, Scale, Offset, Bore, Wall, Targets or Lattice")
    if reach is not None and not reach >= 0:
        raise Refusal(f"reach {reach} is not a distance")
    progress("finding the surface", 0.0)
    skeleton = Skeleton.of(mesh)
    plan = Plan(Goals(skeleton, asked, tuple(planes)), tuple(hold), reach)
    points, share, stuck = Follower(plan).march(progress)
    if stuck is not None:
        raise Refusal(_stuck_text(skeleton, share, stuck))
    points, along, left = follow_ties(mesh, points, plan.goals.is_driven)
    moved = (points != mesh.nodes).any(axis=1)
    new = mesh.replaced(nodes=points, patches=renewed(mesh, points))
    progress("judging", 0.9)
    steps, poor, broken = judged(mesh, new, moved, limits)
    if broken:
        raise Refusal(f"{broken}; change less, pick more along with it, or set another limit")
    turned = turned_pieces(skeleton, points, moved)
    if turned:
        raise Refusal(f"{turned}; change less")
    crossed = crossings_of(skeleton, points, moved)
    if crossed:
        raise Refusal(f"{crossed}; pieces would join there: {ADVICE}")
    progress("done", 1.0)
    return new, Outcome((*_said_of(plan, points), *along, *steps), (*_notes(plan, points), *left, *poor))


def _said_of(plan: Plan, points: Array) -> list[Step]:
    """What moved, and how far."""
    move = np.linalg.norm(points - plan.start, axis=1)

    def step(name: str, which: Array, detail: str) -> Step:
        its = np.flatnonzero(which & (move > 0))
        if not len(its):
            return Step(name, 0, 0.0, detail)
        worst = its[np.argmax(move[its])]
        return Step(name, len(its), float(move[worst]), detail, (point_of(plan.start[worst]),))

    surface = plan.skeleton.on_surface
    return [
        step(
            "change",
            plan.goals.is_driven,
            f"nodes that are driven, {plan.goals.off:.3g} off their surfaces at most",
        ),
        step("follow on the surface", surface & ~plan.goals.is_driven, "nodes"),
        step("follow within", ~surface & ~plan.goals.is_driven, f"nodes; reach {plan.reach:.4g}"),
    ]


def _notes(plan: Plan, points: Array) -> list[str]:
    """Patches that could not keep to their surfaces."""
    found = []
    moved = np.linalg.norm(points - plan.start, axis=1) > 0
    for k in plan.yielding:
        its = np.flatnonzero(plan.skeleton.nodes_on(np.array([k])) & moved)
        level = plan.skeleton.level(k)
        if len(its) and level is not None:
            off = np.abs(level.distance(points[its]) - level.distance(plan.start[its]))
            worst = int(np.argmax(off))
            if off[worst] <= ON * plan.goals.size:
                continue
            name = plan.skeleton.table[k].name
            found.append(f"{name} gives way by up to {off[worst]:.4g} at {point_text(plan.start[its[worst]])}")
    more = [f"and {len(found) - _NAMED} more patches give way"] if len(found) > _NAMED else []
    return found[:_NAMED] + more


def _stuck_text(skeleton: Skeleton, share: float, stuck: Stuck) -> str:
    """What stands in the way, and where."""
    if len(stuck.solids):
        mesh, index, what = skeleton.mesh, stuck.solids, "element"
    else:
        mesh, index, what = skeleton.surface, stuck.faces, "face"
    names = []
    for _, block, span in mesh.blocks():
        for row in rows_in(span, index)[:_NAMED]:
            middle = point_text(mesh.nodes[block.connectivity[row]].mean(axis=0))
            names.append(f"{what} {int(block.ids[row])} at {middle}" if what == "element" else f"a face at {middle}")
    more = f" and {len(index) - _NAMED:,} more" if len(index) > _NAMED else ""
    needles = int((_heights(skeleton, stuck.faces) < _NEEDLE).sum())
    advice = "change less, pick more along with it, hold less, or give a larger reach"
    if needles:
        first = ": `oddseam remesh` or `improve` first" if len(mesh.triangulation.triangles) else ""
        advice += f"; {needles:,} of them are needles, which fold at once{first}"
    return (
        f"{share:.0%} of the change can be reached; beyond that {', '.join(names[:_NAMED])}{more} would turn inside "
        f"out; {advice}"
    )


def _heights(skeleton: Skeleton, faces: Array) -> Array:
    """(k,) least height of faces of the surface, of any of their triangles, over their longest edge."""
    t = skeleton.surface.triangulation
    corners = skeleton.surface.nodes[t.triangles[np.isin(t.element, faces)]]
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1, initial=0.0)
    return np.asarray(areas(corners) / np.maximum(longest, 1e-300) ** 2)
