from __future__ import annotations

import numpy as np
import pytest

import oddseam
from oddseam.demo.cowl import cowl_surface, cowl_volume
from oddseam.geometry.shapes.quality import quality


def test_the_sound_cowl_is_sound_and_has_the_volume_of_its_formula():
    mesh = oddseam.Mesh.from_triangles(*cowl_surface())
    proof = oddseam.prove(mesh)
    assert proof.is_clean and proof.is_closed and mesh.connectivity.n_pieces == 1
    assert proof.volume == pytest.approx(cowl_volume(), rel=5e-4)


def test_the_raw_cowl_has_the_damage_it_should(raw_cowl, damage):
    found = oddseam.survey(raw_cowl)
    assert found.finding("duplicate facets").count == damage.duplicated
    assert found.finding("crumbs").count == 4 and damage.missing > 20
    assert found.finding("slivers").count == damage.slivers and found.finding("T-junctions").count == damage.torn
    assert found.finding("cracks").n_places == 1 and found.finding("non-manifold edges").count == 20
    crossed = found.finding("crossing facets")
    assert crossed.places[0].length == pytest.approx(77.8, abs=0.2) and crossed.places[0].count == 170
    turned = found.finding("misoriented edges")
    assert f"2 region(s) with {damage.flipped} facets" in turned.message and turned.n_places == 2


@pytest.mark.slow
def test_the_story_ends_clean(run, tmp_path):
    done = run("demo", "-o", "cowl")
    assert done.returncode == 0 and done.stderr == ""
    assert "closed, manifold and oriented" in done.stdout
    names = {p.name for p in (tmp_path / "cowl").iterdir()}
    assert names == {
        "inlet_cowl.stl", "inlet_cowl_clean.stl", "inlet_cowl_clean.bdf", "inlet_cowl_clean.seam",
        "survey_before.txt", "survey_after.txt", "before.png", "after.png",
    }  # fmt: skip
    meshes = [oddseam.read_mesh(tmp_path / "cowl" / f"inlet_cowl_clean.{s}") for s in ("stl", "bdf", "seam")]
    for mesh in meshes:
        proof = oddseam.prove(mesh)
        assert proof.is_clean and proof.is_closed and proof.volume == pytest.approx(cowl_volume(), rel=2e-3)
    seam = meshes[2]
    assert [entry.operation for entry in seam.account] == ["mend", "remesh", "assign property"]
    assert seam.unit == "mm" and seam.parts[0].thickness == 5.0
    assert meshes[1].parts[0].material.young == 210_000.0
    angle = quality(seam.nodes[seam.elements["tri"].connectivity])["minimum_angle"]
    assert angle.min() > 20.0
    assert np.array_equal(meshes[1].element_ids, seam.element_ids)


def test_the_story_needs_a_folder(run, tmp_path):
    (tmp_path / "taken").write_text("a file")
    done = run("demo", "-o", "taken")
    assert done.returncode == 2 and "taken" in done.stderr
