"""One solid out of open sheets; what is open is told as it is when all is done; nothing ends worse than it came."""

from __future__ import annotations

import numpy as np
import pytest
import shapes

import oddseam
from oddseam.geometry.exact.arrangement import arrange
from oddseam.geometry.exact.planar import PlanarMesh
from oddseam.mending.contacts.overlaps import resolve_overlaps
from oddseam.mending.contacts.retreat import draw_back
from oddseam.model.facing import crack_width, facing_rims


def rotor(height: float = 8.0, lift: float = 0.0) -> oddseam.Mesh:
    """A hub, closed below and open above, and blades through its wall whose tops lie about in the plane of its rim."""
    nodes, triangles = shapes.capped_cylinder(136, 1.0, height)
    hub = nodes[:-1], triangles[~(triangles == len(nodes) - 1).any(axis=1)]
    parts = [hub]
    for turn in np.arange(5) * 2 * np.pi / 5 + 0.1:
        blade = (shapes.cube()[0] - [0, 0.5, 0]) * [1.6, 0.12, 1.2] + [0.5, 0, height - 1.2 + lift]
        c, s = np.cos(turn), np.sin(turn)
        parts.append((blade @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]), shapes.cube()[1]))
    return shapes.side_by_side(*parts)


def unmet(mesh: oddseam.Mesh) -> tuple[str, ...]:
    return mesh.account.last.outcome.unmet


@pytest.mark.slow
@pytest.mark.parametrize("lift", [0.0, -1e-5, 0.2])
def test_a_rim_that_a_union_left_cracked_is_told_as_it_is(lift):
    mended = oddseam.mend(rotor(lift=lift), target="stl")
    held = oddseam.as_written(mended, "stl")
    beside = len(np.unique(facing_rims(held, crack_width(held)).node))
    assert any("a crack" in line for line in unmet(mended)) == (beside > 4)
    rims = [len(rim.corners) for rim in held.connectivity.rims]
    said = " ".join([*unmet(mended), *mended.account.last.outcome.notes])
    assert all(f"{count} edges" in said for count in rims)


@pytest.mark.slow
@pytest.mark.parametrize("lift", [0.0, 1e-4])
def test_close_all_makes_one_solid_and_an_unmet_mend_says_that_it_would(lift):
    given_ = rotor(lift=lift)
    first = unmet(oddseam.mend(given_, target="stl"))[0]
    assert "`oddseam mend --close all` makes it one closed surface by spanning 1 rim(s), the widest" in first
    solid = oddseam.mend(given_, close="all", target="stl")
    proof = oddseam.prove(oddseam.as_written(solid, "stl"))
    assert unmet(solid) == () and proof.is_closed and proof.is_clean
    assert any(note.startswith("spanned: a rim 2.8") for note in solid.account.last.outcome.notes)
    assert oddseam.mend(solid, close="all", target="stl").digest == solid.digest


def test_what_encloses_nothing_is_no_solid():
    mesh = shapes.mesh(shapes.sheet(30))
    mended = oddseam.mend(mesh, close="all")
    assert mended.digest == mesh.digest and "encloses nothing" in unmet(mended)[0]


def test_a_flat_sheet_beside_solids_is_lost_aloud():
    flat = shapes.sheet(3)
    parts = shapes.side_by_side(shapes.cube(), (flat[0] + [3, 0, 0], flat[1]))
    mended = oddseam.mend(parts, close="all")
    assert oddseam.prove(mended).is_closed and "18 facet(s) 1.414 across" in unmet(mended)[-1]


def test_a_sheet_that_ends_in_a_wall_by_a_rounding_error_is_drawn_back():
    nodes, triangles = shapes.sheet(6)
    for depth in (0.0, 3e-5):
        rib = np.column_stack([0.2 + 0.6 * nodes[:, 0], 0.5 + 0 * nodes[:, 1], 1.0 - depth + 0.5 * nodes[:, 1]])
        mesh = shapes.side_by_side(shapes.grid_cube(5), (rib, triangles))
        mended = oddseam.mend(mesh, close="none", target="stl")
        assert not len(oddseam.as_written(mended, "stl").crossing_triangles) and unmet(mended) == ()
        assert mended.account.last.largest_move <= 1e-4 * mesh.diagonal
        assert oddseam.mend(mended, close="none", target="stl").digest == mended.digest
    through = np.column_stack([0.2 + 0.6 * nodes[:, 0], 0.5 + 0 * nodes[:, 1], 0.9 + 0.5 * nodes[:, 1]])
    mesh = shapes.side_by_side(shapes.grid_cube(5), (through, triangles))
    assert draw_back(mesh, np.arange(300, 372), 1e-4, "stl")[1] == 0  # that goes in for good


def test_sheets_that_lie_on_one_another_take_work_by_their_size(monkeypatch):
    """Facets that overlap in a plane are cut together: four times as many ask four times as often for a side."""
    asked = []
    side = PlanarMesh.side
    monkeypatch.setattr(PlanarMesh, "side", lambda *given_: asked.append(1) or side(*given_))
    work = []
    for n in (8, 16):
        nodes, triangles = shapes.sheet(n)
        both = np.concatenate([nodes, nodes * [0.93, 0.93, 1] + [0.031, 0.031, 0]])
        asked.clear()
        cut = arrange(both, np.concatenate([triangles, triangles + len(nodes)]))
        work.append(len(asked) / len(cut.triangles))
    assert work[1] < 1.3 * work[0]


@pytest.mark.parametrize("seed", range(4))
def test_a_soup_of_sheets_never_ends_worse_than_it_came(seed):
    random = np.random.default_rng(seed)
    parts = []
    for _ in range(8):
        nodes, triangles = shapes.sheet(3)
        turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
        parts.append(((nodes - 0.5) @ turn.T + 0.2 * random.normal(size=3), triangles))
    soup = shapes.side_by_side(*parts)
    mended = oddseam.mend(soup, target="stl")
    before, after = (oddseam.prove(oddseam.as_written(m, "stl")) for m in (soup, mended))
    assert after.worse_than(before) == [] and after.free_edges <= before.free_edges
    assert any("open sheets cross others" in line for line in unmet(mended))


@pytest.mark.parametrize("off", [(0.5, -0.5, -0.5), (0.3, -0.2, -0.4), (0.2, -0.5, -0.5)])
def test_a_loop_of_nodes_in_a_line_is_closed_by_no_facet_without_area(off):
    """A node lies on the edge of a box on one side only, and another box crosses there."""
    nodes, triangles = shapes.cube()
    at = np.flatnonzero(np.isin(triangles, (0, 1)).sum(axis=1) == 2)[0]
    k = next(k for k in range(3) if set(np.roll(triangles[at], -k)[:2]) == {0, 1})
    u, v, w = np.roll(triangles[at], -k)
    torn = np.concatenate([np.delete(triangles, at, axis=0), [[u, 8, w], [8, v, w]]])
    parts = shapes.side_by_side((np.vstack([nodes, [[0.5, 0, 0]]]), torn), (0.8 * nodes + off, triangles))
    united, report = resolve_overlaps(parts, drop=True, target="stl", widest=np.inf)
    assert report.is_resolved and oddseam.prove(united).is_closed and oddseam.prove(united).is_clean
    inner = np.minimum(1.0, np.array(off) + 0.8) - np.maximum(0.0, off)
    assert oddseam.prove(united).volume == pytest.approx(1.0 + 0.8**3 - np.prod(inner), rel=1e-6)
