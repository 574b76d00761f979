"""A mesh among other values: pickled, copied, made of any elements; and what is handed out with it."""

from __future__ import annotations

import copy
import inspect
import os
import pickle
import subprocess
import sys

import numpy as np
import pytest
import shapes

import oddseam
from oddseam.accounts.recording import RECORDED
from oddseam.geometry.threads import cores


def rich() -> oddseam.Mesh:
    """Parts, groups, creases, patches, an account."""
    mesh = shapes.mesh(shapes.chamfered_box(), unit="mm")
    mesh = oddseam.find_features(mesh)
    mesh = oddseam.make_part(mesh, "patch 'plane 1'", name="lid", boundary="wall")
    return oddseam.make_group(mesh, "near (0,0,5)", name="held", of="nodes")


@pytest.mark.parametrize(
    "again", [lambda mesh: pickle.loads(pickle.dumps(mesh)), copy.deepcopy, copy.copy], ids=["pickle", "deep", "copy"]
)
def test_a_mesh_is_pickled_and_copied_whole(again):
    mesh = rich()
    other = again(mesh)
    assert other.digest == mesh.digest and other.account == mesh.account and other.last_ids == mesh.last_ids
    assert other.patches.table == mesh.patches.table and other.groups.nodes.keys() == mesh.groups.nodes.keys()
    held = [other.nodes, other.node_ids, other.creases.edges, other.patches.label, *other.groups.nodes.values()]
    assert not any(array.flags.writeable for array in held)
    with pytest.raises(TypeError):
        other.elements["tri"] = None
    assert oddseam.survey(other).findings == oddseam.survey(mesh).findings


def test_a_deck_is_pickled_with_its_cards(tmp_path):
    deck = oddseam.write_mesh(
        oddseam.assign_property(rich(), thickness=1.0, young=2e5, poisson=0.3), tmp_path / "a.bdf"
    )
    mesh = oddseam.read_mesh(deck.path, unit="mm")
    other = pickle.loads(pickle.dumps(mesh))
    oddseam.write_mesh(other, tmp_path / "b.bdf")
    assert (tmp_path / "b.bdf").read_bytes() == (tmp_path / "a.bdf").read_bytes()


def test_a_mesh_is_made_of_elements_of_any_kinds():
    nodes = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], float)
    parts = (oddseam.Part("skin", 1), oddseam.Part("bulk", 2))
    mesh = oddseam.Mesh.from_elements(
        nodes, hex=[[0, 1, 3, 2, 4, 5, 7, 6]], quad=[[0, 2, 3, 1]], line=[[0, 7]], part=[0, 0, 1], parts=parts, unit="m"
    )
    assert mesh.counts == {"nodes": 8, "line": 1, "quad": 1, "hex": 1}
    assert mesh.element_ids.tolist() == [1, 2, 3] and mesh.element_part.tolist() == [0, 0, 1] and mesh.unit == "m"


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"quads": [[0, 1, 2, 3]]}, "'quads' is neither a kind of element"),
        ({"quad": [[0, 1, 2]]}, "quad connectivity: an array of shape 1 x 4 is wanted"),
        ({"quad": [[0, 1, 2, 9]]}, "quad 0 refers to node"),
        ({"tri": [[0, 1, 2]], "part": [0, 0]}, "one for each of 1 elements"),
    ],
)
def test_elements_that_make_no_mesh_are_refused(given, said):
    with pytest.raises(oddseam.MeshError, match=said):
        oddseam.Mesh.from_elements(np.zeros((4, 3)), **given)


def test_operations_say_what_they_give():
    assert RECORDED
    for operation in RECORDED.values():
        assert inspect.signature(operation).return_annotation == "Mesh"


def test_an_entry_names_all_meshes_that_went_in():
    one, two = shapes.mesh(shapes.cube(), unit="mm"), shapes.mesh(shapes.cube(2.0), unit="mm")
    assert oddseam.combine(one, other=two).account.last.inputs == (one.digest, two.digest)
    block, larger = (oddseam.find_features(shapes.mesh(shapes.grid_cube(4), unit="mm")) for _ in range(2))
    larger = oddseam.morph(larger, [oddseam.Scale("all", 1.1, (0, 0, 0))])
    followed = oddseam.morph(block, [oddseam.Shape(larger)])
    assert followed.account.last.inputs == (block.digest, larger.digest)


@pytest.mark.skipif(not hasattr(os, "sched_setaffinity"), reason="no way to tie a process to processors here")
def test_a_process_that_is_tied_to_one_processor_uses_one_thread():
    code = "import os; os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})\n"
    code += "from oddseam.geometry.threads import cores; print(cores())"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "1" and cores() >= 1


@pytest.mark.slow
def test_a_script_that_passes_lists_checks_strictly(tmp_path):
    script = tmp_path / "script.py"
    script.write_text(
        "import numpy as np\nimport oddseam\n\n"
        'mesh = oddseam.read_mesh("part.stl", unit="mm")\n'
        "mesh = oddseam.cut(mesh, at=[9, 3, 0], diameter=2, rim_nodes=12, collars=[0.4], direction=np.array([0.0, 0.0, 1.0]))\n"
        "mesh = oddseam.fill(mesh, near=[[1, 2, 3], [4, 5, 6]])\n"
        "mesh = oddseam.fill(mesh, nodes=[1, 2, 3])\n"
        "mesh = oddseam.imprint(mesh, through=[[0, 0, 0], [1, 0, 0]], direction=[0, 0, 1])\n"
        'mesh = oddseam.coarsen(mesh, facets=1000, limits={"minimum_angle": 5})\n'
        'mesh = oddseam.morph(mesh, [oddseam.Move("part lid", [0, 0, 1]), oddseam.Scale("all", 2, [0, 0, 0])])\n'
        'field = oddseam.make_sizes(mesh, base=2, zones=[oddseam.Zone("sphere", [0, 0, 0, 1], size=1)])\n'
        "print(oddseam.find_chambers(mesh, inside=[[0, 0, 0], (1, 2, 3)]), field, oddseam.survey(mesh).findings)\n"
    )
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--strict", "--no-incremental", str(script)],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        check=False,
    )
    assert done.returncode == 0, done.stdout
