"""Openings and imprinted lines across line elements, sharp edges and creases."""

import numpy as np
import pytest

import oddseam


def bent_plate() -> oddseam.Mesh:
    """Two plates of 20 x 20 quads at a right angle, a stringer along the middle of the first."""
    n = 20
    i, j = (w.ravel() for w in np.meshgrid(np.arange(2 * n + 1), np.arange(n + 1), indexing="ij"))
    nodes = np.column_stack([np.minimum(i, n), j, np.maximum(i - n, 0)])
    at = np.arange(len(nodes)).reshape(2 * n + 1, n + 1)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], axis=-1).reshape(-1, 4)
    bars = np.column_stack([at[:n, 10], at[1 : n + 1, 10]])
    blocks = {
        name: oddseam.Elements(its, first + 3 * np.arange(len(its)), np.zeros(len(its), np.int32))
        for name, its, first in (("line", bars, 9001), ("quad", quads, 1))
    }
    return oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm").replaced(elements=blocks)


def edges_of(mesh: oddseam.Mesh) -> set[tuple[int, int]]:
    """Edges of shells, by node rows."""
    return {tuple(edge) for edge in np.sort(mesh.connectivity.edges, axis=1).tolist()}


def bars_are_edges(mesh: oddseam.Mesh) -> bool:
    """Whether every line element lies on an edge of shells."""
    return {tuple(bar) for bar in np.sort(mesh.elements["line"].connectivity, axis=1).tolist()} <= edges_of(mesh)


def untouched(mesh: oddseam.Mesh, new: oddseam.Mesh, low: tuple, high: tuple) -> bool:
    """Whether all elements with every node outside a box are as they were."""

    def held(one: oddseam.Mesh) -> dict:
        found = {}
        for block in one.elements.values():
            for number, row in zip(block.ids.tolist(), block.connectivity, strict=True):
                places = one.nodes[row]
                if not ((places > low) & (places < high)).all(axis=1).any():
                    found[number] = (one.node_ids[row].tobytes(), places.tobytes())
        return found

    before, after = held(mesh), held(new)
    return all(after.get(number) == its for number, its in before.items())


def test_a_line_crosses_a_sharp_edge_with_a_node_on_it():
    mesh = bent_plate()
    lined = oddseam.imprint(mesh, through=[(14.3, 3.2, 0), (20, 7, 5.1)], count=9)
    assert lined.account.last.outcome.steps[1].count == 1
    assert oddseam.prove(lined).is_clean
    ends = lined.creases.edges
    assert len(ends) == 9
    on_edge = np.flatnonzero((lined.nodes[:, 0] == 20) & (lined.nodes[:, 2] == 0))
    assert len(on_edge) == 22  # 21 before, and the crossing
    assert np.isin(ends, on_edge).sum() == 2  # the line goes through it
    assert untouched(mesh, lined, (5, -8, -1), (21, 15, 15))


def test_known_creases_are_split_and_go_on():
    mesh = oddseam.find_features(bent_plate())
    before = len(mesh.creases.edges)
    lined = oddseam.imprint(mesh, through=[(14.3, 3.2, 0), (20, 7, 5.1)], count=9)
    assert len(lined.creases.edges) == before + 1 + 9
    assert {tuple(edge) for edge in np.sort(lined.creases.edges, axis=1).tolist()} <= edges_of(lined)


def test_a_stringer_is_named_or_split():
    mesh = bent_plate()
    with pytest.raises(oddseam.Refusal, match=r"line element.*split_lines"):
        oddseam.imprint(mesh, through=[(4.3, 3.2, 0), (6, 17, 0)], count=12)
    lined = oddseam.imprint(mesh, through=[(4.3, 3.2, 0), (6, 17, 0)], count=12, split_lines=True)
    assert len(lined.elements["line"]) == 21
    assert bars_are_edges(lined)
    assert (lined.elements["line"].ids > 9058).sum() == 2


@pytest.mark.slow
@pytest.mark.parametrize(
    "settings",
    [
        {"diameter": 6.0},
        {"diameter": 6.0, "collars": [0.8, 1.0]},
        {"kind": "slot", "length": 8.0, "width": 3.0, "angle": 30.0, "collars": [0.7]},
        {"kind": "rectangle", "length": 5.0, "width": 4.0, "angle": 77.0},
    ],
)
@pytest.mark.parametrize("y", [9.6, 10.0])
def test_an_opening_splits_a_stringer_that_goes_on_to_the_rim(settings, y):
    mesh = bent_plate()
    with pytest.raises(oddseam.Refusal, match=r"line element.*split_lines"):
        oddseam.cut(mesh, at=(10.2, y, 0), **settings)
    cut = oddseam.cut(mesh, at=(10.2, y, 0), split_lines=True, **settings)
    assert oddseam.prove(cut).is_clean
    assert bars_are_edges(cut)
    rim = {tuple(point) for point in oddseam.rim_points(cut, near=(10.2, y, 0))}
    count = np.bincount(cut.elements["line"].connectivity.ravel(), minlength=cut.n_nodes)
    ends = [tuple(cut.nodes[k]) for k in np.flatnonzero(count == 1)]
    assert sum(end in rim for end in ends) == 2  # both halves end at the rim
    assert untouched(mesh, cut, (1, 1, -1), (20, 20, 1))


def test_an_opening_across_a_sharp_edge_by_imprint():
    mesh = bent_plate()
    cut = oddseam.imprint(
        mesh, circle=3, near=(20, 9.6, 0), count=20, opening=True, split_lines=True, direction=(-1, 0, 1)
    )
    assert oddseam.prove(cut).is_clean
    assert len(oddseam.list_openings(cut)) == 2
    assert bars_are_edges(cut)


@pytest.mark.slow
def test_from_the_command_line(run, tmp_path):
    oddseam.write_mesh(bent_plate(), tmp_path / "plate.seam")
    asked = ["cut", tmp_path / "plate.seam", "--at=10,10,0", "--diameter", "5", "-o", tmp_path / "cut.seam"]
    refused = run(*asked)
    assert refused.returncode == 2
    assert "line element" in refused.stderr
    assert run(*asked, "--split-lines").returncode == 0
    assert len(oddseam.list_openings(oddseam.read_mesh(tmp_path / "cut.seam"))) == 2


def test_a_line_through_a_node_of_the_fold_takes_that():
    mesh = bent_plate()
    lined = oddseam.imprint(mesh, through=[(16.2, 5.5, 0), (20, 7.5, 3.2)], direction=(-1, 0, 1), count=4)
    through = oddseam.imprint(mesh, through=[(17, 4.98, 0), (20, 5.02, 3)], direction=(-1, 0, 1), count=4)
    for new in (lined, through):
        assert oddseam.prove(new).is_clean
    assert len(lined.creases.edges) == 4
    fold = np.flatnonzero((through.nodes[:, 0] == 20) & (through.nodes[:, 2] == 0))
    assert len(fold) == 21 and len(through.creases.edges) == 4
