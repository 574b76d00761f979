"""Whatever is given in the place of an argument, a function gives a result, or refuses in one line."""

from __future__ import annotations

import inspect

import junk
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings, strategies as st

import oddseam
from oddseam.inputs import IdsLike, PointLike, PointsLike, as_wanted


def test_every_public_function_is_tried():
    public = {name for name in oddseam.__all__ if inspect.isfunction(getattr(oddseam, name))}
    assert public - set(junk.calls()) == {"skin"} and set(junk.calls()) <= public


@pytest.mark.slow
@pytest.mark.parametrize("name", sorted(junk.calls()))
def test_junk_gives_a_result_or_one_line(name, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    parameters = list(inspect.signature(junk.calls()[name][0]).parameters)

    @settings(max_examples=200, deadline=None, derandomize=True, database=None, suppress_health_check=list(HealthCheck))
    @given(st.sampled_from(parameters), junk.JUNK)
    def tried(parameter, value):
        junk.try_junk(name, parameter, value)

    tried()


@pytest.mark.parametrize(
    "given", [[1, 2, 3], (1.0, 2, 3), np.array([1, 2, 3]), np.array([1, 2, 3], np.float32), range(1, 4)]
)
def test_points_may_be_given_in_any_way(given):
    assert as_wanted("at", given, PointLike) == (1.0, 2.0, 3.0)
    assert as_wanted("points", [given, given], PointsLike) == ((1.0, 2.0, 3.0),) * 2
    assert as_wanted("ids", np.array([4, 5]), IdsLike) == (4, 5)


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda m: oddseam.cut(m, at=(1, 2), diameter=1), r"at is \(1, 2\); it takes three numbers"),
        (lambda m: oddseam.cut(m, at=(1, 2, "a"), diameter=1), r"at\[2\] is 'a'; it takes a number"),
        (lambda m: oddseam.remesh(m, size="2"), "size is '2'; it takes a number"),
        (lambda m: oddseam.remesh(m, size=float("inf")), "size is inf, more than any length"),
        (lambda m: oddseam.coarsen(m, facets=2.5), "facets is 2.5; it takes a whole number"),
        (lambda m: oddseam.survey(5), "mesh is 5; it takes a Mesh"),
        (lambda m: oddseam.fill(m, near=[(0, 0, 0), (1, 2)]), r"near\[1\] is \(1, 2\); it takes three numbers"),
        (
            lambda m: oddseam.coarsen(m, facets=5, limits={"skewness": None}),
            r"limits\['skewness'\] is None; it takes a number",
        ),
    ],
)
def test_what_is_wrong_is_named_with_its_place(call, said):
    mesh = oddseam.Mesh.from_triangles([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]])
    with pytest.raises(oddseam.BadArgument, match=said) as caught:
        call(mesh)
    assert isinstance(caught.value, TypeError) and isinstance(caught.value, ValueError)
