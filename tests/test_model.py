from __future__ import annotations

from collections import Counter, defaultdict

import numpy as np
import pytest
import shapes
from hypothesis import given, settings, strategies as st

import oddseam
from oddseam.model.editing import Added, edited
from oddseam.model.kinds import KINDS


def test_arrays_are_read_only_and_the_callers_stay_free():
    nodes, triangles = shapes.cube()
    mesh = oddseam.Mesh.from_triangles(nodes, triangles)
    with pytest.raises(ValueError, match="read-only"):
        mesh.nodes[0] = 1.0
    nodes[0] = 99.0
    assert mesh.nodes[0, 0] == 0.0


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda n, t: (n, np.where(t == 3, 80, t)), r"tri \d+ refers to node .*80.*but there are 8"),
        (lambda n, t: (n, np.where(t == 3, -1, t)), r"tri \d+ refers to node"),
        (lambda n, t: (np.where(n == 1, np.nan, n), t), r"node 1 has a coordinate that is not a finite number"),
        (lambda n, t: (n[:, :2], t), r"nodes: an array of shape n x 3"),
        (lambda n, t: (n, t.astype(float)), r"whole numbers"),
        (lambda n, t: (n, t.astype(np.int64) + 2**40), r"does not fit"),
    ],
)
def test_an_inconsistent_mesh_cannot_be_made(change, message):
    with pytest.raises(oddseam.MeshError, match=message):
        oddseam.Mesh.from_triangles(*change(*shapes.cube()))


def test_ids_are_unique_over_all_kinds():
    tri = oddseam.Elements(np.array([[0, 1, 2]]), np.array([7]), np.array([0]))
    line = oddseam.Elements(np.array([[0, 1]]), np.array([7]), np.array([0]))
    with pytest.raises(oddseam.MeshError, match="element 1 has id 7, which element 0 has already"):
        oddseam.Mesh(np.eye(3), {"tri": tri, "line": line}, (oddseam.Part("p", 1),))
    with pytest.raises(oddseam.MeshError, match="node 2 has id 4"):
        oddseam.Mesh(np.eye(3), {"tri": tri}, (oddseam.Part("p", 1),), node_ids=np.array([4, 5, 4]))


def test_groups_creases_and_patches_must_exist():
    with pytest.raises(oddseam.MeshError, match="member 0"):
        shapes.mesh(shapes.cube(), groups=oddseam.Groups(nodes={"a": np.array([8])}))
    with pytest.raises(oddseam.MeshError, match="side 9 of element 3, which has 5"):
        shapes.mesh(shapes.cube(), groups=oddseam.Groups(sides={"a": np.array([[3, 9]])}))
    with pytest.raises(oddseam.MeshError, match="patch labels"):
        shapes.mesh(shapes.cube(), patches=oddseam.Patches(np.zeros(3, int), (oddseam.Patch("x"),)))
    with pytest.raises(oddseam.MeshError, match="crease"):
        shapes.mesh(shapes.cube(), creases=oddseam.Creases(np.array([[0, 90]]), np.array([0])))
    with pytest.raises(oddseam.MeshError, match="boundary"):
        oddseam.Part("a", 1, boundary=" ")


def test_every_solid_kind_has_sides_that_close():
    for kind in KINDS.values():
        assert kind.size == kind.corners + (len(kind.edges) if kind.is_quadratic else 0)
        if kind.dimension == 3:
            runs = Counter((a, b) for s in kind.sides for a, b in zip(s, (*s[1:], s[0]), strict=True))
            assert all(runs[b, a] == n == 1 for (a, b), n in runs.items())
            assert {tuple(sorted(e)) for e in runs} == {tuple(sorted(e)) for e in kind.edges}


def test_summary_says_what_it_is():
    text = str(shapes.mesh(shapes.cube(), unit="mm"))
    assert "12 tri" in text and "mm" in text and "1 piece(s), 0 rim(s)" in text
    assert "unknown unit" in str(shapes.mesh(shapes.cube()))


def test_quads_count_as_faces_and_are_cut_along_the_flatter_diagonal():
    nodes = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 1], [0, 1, 0.0]])
    quad = oddseam.Elements(np.array([[0, 1, 2, 3]]), np.array([5]), np.array([0]))
    mesh = oddseam.Mesh(nodes, {"quad": quad}, (oddseam.Part("p", 1),))
    assert len(mesh.connectivity.edges) == 4
    assert mesh.triangulation.element.tolist() == [0, 0]
    rim = mesh.connectivity.rims[0]
    assert rim.closed and sorted(rim.nodes.tolist()) == [0, 1, 2, 3]


soups = st.lists(st.tuples(*[st.integers(0, 6)] * 3), min_size=1, max_size=24)


@given(soups)
@settings(max_examples=150, deadline=None)
def test_connectivity_equals_counting_by_hand(soup):
    triangles = np.array(soup)
    mesh = oddseam.Mesh.from_triangles(np.random.default_rng(0).normal(size=(7, 3)), triangles)
    c = mesh.connectivity
    faces = defaultdict(list)
    for f, t in enumerate(soup):
        if len(set(t)) == 3:
            for a, b in zip(t, (*t[1:], t[0]), strict=True):
                faces[min(a, b), max(a, b)].append((f, a < b))
    assert len(c.edges) == len(faces)
    assert {tuple(e): n for e, n in zip(c.edges.tolist(), c.face_count, strict=True)} == {
        e: len(f) for e, f in faces.items()
    }
    wrong = sum(len(f) == 2 and f[0][1] == f[1][1] for f in faces.values())
    assert int((~c.pair_agrees).sum()) == wrong
    keys = [tuple(sorted(t)) for t in soup]
    assert len(mesh.duplicate_triangles) == len(keys) - len(set(keys))
    assert sum(len(rim.corners) for rim in c.rims) == int(c.is_free.sum())
    assert len(c.rims) == c.n_rims
    for rim in c.rims:
        assert len(rim.nodes) == len(rim.corners) + (not rim.closed)


def test_two_holes_that_touch_in_a_node_are_one_rim():
    nodes, triangles = shapes.sheet(4)
    middle = 2 * 5 + 2
    at = (triangles == middle).any(axis=1)
    gone = np.flatnonzero(at)
    centre = nodes[triangles].mean(axis=1)
    opposite = [i for i in gone if (centre[i, 0] - 0.5) * (centre[i, 1] - 0.5) > 0]
    mesh = oddseam.Mesh.from_triangles(nodes, np.delete(triangles, opposite, axis=0))
    assert mesh.connectivity.n_rims == 2
    assert mesh.connectivity.nonmanifold_nodes.tolist() == [middle]


def test_editing_keeps_what_it_does_not_touch():
    groups = oddseam.Groups(
        nodes={"n": np.array([1, 7])}, elements={"e": np.array([0, 5, 11])}, sides={"s": np.array([[5, 0], [6, 2]])}
    )
    mesh = shapes.mesh(shapes.cube(), groups=groups)
    new = edited(
        mesh, drop=np.array([0]), turn=np.array([5]), add=Added(triangles=np.array([[0, 2, 3]]), like=np.array([4]))
    )
    assert new.element_ids.tolist() == [*range(2, 13), 13]
    assert new.node_ids.tolist() == mesh.node_ids.tolist()
    assert new.groups.elements["e"].tolist() == [4, 10]
    assert new.groups.sides["s"].tolist() == [[4, 1], [5, 2]]
    before, after = mesh.elements["tri"].connectivity, new.elements["tri"].connectivity
    assert after[4].tolist() == before[5][[0, 2, 1]].tolist()
    assert (np.delete(after[:-1], 4, axis=0) == np.delete(before[1:], 4, axis=0)).all()


def test_account_survives_json_and_names_its_inputs():
    mesh = shapes.mesh(shapes.cube())
    one = oddseam.assign_property(mesh, thickness=2.0)
    two = oddseam.assign_property(one, young=7e4, poisson=0.3)
    assert [e.operation for e in two.account] == ["assign property"] * 2
    assert two.account.last.inputs == (one.digest,) and two.account.last.output == two.digest
    assert oddseam.Account.from_list(two.account.to_list()) == two.account
    assert len(mesh.account) == 0 and mesh.parts[0].thickness is None


@pytest.mark.parametrize("bad", [{"thickness": -1.0}, {"young": 1.0}, {"young": 1.0, "poisson": 0.7}, {"density": 3.0}])
def test_properties_out_of_range_are_refused(bad):
    with pytest.raises(oddseam.Refusal):
        oddseam.assign_property(shapes.mesh(shapes.cube()), **bad)


def test_the_namespace_is_lazy_and_complete():
    assert set(dir(oddseam)) >= {"read_mesh", "survey", "mend", "remesh", "make_picture", "write_mesh"}
    with pytest.raises(AttributeError, match="no attribute"):
        oddseam.no_such_thing  # noqa: B018


def test_what_stays_keeps_its_id_and_what_comes_of_it_joins_its_groups():
    from oddseam.model.renumbering import Content, Origin, renumbered

    nodes = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]])
    mesh = oddseam.Mesh.from_triangles(nodes, [[0, 1, 2], [0, 2, 3]], node_ids=[7, 5, 90, 11], groups=oddseam.Groups(
        {"rim": np.array([0, 2])}, {"half": np.array([1])}, {"wet": np.array([[0, 0], [1, 2]])}
    ))  # fmt: skip
    content = Content(
        np.vstack([nodes[[2, 0, 1, 2, 3]], [[0.5, 0.5, 1]]]), {"tri": np.array([[1, 2, 3], [0, 4, 1], [1, 5, 4]])},
        np.zeros(3, np.int32), Origin(np.array([2, 0, 1, 2, 3, -1]), np.array([1, 1, 1, 0, 1, 0], bool)),
        Origin(np.array([1, 0, 1]), np.array([1, 1, 0], bool)),
    )  # fmt: skip
    new = renumbered(mesh, content, creases=None)
    assert new.node_ids.tolist() == [90, 7, 5, 91, 11, 92] and new.element_ids.tolist() == [2, 1, 3]
    assert new.groups.nodes["rim"].tolist() == [0, 1, 3] and new.groups.elements["half"].tolist() == [0, 2]
    assert new.groups.sides["wet"].tolist() == [[1, 0], [0, 2]]
    assert renumbered(mesh, content, creases=None, anew=True).node_ids.tolist() == [1, 2, 3, 4, 5, 6]
