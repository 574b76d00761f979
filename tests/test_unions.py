"""Random unions, as they are read back from their files."""

from __future__ import annotations

import numpy as np
import pytest
import shapes
import unions

import oddseam
from oddseam.geometry.triangles import cone_volumes


@pytest.mark.slow
@pytest.mark.parametrize("seed", [*range(30), 87, 367, 383, 766, 2501, 5081, 7208, 8363])
def test_a_random_union_is_closed_clean_and_encloses_what_its_solids_do(seed, tmp_path):
    assert unions.judged(unions.scene(seed), tmp_path) == []


def test_the_judge_sees_what_is_wrong(tmp_path, monkeypatch):
    given = unions.scene(0)

    mend = oddseam.mend

    def without_one_facet(mesh, **how):
        whole = mend(mesh, **how)
        block = whole.elements["tri"]
        return whole.replaced(elements={"tri": type(block)(block.connectivity[1:], block.ids[1:], block.part[1:])})

    monkeypatch.setattr(oddseam, "mend", without_one_facet)
    assert any(line.startswith("not clean") for line in unions.judged(given, tmp_path))


@pytest.mark.parametrize("n", [3, 16])
def test_a_cylinder_through_a_box_with_a_cap_in_its_face(n):
    nodes, triangles = unions.cylinder(n, 0.5, 2.0)
    area = n / 2 * 0.25 * np.sin(2 * np.pi / n)
    assert cone_volumes(nodes[triangles], np.zeros(3)).sum() == pytest.approx(2 * area)
    box = unions.box([-1, -1, 0], [1, 1, 1])
    mesh = shapes.side_by_side(box, (nodes, triangles))
    result = oddseam.mend(mesh, close="none", crumbs=0.0)
    assert not result.account.last.outcome.unmet
    assert oddseam.prove(result).volume == pytest.approx(4 + area, rel=1e-12)


def test_what_lies_within_a_solid_goes_though_nothing_crosses():
    big, small, hollow = (
        unions.box([0, 0, 0], [4, 4, 4]),
        unions.box([1, 1, 1], [2, 2, 2]),
        unions.box([1, 1, 1], [3, 3, 3]),
    )
    within = shapes.side_by_side(big, small)
    result = oddseam.mend(within, crumbs=0.0)
    assert result.n_elements == 12 and oddseam.prove(result).volume == pytest.approx(64)
    assert oddseam.mend(within, crumbs=0.0, overlaps="imprint").n_elements == 24
    # a cavity stays, and so does what lies in it
    island = unions.box([1.5, 1.5, 1.5], [2.5, 2.5, 2.5])
    cavity = shapes.side_by_side(big, (hollow[0], hollow[1][:, ::-1]), island)
    result = oddseam.mend(cavity, crumbs=0.0)
    assert result.n_elements == 36 and oddseam.prove(result).volume == pytest.approx(64 - 8 + 1)


def test_a_sliver_of_a_hollow_between_surfaces_that_crossed_is_closed_and_listed():
    # two rails 0.02 apart on a floor, under a roof, their ends in blocks
    rails = [unions.box([1, y, 0.5], [9, y + 1, 1.5]) for y in (2.0, 3.02)]
    blocks = [unions.box([x, 1, 0], [x + 1.5, 5, 1.6]) for x in (0.5, 8.0)]
    floor, roof = unions.box([0, 0, 0], [10, 10, 0.6]), unions.box([0, 0, 1.4], [10, 10, 2])
    mesh = shapes.side_by_side(floor, *rails, *blocks, roof)
    kept = oddseam.mend(mesh, crumbs=0.0, close="none")
    hollow = kept.pieces.volume < 0
    assert hollow.any()
    size = 1.01 * (-kept.pieces.volume[hollow].sum()) ** (1 / 3)
    closed = oddseam.mend(mesh, crumbs=size, close="none")
    assert not (closed.pieces.volume < 0).any()
    assert any(line.startswith("closed: a hollow") for line in closed.account.last.outcome.notes)
    assert oddseam.prove(closed).is_clean and oddseam.prove(closed).is_closed
