"""Numbers that are none, counts that nothing could hold, and limits that no element can meet are refused at once."""

from __future__ import annotations

import math

import pytest
import shapes
from test_openings import panel

import oddseam
from oddseam.inputs import check_count


@pytest.mark.parametrize(
    "do",
    [
        lambda m: oddseam.cut(m, at=(5, 5, 0), diameter=math.nan),
        lambda m: oddseam.cut(m, at=(math.nan, 5, 0), diameter=1.0),
        lambda m: oddseam.cut(m, at=(5, 5, 0), diameter=1.0, collars=(0.2, math.nan)),
        lambda m: oddseam.remesh(m, size=math.nan),
        lambda m: oddseam.coarsen(m, deviation=math.nan),
        lambda m: oddseam.lift(m, "box (3,3,-1) (6,6,1)", by=math.nan),
        lambda m: oddseam.imprint(m, through=[(1, 1, 0), (math.nan, 2, 0)]),
    ],
)
def test_what_is_no_number_is_refused_by_name(do):
    with pytest.raises(oddseam.Refusal, match=r"is nan, which is not a number"):
        do(panel(12))


@pytest.mark.parametrize(
    ("do", "said"),
    [
        (lambda m: oddseam.cut(m, at=(5, 5, 0), diameter=1.0, rim_nodes=10**12), "nodes of an outline: 1,000,000,000,000 is more"),
        (lambda m: oddseam.cut(m, at=(5, 5, 0), diameter=1.0, rim_nodes=2), "2 is too few; at least 4"),
        (lambda m: oddseam.imprint(m, through=[(1, 1, 0), (4, 2, 0)], count=10**12), "points of the line: .* is more"),
        (lambda m: oddseam.lift(m, "box (3,3,-1) (6,6,1)", by=1e30), "rows of the wall"),
        (lambda m: oddseam.lift(m, "box (3,3,-1) (6,6,1)", by=1.0, rows=10**12), "rows of the wall"),
        (lambda m: oddseam.repeat(m, "ids 1", times=10**12, vector=(1, 0, 0)), "copies"),
        (lambda m: oddseam.refine(m, "all", times=10**6), "times"),
        (lambda m: oddseam.find_features(m, noise=1e30), "is not a distance within the part"),
        (lambda m: oddseam.improve(m, limits={"minimum_angle": 200.0}), "between 0 and 90"),
        (lambda m: oddseam.coarsen(m, facets=50, limits={"scaled_jacobian": 7.0}), "between -1 and 1"),
    ],
)  # fmt: skip
def test_counts_and_limits_beyond_all_sense_are_refused(do, said):
    with pytest.raises(oddseam.Refusal, match=said):
        do(panel(12))
    check_count("things", 10_000_000)


def test_an_angle_that_no_triangle_has_is_refused():
    with pytest.raises(oddseam.Refusal, match="no triangle has a smallest angle above 60 degrees"):
        oddseam.improve(shapes.mesh(shapes.torus()), limits={"minimum_angle": 75.0})


@pytest.mark.parametrize("value", ["nan", "inf", "-inf", "1e999"])
def test_commands_take_no_such_numbers(run, tmp_path, value):
    oddseam.write_mesh(panel(12), tmp_path / "m.seam")
    done = run("cut", "m.seam", "--at", "5,5,0", f"--diameter={value}", "-o", "o.seam")
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and not (tmp_path / "o.seam").exists()
    assert "is not a number" in done.stderr


def test_the_number_of_threads_can_be_said(monkeypatch):
    from oddseam.geometry.threads import in_shares

    monkeypatch.setenv("ODDSEAM_THREADS", "1")
    assert in_shares(lambda start, stop: (start, stop), 100_000) == [(0, 100_000)]
    monkeypatch.setenv("ODDSEAM_THREADS", "3")
    assert len(in_shares(lambda start, stop: (start, stop), 100_000)) == 3
    monkeypatch.setenv("ODDSEAM_THREADS", "none")
    with pytest.raises(oddseam.Refusal, match="ODDSEAM_THREADS is 'none', which is not a count of threads"):
        in_shares(lambda start, stop: (start, stop), 100_000)
