from __future__ import annotations

import json

import numpy as np
import pytest
import shapes

import oddseam


def kinds(mesh: oddseam.Mesh) -> dict[str, int]:
    return {f.kind: f.count for f in oddseam.survey(mesh).findings if f.severity != "note"}


def test_a_sound_part_has_no_finding():
    found = oddseam.survey(shapes.mesh(shapes.torus()))
    assert not [f for f in found.findings if f.severity != "note"] and found.proof.is_clean and found.proof.is_closed


def test_each_defect_is_counted_where_it_is():
    nodes, triangles = shapes.grid_cube(4)
    top = np.flatnonzero((nodes[triangles][:, :, 2] == 1).all(axis=1))
    damaged = np.delete(triangles, top[5], axis=0)
    mesh = oddseam.Mesh.from_triangles(nodes, damaged)
    free = oddseam.survey(mesh).finding("free edges")
    assert (free.count, free.n_places, free.severity) == (3, 1, "warning")
    assert np.abs(np.array(free.places[0].centre) - nodes[triangles[top[5]]].mean(axis=0)).max() < 0.2
    turned = triangles.copy()
    turned[top[0]] = turned[top[0], ::-1]
    assert kinds(oddseam.Mesh.from_triangles(nodes, turned)) == {"misoriented edges": 3}
    doubled = np.concatenate([triangles, triangles[top[:1]]])
    assert kinds(oddseam.Mesh.from_triangles(nodes, doubled)) == {
        "duplicate facets": 1, "non-manifold edges": 3, "non-manifold nodes": 3
    }  # fmt: skip
    assert kinds(oddseam.Mesh.from_triangles(nodes, triangles[:, ::-1])) == {"inside-out pieces": 1}


def test_a_cavity_looks_inward_by_right():
    (a, s), (b, t) = shapes.cube(10.0), shapes.cube(2.0)
    nodes = np.concatenate([a, b + 4.0])
    hollow = oddseam.Mesh.from_triangles(nodes, np.concatenate([s, t[:, ::-1] + 8]))
    assert "inside-out pieces" not in kinds(hollow)
    assert oddseam.prove(hollow).volume == pytest.approx(1000 - 8)


def test_bow_ties_crumbs_and_coincident_nodes():
    nodes, triangles = shapes.cube()
    tie = np.concatenate([triangles, np.where(triangles == 0, 7, triangles + 8)])
    moved = np.concatenate([nodes, nodes + 1.0])
    mesh = oddseam.Mesh.from_triangles(moved, tie)
    found = oddseam.survey(mesh)
    assert found.finding("non-manifold nodes").places[0].centre == (1.0, 1.0, 1.0)
    assert found.finding("coincident nodes").count == 1
    big = shapes.cube(100.0)
    crumb = shapes.cube(0.2)
    both = oddseam.Mesh.from_triangles(np.concatenate([big[0], crumb[0] + 50]), np.concatenate([big[1], crumb[1] + 8]))
    assert kinds(both)["crumbs"] == 1


def test_limits_steer_what_is_poor():
    mesh = shapes.mesh(shapes.cube())
    assert oddseam.survey(mesh).finding("poor elements") is None
    strict = oddseam.survey(mesh, limits=oddseam.Limits(minimum_angle=50.0))
    assert strict.finding("poor elements").count == 12
    row = next(r for r in strict.quality if r.measure == "minimum_angle")
    assert row.beyond == 12 and row.minimum == pytest.approx(45.0) and len(row.worst_ids) == 5


def test_tables_and_json(raw_cowl, damage):
    found = oddseam.survey(raw_cowl)
    frame = found.findings_frame().set_index("kind")
    assert frame.loc["duplicate facets", "count"] == damage.duplicated and frame.loc["crumbs", "count"] == 4
    assert {"x", "y", "z", "size"} <= set(found.places_frame().columns)
    assert set(found.quality_frame()["measure"]) == {"radius_ratio", "aspect_ratio", "minimum_angle", "skewness"}
    plain = json.loads(json.dumps(found.to_dict(), allow_nan=False))
    assert plain["proof"]["closed"] is False and plain["summary"]["unit"] == "mm"


@pytest.mark.parametrize("scale", [1e-3, 1e3])
def test_results_do_not_depend_on_units_or_order(scale):
    nodes, triangles = shapes.grid_cube(4)
    triangles = np.delete(triangles, [3, 40], axis=0)
    order = np.random.default_rng(0).permutation(len(triangles))
    one, two = (
        kinds(oddseam.Mesh.from_triangles(n, t)) for n, t in ((nodes, triangles), (nodes * scale, triangles[order]))
    )
    assert one == two


def test_progress_is_told_and_ends():
    told = []
    oddseam.survey(shapes.mesh(shapes.cube()), progress=lambda step, share: told.append(share))
    assert told == sorted(told) and told[-1] == 1.0


def test_a_mesh_without_a_surface_is_surveyed_too():
    found = oddseam.survey(oddseam.Mesh(np.eye(3)))
    assert found.n_faults == 0 and found.quality == () and found.proof.volume is None
