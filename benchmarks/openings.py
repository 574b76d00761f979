"""Random openings cut into random panels, filled and moved: refusals, changes elsewhere, how good elements are.

    python benchmarks/openings.py [FIRST [COUNT]]

Panels are bent both ways, of quads, tris or both, with ribs in T-joints and stringers or without, and sparse ids.
"""

from __future__ import annotations

import collections
import sys
import time

import numpy as np

import oddseam
from oddseam.geometry.quality import quality


def panel(random: np.random.Generator) -> tuple[oddseam.Mesh, np.ndarray]:
    """A panel, and its rows and columns of nodes."""
    rows, columns = random.integers(24, 48, 2)
    step = random.uniform(0.5, 20.0)
    x, y = np.meshgrid(np.arange(columns + 1) * step, np.arange(rows + 1) * step)
    bend = random.uniform(-0.35, 0.35, 2) / np.array([x.max(), y.max()])
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
    if random.random() < 0.5:  # a rib stands on the middle column
        foot = at[:, middle]
        top = len(nodes) + np.arange(rows + 1)
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
            blocks[name] = oddseam.Elements(its, ids, np.zeros(len(its), np.int32))
            first = int(ids[-1])
    ids = np.cumsum(random.integers(1, 9, len(nodes)))
    bare = oddseam.Mesh.from_triangles(nodes, np.zeros((0, 3), int), unit="mm", node_ids=ids)
    return bare.replaced(elements=blocks), at


def trial(seed: int, tally: collections.Counter) -> None:
    """One opening."""
    random = np.random.default_rng(seed)
    mesh, at = panel(random)
    size = float(np.linalg.norm(mesh.nodes[at[0, 1]] - mesh.nodes[at[0, 0]]))
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
    try:
        cut = oddseam.cut_opening(mesh, **settings)
    except oddseam.Refusal as refusal:
        kind = kind_of(refusal)
        tally["refused: " + kind] += 1
        if kind == "OTHER":
            print(seed, "refused:", refusal, flush=True)
        return
    tally["cut"] += 1
    judge(seed, "cut", mesh, cut, 1, tally, bool(settings["collars"]))
    rim = np.array(oddseam.rim_points(cut, near=tuple(place))[0])
    step = random.normal(size=3) * 3.0 * size
    for what, change, rims in (
        ("fill", lambda: oddseam.fill(cut, near=tuple(rim)), -1),
        ("move", lambda: oddseam.move_opening(cut, near=tuple(rim), to=tuple(place + step)), 0),
    ):
        if what == "move" and shape != "round":
            continue
        try:
            changed = change()
        except oddseam.Refusal as refusal:
            kind = (
                "ligament" if " needs " in str(refusal) else "no surface" if "no surface" in str(refusal) else "OTHER"
            )
            tally[f"{what} refused: {kind}"] += 1
            if kind == "OTHER":
                print(seed, what, "refused:", refusal, flush=True)
            continue
        tally[what] += 1
        judge(seed, what, cut, changed, rims, tally, what == "fill")


def kind_of(refusal: oddseam.Refusal) -> str:
    """Why something was refused, in a word."""
    text = str(refusal)
    return "ligament" if " needs " in text else "no surface" if "no surface" in text else "OTHER"


def judge(
    seed: int, what: str, mesh: oddseam.Mesh, new: oddseam.Mesh, rims: int, tally: collections.Counter, no_tris: bool
) -> None:
    """Whether only a neighbourhood has changed, nothing is worse, and new elements are good."""
    before, after = contents(mesh), contents(new)
    if any(after[i] != before[i] for i in before if i in after):
        tally["CHANGED ELSEWHERE"] += 1
        print(seed, what, "elements elsewhere changed", flush=True)
    worse = oddseam.prove(new).worse_than(oddseam.prove(mesh))
    more = oddseam.prove(new).rims - oddseam.prove(mesh).rims
    if worse or more != rims:
        tally["WORSE"] += 1
        print(seed, what, worse, "rims", more, flush=True)
    top = int(mesh.element_ids.max())
    for name, measure, good, least in (("quad", "scaled_jacobian", 0.5, 0.3), ("tri", "minimum_angle", 25.0, 25.0)):
        block = new.elements.get(name)
        its = block.ids > top if block is not None else np.zeros(0, bool)
        if its.any() and not (name == "tri" and no_tris):  # those of collars are as wide as asked for
            values = quality(new.nodes[block.connectivity[its]])[measure]
            tally[f"{name}s"] += len(values)
            tally[f"{name}s below {good:g}"] += int((values < good).sum())
            tally[f"{name}s below {least:g}"] += int((values < least).sum()) if least != good else 0
            if values.min() < least * 0.6:
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
    first, count = (int(word) for word in (*sys.argv[1:3], *("0", "100")[len(sys.argv) - 1 :]))
    tally, start = collections.Counter(), time.perf_counter()
    for seed in range(first, first + count):
        trial(seed, tally)
    print(f"{count} openings, {(time.perf_counter() - start) / count:.2f} s each")
    for name, number in sorted(tally.items()):
        print(f"  {name:28} {number:,}")
