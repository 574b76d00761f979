from __future__ import annotations

import numpy as np
import pytest
import shapes
import solids
from PIL import Image
from test_openings import panel

import oddseam
from oddseam.pictures.marks import choose_marks
from oddseam.pictures.solids import solid_scene
from oddseam.pictures.view import INSIDE, Camera, Lines, render


def pixels(path):
    return np.asarray(Image.open(path).convert("RGB"))


@pytest.mark.slow
def test_a_picture_has_its_size_and_is_not_blank(tmp_path):
    path = oddseam.make_picture(shapes.mesh(shapes.torus()), tmp_path / "t.png")
    picture = Image.open(path)
    assert picture.size == (1280, 800)
    assert len(np.unique(np.asarray(picture).reshape(-1, picture.mode.count("") - 1 or 1), axis=0)) > 50


def test_the_same_mesh_gives_the_same_file(tmp_path):
    mesh = shapes.mesh(shapes.cube())
    one, two = (oddseam.make_picture(mesh, tmp_path / name).read_bytes() for name in ("a.png", "b.png"))
    assert one == two


def test_the_nearest_surface_is_seen_and_the_inside_has_its_own_colour():
    nodes, triangles = shapes.sheet(2)
    camera = Camera.looking(np.array([0, 0, 1.0]), np.array([0.5, 0.5, 0]), 1.5, 60, 40)
    below = np.concatenate([nodes, nodes - [0, 0, 1.0]])
    seen = render(below, np.concatenate([triangles + len(nodes), triangles]), camera)
    front, depth = seen.picture, seen.depth
    assert depth[20, 30] == pytest.approx(0.0) and depth[0, 0] == -np.inf
    back = render(nodes, triangles[:, ::-1], camera).picture
    assert front[20, 30, 2] > front[20, 30, 0] and back[20, 30, 0] > back[20, 30, 2]
    assert np.argmin(INSIDE) == np.argmin(back[20, 30])
    assert (front[0, 0] == 1.0).all()


def test_lines_hide_behind_what_is_in_front():
    nodes, triangles = shapes.sheet(2)
    behind = np.concatenate([nodes, [[0.2, 0.5, -1.0], [0.8, 0.5, -1.0], [0.2, 0.5, 1.0], [0.8, 0.5, 1.0]]])
    camera = Camera.looking(np.array([0, 0, 1.0]), np.array([0.5, 0.5, 0]), 1.5, 60, 40)
    n = len(nodes)
    red = (1.0, 0.0, 0.0)
    plain = render(behind, triangles, camera).picture
    hidden = render(behind, triangles, camera, (Lines("hidden", np.array([[n, n + 1]]), red),)).picture
    shown = render(behind, triangles, camera, (Lines("shown", np.array([[n + 2, n + 3]]), red),)).picture
    assert (plain == hidden).all() and not (plain == shown).all()


def test_marks_are_the_worst_of_each_and_never_twice_in_one_place(raw_cowl):
    marks = choose_marks(oddseam.survey(raw_cowl).findings)
    assert [m.number for m in marks] == list(range(1, len(marks) + 1)) and len(marks) == 6
    assert {m.finding.kind for m in marks} >= {"free edges", "misoriented edges", "duplicate facets", "crossing facets"}
    for a, b in zip(marks[:-1], marks[1:], strict=True):
        assert a.place.centre != b.place.centre


def test_what_cannot_be_drawn_is_refused(tmp_path):
    mesh = shapes.mesh(shapes.cube())
    with pytest.raises(oddseam.Refusal, match="neither shells nor solids"):
        oddseam.make_picture(oddseam.Mesh(np.eye(3)), tmp_path / "a.png")
    with pytest.raises(oddseam.Refusal, match="view is 'sideways'"):
        oddseam.make_picture(mesh, tmp_path / "a.png", view="sideways")
    with pytest.raises(oddseam.Refusal, match="are all 0"):
        oddseam.make_picture(mesh, tmp_path / "a.png", view=(0.0, 0.0, 0.0))
    with pytest.raises(oddseam.FormatError, match="png"):
        oddseam.make_picture(mesh, tmp_path / "a.jpg")
    assert not list(tmp_path.iterdir())


def picture_of(mesh: oddseam.Mesh, path, **how) -> np.ndarray:
    return np.asarray(Image.open(oddseam.make_picture(mesh, path, **how)).convert("RGB")).astype(int)


def hollow_ball() -> oddseam.Mesh:
    (outer, t), (inner, u) = shapes.sphere(24, 2.0), shapes.sphere(24, 1.0)
    nodes, triangles = np.concatenate([outer, inner]), np.concatenate([t, u[:, ::-1] + len(outer)])
    parts = (oddseam.Part("shell", 1), oddseam.Part("core", 2))
    part = np.repeat([0, 1], [len(t), len(u)])
    return oddseam.Mesh.from_triangles(nodes, triangles, part=part, parts=parts)


def yellow(picture: np.ndarray) -> int:
    """Pixels that show an inside."""
    view = picture[60:750, 10:810]
    return int(((view[..., 0] > view[..., 2] + 60) & (view[..., 1] > view[..., 2] + 60)).sum())


def filled(picture: np.ndarray) -> int:
    """Pixels of cut faces, hatched or not."""
    view = picture[60:750, 10:810]
    red, green, blue = view[..., 0], view[..., 1], view[..., 2]
    return int(((red - green > 8) & (green - blue > 15) & (green - blue < 60) & (red > 100)).sum())


def words_of(monkeypatch, draw) -> list[str]:
    """What a picture says."""
    from oddseam.pictures.sheet import Sheet

    said: list[str] = []
    plain = Sheet.text
    monkeypatch.setattr(
        Sheet, "text", lambda self, x, y, words, *a, **k: (said.append(words), plain(self, x, y, words, *a, **k))[1]
    )
    draw()
    return said


def test_patches_side_by_side_have_other_colours():
    from oddseam.pictures.patchwise import patch_colours

    chance = np.random.default_rng(5)
    nodes, triangles = shapes.sphere(60)
    seeds = chance.normal(size=(120, 3))
    seeds /= np.linalg.norm(seeds, axis=1, keepdims=True)
    label = np.argmax(nodes[triangles].mean(axis=1) @ seeds.T, axis=1).astype(np.int32)
    label = np.unique(label, return_inverse=True)[1].astype(np.int32)
    table = tuple(oddseam.Patch(f"p{k}") for k in range(int(label.max()) + 1))
    mesh = shapes.mesh((nodes, triangles)).replaced(patches=oddseam.Patches(label, table))
    colours = patch_colours(mesh)
    rows = oddseam.list_patches(mesh)
    pairs = [(k, other - 1) for k, row in enumerate(rows) for other in row.neighbours]
    assert len(pairs) > 500 and all((colours[a] != colours[b]).any() for a, b in pairs)


def test_numbers_stand_on_what_they_name(tmp_path):
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    from oddseam.pictures.labels import draw_area_numbers

    figure = Figure()
    FigureCanvasAgg(figure)
    axes = figure.add_axes((0, 0, 1, 1))
    facet = np.full((100, 200), -1)
    facet[10:90, 10:100], facet[10:90, 100:190], facet[40:45, 50:55] = 0, 1, 2
    draw_area_numbers(axes, facet, np.array([4, 7, 9]))
    found = {text.get_text(): text.get_position() for text in axes.texts}
    assert found.keys() == {"5", "8"}  # the third is too small for one
    for name, (x, y) in found.items():
        assert facet[int(y), int(x)] == {"5": 0, "8": 1}[name]
    cube = oddseam.find_features(shapes.mesh(shapes.cube(), unit="mm"))
    patches, creases = (picture_of(cube, tmp_path / "a.png", colour=colour) for colour in ("patch", "crease"))
    assert (patches != creases).any()


def test_a_pick_is_drawn_in_its_surroundings(tmp_path, monkeypatch):
    ball = hollow_ball()
    whole = picture_of(ball, tmp_path / "a.png", plain=True)
    said = words_of(
        monkeypatch, lambda: oddseam.make_picture(ball, tmp_path / "b.png", marked="near (0, -2, 0) rings 1")
    )
    shown = np.asarray(Image.open(tmp_path / "b.png").convert("RGB")).astype(int)
    orange = (shown[..., 0] > shown[..., 2] + 80) & (shown[..., 0] > 120)
    assert orange[60:750, 10:810].sum() > 100 and orange[:, 820:].sum() > 5000  # in place, and from near by
    same = (shown[60:750, 10:810] == whole[60:750, 10:810]).all(axis=2)
    assert same.mean() > 0.95 and any("elements picked" in words for words in said)


def test_titles_say_which_file_is_shown(run, tmp_path, monkeypatch):
    from oddseam.cli.main import main

    oddseam.write_mesh(shapes.mesh(shapes.cube(), unit="mm"), tmp_path / "given.stl")
    mended = oddseam.mend(oddseam.read_mesh(tmp_path / "given.stl", unit="mm"))
    oddseam.write_mesh(mended, tmp_path / "clean.seam")
    monkeypatch.chdir(tmp_path)
    said = words_of(monkeypatch, lambda: main(["picture", "clean.seam", "-o", "a.png", "--plain"]))
    assert said[0] == "clean.seam"
    assert (
        words_of(monkeypatch, lambda: oddseam.make_picture(mended, tmp_path / "b.png", plain=True))[0]
        == "given.stl, after mend"
    )


def test_meant_joints_are_no_faults(tmp_path):
    one, two = shapes.sheet(4), shapes.sheet(4)
    mesh = shapes.side_by_side(one, (two[0][:, [0, 2, 1]] + [0, 0.45, -0.4], two[1]))
    joined = oddseam.mend(mesh, overlaps="imprint", close="none")
    found = oddseam.survey(joined)
    assert found.finding("T-joints").severity == "note" and found.finding("non-manifold edges") is None
    assert oddseam.survey(joined.replaced(account=mesh.account)).finding("non-manifold edges").severity == "fault"
    shown, bare = (
        picture_of(one, tmp_path / "a.png", plain=True) for one in (joined, joined.replaced(account=mesh.account))
    )
    views = [picture[60:750, 10:810] for picture in (shown, bare)]
    blue = [((p[..., 2] > p[..., 0] + 120) & (p[..., 2] > 140)).sum() for p in views]
    assert blue[0] == 0 < blue[1]


@pytest.mark.slow
def test_a_cut_shows_what_is_inside(tmp_path):
    ball = hollow_ball()
    whole = picture_of(ball, tmp_path / "a.png", view="front", plain=True)
    halved = picture_of(ball, tmp_path / "b.png", view="front", plain=True, cut="y=0")
    by_normal = picture_of(ball, tmp_path / "c.png", view="front", plain=True, cut=((0, 0, 0), (0, 5.0, 0)))
    # between the two circles it is solid, and filled; the hollow shows its wall
    circle = np.pi * (0.9 * 690 / 2) ** 2
    assert yellow(whole) == yellow(halved) == 0 and filled(whole) == 0
    assert filled(halved) == pytest.approx(circle * (1 - 0.25), rel=0.05)
    # a ball with a hole is not solid: its inside shows
    nodes, triangles = shapes.sphere(24, 2.0)
    torn = picture_of(shapes.mesh((nodes, triangles[1:])), tmp_path / "d.png", view="front", plain=True, cut="y=0")
    assert filled(torn) < 200 and yellow(torn) > 0.9 * circle
    assert (halved[100:] == by_normal[100:]).all()  # below the words on the plane


def test_one_part_alone_and_others_hidden_are_the_same_where_there_are_two(tmp_path):
    ball = hollow_ball()
    alone = picture_of(ball, tmp_path / "a.png", plain=True, pick="part core")
    without = picture_of(ball, tmp_path / "b.png", plain=True, hide="part shell")
    assert (alone[100:] == without[100:]).all() and yellow(alone) > 1000
    with pytest.raises(oddseam.Refusal, match="nothing is left"):
        oddseam.make_picture(ball, tmp_path / "c.png", pick="part core", hide="part core")
    with pytest.raises(oddseam.Refusal, match="nothing is left"):
        oddseam.make_picture(ball, tmp_path / "c.png", cut="x=-7", view="right")
    for wrong in ("x=", "w=3", "1,2,3", "0,0,0,0,0,0", "x=nan"):
        with pytest.raises(oddseam.Refusal, match="cut"):
            oddseam.make_picture(ball, tmp_path / "c.png", cut=wrong)
    assert not (tmp_path / "c.png").exists()


def test_marks_are_only_where_something_is_shown(tmp_path, raw_cowl):
    from oddseam.pictures.scene import scene_of

    found = oddseam.survey(raw_cowl, thin=False).findings
    scene = scene_of(raw_cowl, np.array([1.0, -1.0, 1.0]), pick="near (0, -80, 100) rings 5")
    assert choose_marks(found) and not choose_marks(scene.in_sight(found))


def test_quality_gives_colours_and_the_worst_are_named(tmp_path):
    from oddseam.pictures.colouring import colouring_of, worst_elements

    nodes, triangles = shapes.sheet(4)
    nodes[6] += [0.2, 0.22, 0.0]  # squeezes what lies beyond it
    mesh = oddseam.Mesh.from_triangles(nodes, triangles, unit="mm")
    colouring = colouring_of(mesh, "minimum_angle")
    bright = colouring.colours(np.arange(mesh.n_elements)).sum(axis=1)
    assert bright[colouring.values.argmin()] == bright.min() and bright[colouring.values.argmax()] == bright.max()
    worst, lines = worst_elements(mesh, colouring, np.arange(mesh.n_elements))
    angle = oddseam.survey(mesh).quality[2]
    assert [f.places[0].ids[0] for f in worst] == list(angle.worst_ids[: angle.beyond]) and len(lines.edges) >= 3

    def violet(picture: np.ndarray) -> int:
        red, green, blue = picture[100:700, 20:780].transpose(2, 0, 1)
        return int(((red < 90) & (green < 60) & (blue > green + 30)).sum())

    poor = picture_of(mesh, tmp_path / "a.png", view="top", colour="minimum_angle")
    even = picture_of(shapes.mesh(shapes.sheet(4)), tmp_path / "b.png", view="top", colour="minimum_angle")
    assert violet(poor) > 500 and violet(even) == 0
    with pytest.raises(oddseam.Refusal, match=r"'warpage'.*minimum_angle"):
        oddseam.make_picture(mesh, tmp_path / "c.png", colour="warpage")


def test_before_and_after_stand_side_by_side_at_one_scale(tmp_path):
    small, large = shapes.mesh(shapes.cube(1.0)), shapes.mesh(shapes.cube(2.0))
    both = picture_of(large, tmp_path / "a.png", before=small, view="front")

    def width(view: np.ndarray) -> int:
        return int((view.sum(axis=2) < 700).any(axis=0).sum())

    left, right = both[150:600, 20:620], both[150:600, 660:1260]
    assert width(right) == pytest.approx(2 * width(left), rel=0.02)


def test_clipping_keeps_the_half_with_its_area_and_shares_the_new_nodes():
    from oddseam.geometry.exact.clipping import clip_triangles
    from oddseam.geometry.triangles import area_vectors

    nodes, triangles = shapes.sphere(32)
    normal = np.array([0.6, 0.0, 0.8])
    kept, three, origin, section = clip_triangles(nodes, triangles, np.zeros(3), normal)
    other, four, _, _ = clip_triangles(nodes, triangles, np.zeros(3), -normal)
    area = [
        np.linalg.norm(area_vectors(p[t]), axis=1).sum() for p, t in ((kept, three), (other, four), (nodes, triangles))
    ]
    assert area[0] + area[1] == pytest.approx(area[2], rel=1e-12)
    assert (kept[np.unique(three)] @ normal).max() < 1e-12 and len(origin) == len(three)
    half = oddseam.Mesh.from_triangles(kept, three).connectivity
    assert half.n_rims == 1 and len(half.rims[0].corners) == len(section) == int(half.is_free.sum())


def test_a_needle_that_is_picked_is_seen(tmp_path):
    # it is far less than a pixel wide, and lies along a diagonal of the top
    points, triangles = shapes.cube()
    top = int(np.flatnonzero((points[triangles][:, :, 2] == 1.0).all(axis=1))[0])
    a, b, c = np.roll(
        triangles[top], -int(np.argmax(np.linalg.norm(np.diff(points[triangles[top][[0, 1, 2, 0]]], axis=0), axis=1)))
    )
    points = np.vstack([points, 0.5 * (points[a] + points[b]) + 1e-5 * (points[c] - points[a])])
    triangles = np.vstack([np.delete(triangles, top, axis=0), [[a, 8, c], [8, b, c], [a, b, 8]]])
    mesh = shapes.mesh((points, triangles))
    image = picture_of(mesh, tmp_path / "needle.png", view="top", marked="ids 14")
    orange = (image[..., 0] > 150) & (image[..., 1] < 100) & (image[..., 2] < 50)
    assert orange[:, :800].sum() > 100


def test_walls_have_colours_and_the_thinnest_is_marked(tmp_path):
    nodes, triangles = shapes.grid_cube(6)
    wedge = nodes * (9.0, 9.0, 2.0)
    wedge[:, 2] *= 0.5 + nodes[:, 0]  # from 1 to 3 thick
    mesh = oddseam.Mesh.from_triangles(wedge, triangles, unit="mm")
    marked = picture_of(mesh, tmp_path / "a.png", view="top", colour="thickness")
    plain = picture_of(mesh, tmp_path / "b.png", view="top", colour="thickness", plain=True)
    assert (marked != plain).any()

    def yellow(part: np.ndarray) -> int:
        red, green, blue = part.transpose(2, 0, 1)
        return int(((red > blue + 60) & (green > blue + 60)).sum())

    view = plain[100:700, 60:760]
    assert yellow(view[:, :250]) > 10 * max(yellow(view[:, 450:]), 1)  # thin, on the left, is bright
    with pytest.raises(oddseam.Refusal, match="nothing has a gap"):
        oddseam.make_picture(shapes.mesh(shapes.sheet(4)), tmp_path / "c.png", colour="gap")


def test_solids_are_drawn_as_whole_elements_behind_a_cut():
    block = solids.solid(solids.grid(*[np.linspace(0, 3, 4)] * 3), "hex")
    scene = solid_scene(block, np.array([1.0, -1.5, 0.9]), cut="y=1")
    middles = block.nodes[block.elements["hex"].connectivity].mean(axis=1)
    assert set(scene.elements.tolist()) == set(np.flatnonzero(middles[:, 1] > 1).tolist())
    # two layers of 3 x 3: 2 * 9 faces across, and 4 sides of 3 * 2; each face is two triangles
    assert len(scene.triangles) == 2 * (2 * 9 + 4 * 6) and len(np.unique(scene.faces)) == 42
    assert scene.nodes[scene.triangles][:, :, 1].min() == 1.0
    with pytest.raises(oddseam.Refusal, match="nothing is left"):
        solid_scene(block, np.array([0.0, -1.0, 0.0]), cut="y=9")


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["hex", "tet10", "wedge"])
def test_every_picture_of_a_shell_is_one_of_solids_too(tmp_path, kind):
    block = solids.solid(solids.grid(*[np.linspace(0, 3, 4)] * 3), kind)
    nodes = block.nodes.copy()
    corner = np.flatnonzero((nodes == nodes.max(axis=0)).all(axis=1))[0]
    nodes[corner] -= 1.3
    bent = block.replaced(nodes=nodes)
    plain = pixels(oddseam.make_picture(bent, tmp_path / "a.png"))
    for k, colour in enumerate(("scaled_jacobian", "part", "patch", "crease", "thickness")):
        shown = pixels(
            oddseam.make_picture(bent, tmp_path / f"{k}.png", colour=colour, cut="x=1.5" if k == 0 else None)
        )
        assert (shown != plain).any(axis=2).mean() > 0.05, colour
    oddseam.make_picture(bent, tmp_path / "two.png", before=block)
    oddseam.make_picture(bent, tmp_path / "moved.png", moved_from=block)
    with pytest.raises(oddseam.Refusal, match="no measure 'warp'"):
        oddseam.make_picture(bent, tmp_path / "no.png", colour="warp")


@pytest.mark.slow
def test_parts_and_their_thickness_have_colours(tmp_path, run):
    parts = (oddseam.Part("skin", 1, thickness=1.0), oddseam.Part("cap", 7, thickness=4.0))
    sheet = panel(12)
    block = sheet.elements["quad"]
    half = (sheet.nodes[block.connectivity].mean(axis=1)[:, 0] > 6).astype(np.int32)
    mesh = oddseam.Mesh(sheet.nodes, {"quad": oddseam.Elements(block.connectivity, block.ids, half)}, parts, unit="mm")
    for colour in ("part", "part-thickness"):
        oddseam.write_mesh(mesh, tmp_path / "m.seam")
        done = run("picture", "m.seam", "-o", f"{colour}.png", "--colour", colour, "--view", "top")
        assert done.returncode == 0, done.stderr
        shown = pixels(tmp_path / f"{colour}.png").astype(int)
        left, right = shown[330:430, 150:350].reshape(-1, 3), shown[330:430, 450:650].reshape(-1, 3)
        assert np.abs(np.median(left, axis=0) - np.median(right, axis=0)).max() > 40
    bare = mesh.replaced(parts=(oddseam.Part("skin", 1), oddseam.Part("cap", 7)))
    with pytest.raises(oddseam.Refusal, match="nothing has a part thickness: no part has one"):
        oddseam.make_picture(bare, tmp_path / "no.png", colour="part_thickness")
