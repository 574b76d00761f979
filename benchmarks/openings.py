"""Random openings cut into random panels, filled and moved: refusals, changes elsewhere, how good elements are.

    python benchmarks/openings.py [FIRST [COUNT [FOLDER]]]

Panels are bent both ways, of quads, tris or both, with ribs in T-joints and stringers or without, and sparse ids;
every fifth is a deck with half of its nodes in a local frame, kept in FOLDER.
"""

from __future__ import annotations

import collections
import pathlib
import sys
import tempfile
import time
from collections.abc import Callable

import numpy as np

import oddseam
from oddseam.geometry.shapes.quality import quality


def panel(random: np.random.Generator) -> tuple[oddseam.Mesh, np.ndarray, str]:
    """A panel, its rows and columns of nodes, and how it is bent."""
    rows, columns = random.integers(24, 48, 2)
    step = random.uniform(0.5, 20.0)
    x, y = np.meshgrid(np.arange(columns + 1) * step, np.arange(rows + 1) * step)
    shape = ("flat", "straight", "double", "double")[random.integers(4)]  # features are repeated along what is straight
    bend = random.uniform(-0.35, 0.35, 2) / np.array([x.max(), y.max()])
    bend *= {"flat": (0.0, 0.0), "straight": (0.0, 1.0), "double": (1.0, 1.0)}[shape]
    z = bend[0] * (x - x.mean()) ** 2 + bend[1] * (y - y.mean()) ** 2
    nodes = np.column_stack([x.ravel(), y.ravel(), z.ravel()])
    inner = ((x > 0) & (x < x.max()) & (y > 0) & (y < y.max())).ravel()
    nodes[inner] += random.uniform(-0.12, 0.12, (int(inner.sum()), 3)) * step * (1, 1, 0)
    at = np.arange(len(nodes)).reshape(rows + 1, columns + 1)
    quads = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], axis=-1).reshape(-1, 4)
    as_tri = random.random(len(quads)) < random.choice([0.0, 0.0, 0.1, 1.0])
    triangles = np.concatenate([quads[as_tri][:, [0, 1, 2]], quads[as_tri][:, [0, 2, 3]]])
    quads = quads[~as_tri]
    lines = np.zeros((0, 2), np.int64)
    middle = columns // 2
    ribs = 0
    if random.random() < 0.5:  # a rib stands on the middle column, or on a part of it
        foot = at[:, middle] if random.random() < 0.5 else at[rows // 4 : rows // 2, middle]
        top = len(nodes) + np.arange(len(foot))
        ribs = len(foot) - 1
        nodes = np.concatenate([nodes, nodes[foot] + (0.0, 0.0, 1.5 * step)])
        quads = np.concatenate([quads, np.column_stack([foot[:-1], foot[1:], top[1:], top[:-1]])])
    elif random.random() < 0.5:  # a stringer runs along it
        lines = np.column_stack([at[:-1, middle], at[1:, middle]])
    turn, _ = np.linalg.qr(random.normal(size=(3, 3)))
    nodes = nodes @ turn * np.sign(np.linalg.det(turn)) + random.normal(size=3) * 100.0
    if np.linalg.det(turn * np.sign(np.linalg.det(turn))) < 0:
        triangles, quads = triangles[:, ::-1], quads[:, ::-1]
    first, blocks = 1, {}
    for name, its in (("line", lines), ("tri", triangles), ("quad", quads)):
        if len(its):
            ids = first + np.cumsum(random.integers(1, 9, len(its)))
            part = np.where(np.arange(len(its)) < len(its) - ribs * (name == "quad"), 0, 1).astype(np.int32)
            blocks[name] = oddseam.Elements(its, ids, part)
            first = int(ids[-1])
    ids = np.cumsum(random.integers(1, 9, len(nodes)))
    bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm", node_ids=ids)
    parts = (oddseam.Part("skin", 1), oddseam.Part("rib", 2))
    return bare.replaced(elements=blocks, parts=parts), at, shape


def trial(seed: int, tally: collections.Counter, keep: pathlib.Path | None) -> None:
    """One opening; then it is filled, moved and repeated, and a rib too."""
    random = np.random.default_rng(seed)
    mesh, at, bent = panel(random)
    size = float(np.linalg.norm(mesh.nodes[at[0, 1]] - mesh.nodes[at[0, 0]]))
    rib = mesh.element_ids[mesh.element_part == 1]
    deck = None
    if seed % 5 == 0:  # as a deck, half of its nodes in a local frame
        folder = pathlib.Path(tempfile.mkdtemp()) if keep is None else keep
        deck = deck_of(mesh, folder / f"{seed}.bdf", random)
        mesh = oddseam.read_mesh(deck, unit="mm")
    row, column = (random.integers(1, n - 1) for n in at.shape)
    place = mesh.nodes[at[row, column]] + random.normal(size=3) * 0.3 * size
    shape = ("round", "slot", "rectangle")[random.integers(3)]
    settings = {"at": tuple(place), "shape": shape, "turn": float(random.uniform(0, 360))}
    width = float(random.uniform(0.3, 6.0) * size)
    if shape == "round":
        settings["diameter"] = width
    else:
        settings |= {"length": float(width * random.uniform(1.2, 4.0)), "width": width}
    settings["collars"] = [float(c) for c in random.uniform(0.4, 1.1, random.integers(0, 3)) * size]
    straight = mesh.nodes[at[0, -1]] - mesh.nodes[at[0, 0]]
    straight = straight / np.linalg.norm(straight) * size
    if len(rib) and bent != "double":
        ribs = "ids " + " ".join(map(str, rib.tolist()))
        shift = float(random.integers(2, 6) if random.random() < 0.5 else random.uniform(2.0, 6.0))
        attempt(
            seed,
            "repeat rib",
            mesh,
            0,
            tally,
            deck,
            keep,
            lambda: oddseam.repeat(mesh, ribs, times=1, vector=tuple(straight * shift)),
        )
    cut = attempt(
        seed,
        "cut",
        mesh,
        1,
        tally,
        deck,
        keep,
        lambda: oddseam.cut(mesh, **settings),
        bool(settings["collars"]),
    )
    if cut is None:
        return
    rim = np.array(oddseam.rim_points(cut, near=tuple(place)))
    if bent == "flat":
        inside = area_of(mesh) - area_of(cut)
        arm = rim - rim.mean(axis=0)
        exact = 0.5 * float(np.linalg.norm(np.cross(arm, np.roll(arm, -1, axis=0)).sum(axis=0)))
        tally["areas checked"] += 1
        if abs(inside - exact) > 1e-9 * area_of(mesh):
            tally["AREA"] += 1
            print(seed, "area", inside, exact, flush=True)
    step = tuple(place + random.normal(size=3) * 3.0 * size)
    near = tuple(rim[0])
    attempt(seed, "fill", cut, -1, tally, deck, keep, lambda: oddseam.fill(cut, near=near), True)
    if shape == "round":
        attempt(seed, "move", cut, 0, tally, deck, keep, lambda: oddseam.change_openings(cut, near=near, to=step))
    if settings["collars"] and bent != "double":
        ring = "ids " + " ".join(map(str, ring_round(cut, rim, len(settings["collars"]))))
        vector = tuple(straight * random.uniform(5.0, 15.0) * random.choice([-1.0, 1.0]))
        attempt(
            seed,
            "repeat hole",
            cut,
            1,
            tally,
            deck,
            keep,
            lambda: oddseam.repeat(cut, ring, times=1, vector=vector),
            True,
        )


def attempt(
    seed: int,
    what: str,
    mesh: oddseam.Mesh,
    rims: int,
    tally: collections.Counter,
    deck: pathlib.Path | None,
    keep: pathlib.Path | None,
    change: Callable[[], oddseam.Mesh],
    collared: bool = False,
) -> oddseam.Mesh | None:
    """One change, judged; ``None`` if it is refused."""
    try:
        new = change()
    except oddseam.Refusal as refusal:
        kind = kind_of(refusal)
        tally[f"{what} refused: {kind}"] += 1
        if kind == "OTHER":
            print(seed, what, "refused:", refusal, flush=True)
        return None
    tally[what] += 1
    judge(seed, what, mesh, new, rims, tally, collared)
    if deck is not None:
        judge_deck(seed, what, deck, new, tally, keep)
    return new


def area_of(mesh: oddseam.Mesh) -> float:
    """Of all facets."""
    corners = mesh.nodes[mesh.triangulation.triangles]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return 0.5 * float(np.linalg.norm(cross, axis=1).sum())


def ring_round(mesh: oddseam.Mesh, rim: np.ndarray, rings: int) -> list[int]:
    """Ids of elements in rings round a rim."""
    places = {tuple(point) for point in rim.tolist()}
    mark = np.array([tuple(point) in places for point in mesh.nodes.tolist()])
    found: list[int] = []
    for _ in range(rings):
        nodes = mark.copy()
        for block in mesh.elements.values():
            its = mark[block.connectivity].any(axis=1)
            if block.connectivity.shape[1] > 2:
                found += block.ids[its].tolist()
                nodes[block.connectivity[its]] = True
        mark = nodes
    return sorted(set(found))


def deck_of(mesh: oddseam.Mesh, path: pathlib.Path, random: np.random.Generator) -> pathlib.Path:
    """The mesh as a deck, half of its nodes in a rectangular frame of their own."""
    mesh = oddseam.assign_property(mesh, thickness=1.0, young=2e5, poisson=0.3)
    shells = mesh.replaced(elements={name: its for name, its in mesh.elements.items() if name != "line"})
    oddseam.write_mesh(shells, path)
    frame, _ = np.linalg.qr(random.normal(size=(3, 3)))
    origin = random.normal(size=3) * 10.0
    points = np.array([origin, origin + frame[:, 2], origin + frame[:, 0]]).round(3)
    axis = (points[1] - points[0]) / np.linalg.norm(points[1] - points[0])
    x = points[2] - points[0] - (points[2] - points[0]) @ axis * axis
    x /= np.linalg.norm(x)
    to_frame = np.array([x, np.cross(axis, x), axis])
    lines, out = path.read_text().splitlines(), []
    values = [f"{value:.3f}" for value in points.ravel()]
    for k, line in enumerate(lines):
        if line.startswith("GRID*") and random.random() < 0.5:
            xyz = np.array([float(line[40:56]), float(line[56:72]), float(lines[k + 1][8:24])])
            a, b, c = (f"{value:.9f}"[:16] for value in to_frame @ (xyz - points[0]))
            out.append(f"{line[:24]}{7:<16}{a:<16}{b}")
            lines[k + 1] = f"*       {c}"
        else:
            out.append(line)
        if line.startswith("BEGIN"):
            out.append("CORD2R  7       0       " + "".join(value.ljust(8) for value in values[:6]))
            out.append("        " + "".join(value.ljust(8) for value in values[6:]))
    for name, block in mesh.elements.items():
        if name == "line":
            out.insert(-1, "PBAR    99      1       9.")
            for number, nodes in zip(block.ids.tolist(), mesh.node_ids[block.connectivity].tolist(), strict=True):
                out.insert(-1, f"CBAR    {number:<8}99      {nodes[0]:<8}{nodes[1]:<8}.1      .2      1.")
    path.write_text("\n".join(out) + "\n")
    return path


def judge_deck(
    seed: int, what: str, deck: pathlib.Path, new: oddseam.Mesh, tally: collections.Counter, keep: pathlib.Path | None
) -> None:
    """Whether the cards that are not gone are in the new deck byte for byte, new ones before the end."""
    path = deck.with_name(f"{seed}_{what.replace(' ', '_')}.bdf")
    oddseam.write_mesh(new, path)
    there = {"GRID*": set(new.node_ids.tolist()), "shell": set(new.element_ids.tolist())}
    expected, drops = [], False
    for line in deck.read_text().splitlines(keepends=True):
        name = line[:8].strip()
        if name == "GRID*":
            drops = int(line[8:24]) not in there["GRID*"]
        elif name in ("CQUAD4", "CTRIA3", "CBAR"):
            drops = int(line[8:16]) not in there["shell"]
        elif name != "*":
            drops = False
        if not drops and name != "ENDDATA":
            expected.append(line)
    tally["decks checked"] += 1
    if not path.read_text().startswith("".join(expected)):
        tally["BYTES CHANGED"] += 1
        print(seed, what, "cards elsewhere changed", flush=True)
    if keep is None:
        path.unlink()


def kind_of(refusal: oddseam.Refusal) -> str:
    """Why something was refused, in a word."""
    text = str(refusal)
    if " needs " in text:
        return "ligament"
    return "no surface" if "no surface" in text or "off the surface" in text else "OTHER"


def judge(
    seed: int, what: str, mesh: oddseam.Mesh, new: oddseam.Mesh, rims: int, tally: collections.Counter, collared: bool
) -> None:
    """Whether only a neighbourhood has changed, nothing is worse, and new elements are good."""
    before, after = contents(mesh), contents(new)
    if any(after[i] != before[i] for i in before if i in after):
        tally["CHANGED ELSEWHERE"] += 1
        print(seed, what, "elements elsewhere changed", flush=True)
    worse = oddseam.prove(new).worse_than(oddseam.prove(mesh))
    worse = [fault for fault in worse if what != "repeat rib" or not fault.startswith("non-manifold")]
    more = oddseam.prove(new).rims - oddseam.prove(mesh).rims
    if worse or (more != rims and what != "repeat rib"):
        tally["WORSE"] += 1
        print(seed, what, worse, "rims", more, flush=True)
    top = int(mesh.element_ids.max())
    for name, measure, good, least in (("quad", "scaled_jacobian", 0.5, 0.3), ("tri", "minimum_angle", 25.0, 15.0)):
        block = new.elements.get(name)
        its = block.ids > top if block is not None else np.zeros(0, bool)
        if its.any() and not (name == "tri" and collared):  # those of collars are as wide as asked for
            values = quality(new.nodes[block.connectivity[its]])[measure]
            tally[f"{name}s"] += len(values)
            tally[f"{name}s below {good:g}"] += int((values < good).sum())
            tally[f"{name}s below {least:g}"] += int((values < least).sum())
            if values.min() < least:
                print(seed, what, name, round(float(values.min()), 3), flush=True)


def contents(mesh: oddseam.Mesh) -> dict[int, tuple]:
    """Every element with its nodes' ids and places."""
    found, at = {}, 0
    for name, block in mesh.elements.items():
        rows = mesh.node_ids[block.connectivity].tolist()
        places = [row.tobytes() for row in mesh.nodes[block.connectivity]]
        for number, row, place in zip(block.ids.tolist(), rows, places, strict=True):
            found[number] = (name, tuple(row), place)
        at += len(block)
    return found


if __name__ == "__main__":
    first, count = (int(word) for word in (*sys.argv[1:3], *("0", "100")[len(sys.argv[1:3]) :]))
    folder = pathlib.Path(sys.argv[3]) if len(sys.argv) > 3 else None
    tally, start = collections.Counter(), time.perf_counter()
    for seed in range(first, first + count):
        trial(seed, tally, folder)
    print(f"{count} openings, {(time.perf_counter() - start) / count:.2f} s each")
    for name, number in sorted(tally.items()):
        print(f"  {name:28} {number:,}")
