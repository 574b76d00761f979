"""Two meshes side by side: distances both ways, sizes, quality, touched ids."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapes
from matplotlib import image
from test_splice import block

import oddseam


def test_a_block_that_grew_is_as_far_off_as_it_grew():
    one, two = block((10, 10, 10), (5, 5, 5)), block((10, 10, 12.5), (8, 8, 10), "tri")
    found = oddseam.compare(one, two)
    assert found.volume == pytest.approx((1000.0, 1250.0), rel=1e-12)
    assert found.area == pytest.approx((600.0, 700.0), rel=1e-12)
    assert found.there.most == pytest.approx(2.5) and found.there.place[2] == pytest.approx(10.0)
    assert found.back.most == pytest.approx(2.5) and found.back.place[2] == pytest.approx(12.5)
    # the top is a sixth of the area, and off by 2.5 but near the new walls
    assert 0.5 * 2.5 / 6 < found.there.mean < 2.5 / 6 and found.there.p95 == pytest.approx(2.25)
    kinds = {(kind, measure): (worst, median) for kind, measure, worst, median in found.quality}
    assert kinds["quad", "scaled_jacobian"] == ((1.0, None), (1.0, None))
    assert kinds["tri", "minimum_angle"][0][0] is None and kinds["tri", "minimum_angle"][0][1] > 30


def test_open_sheets_have_no_volume_and_the_same_mesh_is_nowhere_off():
    sheet = oddseam.delete(block((10, 10, 10), (5, 5, 5)), "box (-1,-1,9.9) (11,11,11)")
    found = oddseam.compare(sheet, sheet)
    assert found.volume == (None, None) and max(found.there.most, found.back.most) < 1e-12
    assert not any(ids for kinds in found.touched.values() for ids in kinds.values())
    with pytest.raises(oddseam.Refusal, match="convert"):
        oddseam.compare(sheet, sheet.replaced(unit="m"))


def test_solids_are_compared_by_their_skins():
    nodes = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1.0]])
    tet = oddseam.Elements(np.array([[0, 1, 2, 3]]), np.array([7]), np.zeros(1, np.int32))
    solid = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm").replaced(elements={"tet": tet})
    moved = solid.replaced(nodes=nodes + np.array([[0, 0, 0], [0, 0, 0], [0, 0, 0], [0, 0, 0.5]]))
    found = oddseam.compare(solid, moved)
    assert found.volume == pytest.approx((1 / 6, 0.25)) and found.back.most == pytest.approx(0.5)
    assert found.touched["nodes"]["moved"] == [4] and found.quality[0][0] == "tet"


@pytest.mark.slow
def test_from_the_command_line_with_a_picture(run, tmp_path):
    oddseam.write_mesh(block((10, 10, 10), (5, 5, 5)), tmp_path / "old.seam")
    oddseam.write_mesh(block((10, 10, 12), (5, 5, 5)), tmp_path / "new.seam")
    done = run("compare", "old.seam", "new.seam", "--picture", "off.png", "--view=-1,-1,1")
    assert done.returncode == 0, done.stderr
    assert "1000" in done.stdout and "1200" in done.stdout and "nodes moved" in done.stdout
    drawn = image.imread(tmp_path / "off.png")
    assert drawn.shape[:2] == (800, 1280)
    found = json.loads(run("compare", "old.seam", "new.seam", "--json").stdout)
    assert found["back"]["most"] == pytest.approx(2.0) and found["volume"] == pytest.approx([1000.0, 1200.0])
    same = run("compare", "old.seam", "old.seam", "--picture", "none.png")
    assert same.returncode == 2 and "no distance to draw" in same.stderr


def test_a_finer_sphere_is_off_by_what_the_facets_cut_off():
    coarse, fine = (shapes.mesh(shapes.sphere(n), unit="mm") for n in (24, 96))
    found = oddseam.compare(coarse, fine)
    cut_off = 1.0 - np.cos(np.pi / 24) ** 2
    assert 0.2 * cut_off < found.back.most < 1.5 * cut_off
    assert found.volume[0] < found.volume[1] < 4 / 3 * np.pi
