"""What comes out does not depend on how many threads worked on it."""

from __future__ import annotations

from collections.abc import Callable
from itertools import chain

import numpy as np
import pytest
import shapes

import oddseam
from oddseam.geometry.threads import in_shares

#: A wavy torus of more facets than are coarsened in one piece.
_NODES, _TRIANGLES = shapes.torus(320, 160)
_WAVY = _NODES * (1.0 + 0.01 * np.sin(7.0 * _NODES[:, ::-1]))


def _survey(mesh: oddseam.Mesh) -> str:
    return repr([(finding.kind, finding.count, finding.places) for finding in oddseam.survey(mesh).findings])


def _across(mesh: oddseam.Mesh) -> str:
    turned = oddseam.Mesh.from_triangles(mesh.nodes[:, [2, 0, 1]] + 0.1, mesh.triangulation.triangles)
    return oddseam.mend(oddseam.combine(mesh, other=turned)).digest


VERBS: dict[str, Callable[[oddseam.Mesh], str]] = {
    "coarsen": lambda mesh: oddseam.coarsen(mesh, facets=mesh.n_elements // 10).digest,
    "coarsen within": lambda mesh: oddseam.coarsen(mesh, deviation=1e-2).digest,
    "remesh": lambda mesh: oddseam.remesh(mesh, size=0.05).digest,
    "survey": _survey,
    "find features": lambda mesh: oddseam.find_features(mesh).digest,
    "mend what crosses": _across,
}


@pytest.mark.slow
@pytest.mark.parametrize("verb", VERBS)
def test_results_do_not_depend_on_the_number_of_threads(verb, monkeypatch):
    found = set()
    for threads in ("1", "2", "3", "5"):
        monkeypatch.setenv("ODDSEAM_THREADS", threads)
        found.add(VERBS[verb](oddseam.Mesh.from_triangles(_WAVY, _TRIANGLES)))
    assert len(found) == 1


def test_coarsening_spreads_what_is_left_evenly(monkeypatch):
    monkeypatch.setenv("ODDSEAM_THREADS", "1")
    coarse = oddseam.coarsen(oddseam.Mesh.from_triangles(_WAVY, _TRIANGLES), facets=10_000)
    corners = coarse.nodes[coarse.triangulation.triangles]
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
    assert longest.max() < 6.0 * np.median(longest)


@pytest.mark.parametrize("threads", ["1", "2", "3", "8"])
@pytest.mark.parametrize("rows", [0, 1, 2, 3, 10])
def test_every_row_is_in_one_share(threads, rows, monkeypatch):
    monkeypatch.setenv("ODDSEAM_THREADS", threads)
    shares = in_shares(lambda start, stop: list(range(start, stop)), rows, least=1)
    assert list(chain(*shares)) == list(range(rows)) and (all(shares) or not rows)
