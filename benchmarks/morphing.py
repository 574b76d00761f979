"""Random changes of parts, given by the faceted surface of the new design alone, and changes of topology.

    python benchmarks/morphing.py [FIRST [COUNT]]

Blocks with a bore, flanged tubes, bearing blocks and ribbed panels, of every kind of element; the new design is meshed
independently.  Prints how far nodes are from the new surface and nodes on creases from its creases, over the local
size, how far the new surface is from the nodes' one, the least quality against that before, and what was refused.
"""

from __future__ import annotations

import collections
import pathlib
import sys
import time

import numpy as np

import oddseam
from oddseam.demo import bearing_block
from oddseam.findings.classes.distances import distance_to, surface_of
from oddseam.findings.judged.qualities import element_quality
from oddseam.geometry.trees.boxtree import BoxTree

sys.path.insert(0, str(pathlib.Path(__file__).parent.parent / "tests"))
import solids

_KINDS = ("hex", "tet", "wedge", "mixed", "hex20", "tet10", "wedge15")


def facets(mesh: oddseam.Mesh) -> oddseam.Mesh:
    """The surface as a facet file has it."""
    return oddseam.as_written(surface_of(mesh), "stl")


def block(random: np.random.Generator, vary: float, fine: float) -> tuple[np.ndarray, np.ndarray]:
    """A block with a bore, its measures varied by a share, so many times as fine."""

    def about(value: float) -> float:
        return value * (1.0 + vary * random.uniform(-1, 1))

    bore = (8.0 * vary * random.uniform(-1, 1), 8.0 * vary * random.uniform(-1, 1))
    around, rings, rows = 8 * round(4 * fine), round(6 * fine), round(8 * fine)
    return solids.bored_block(about(10), about(60), about(40), around, rings, rows, about(60), bore)


def tube(random: np.random.Generator, vary: float, fine: float) -> tuple[np.ndarray, np.ndarray]:
    """The same of a flanged tube."""

    def about(value: float) -> float:
        return value * (1.0 + vary * random.uniform(-1, 1))

    inner = about(20)
    outer = inner + about(6)
    radii, heights = (inner, outer, outer + about(14)), (about(8), about(60))
    counts = tuple(round(fine * n) for n in (3, 3, 14, 5))
    return solids.flanged_tube(round(40 * fine), radii, heights, counts)


def bearing(random: np.random.Generator, vary: float, fine: float) -> tuple[np.ndarray, np.ndarray]:
    """The same of the bearing block."""
    counts = tuple(max(2, round(fine * n * 0.6)) for n in (24, 8, 20, 8, 4, 10, 6))
    bore, foot = (value * (1.0 + vary * random.uniform(-1, 1)) for value in (20.0, 14.0))
    nodes, hexes = bearing_block._solid(bore, foot + vary, counts)
    used, index = np.unique(hexes, return_inverse=True)
    return nodes[used], index.reshape(hexes.shape)


def panel(random: np.random.Generator, vary: float, fine: float) -> oddseam.Mesh:
    """The same of a ribbed panel."""

    def about(value: float) -> float:
        return value * (1.0 + vary * random.uniform(-1, 1))

    return solids.ribbed_panel(about(120), about(80), about(20), about(28), round(24 * fine))


def made(random: np.random.Generator, seed: int, vary: float, fine: float) -> oddseam.Mesh:
    """A part; with ``vary`` 0 the same for every random state."""
    if seed % 4 == 3:
        return panel(random, vary, fine)
    kind = _KINDS[seed // 4 % len(_KINDS)] if fine == 1.0 else "hex"
    return solids.solid((block, tube, bearing)[seed % 4](random, vary, fine), kind)


def box(random: np.random.Generator, vary: float, fine: float, gap: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """The same of a box, or of two with a gap between."""

    def about(value: float) -> float:
        return value * (1.0 + vary * random.uniform(-1, 1))

    n = round(5 * fine)
    x, y, z = (np.linspace(0, about(size), n * k + 1) for size, k in ((60, 2), (40, 1), (30, 1)))
    if not gap:
        return solids.grid(x, y, z)
    half = len(x) // 2 + 1
    return solids.merged(solids.grid(x[:half], y, z), solids.grid(x[half - 1 :] + gap, y, z))


def pipe(random: np.random.Generator, vary: float, fine: float) -> tuple[np.ndarray, np.ndarray]:
    """The same of a tube without a flange."""
    nodes, hexes = tube(random, vary, fine)
    out = np.hypot(nodes[:, 0], nodes[:, 1])[hexes].max(axis=1)
    hexes = hexes[out <= out[nodes[:, 2][hexes].max(axis=1) >= nodes[:, 2].max() - 1e-9].max() + 1e-9]
    used, index = np.unique(hexes, return_inverse=True)
    return nodes[used], index.reshape(hexes.shape)


def of_other_topology(random: np.random.Generator, seed: int) -> tuple[oddseam.Mesh, oddseam.Mesh]:
    """A mesh, and the facets of what it cannot become; holes open and close, patches vanish, pieces join and part."""
    fine, kind = random.uniform(1.3, 2.0), _KINDS[seed // 10 % len(_KINDS)]

    def drained(random: np.random.Generator, vary: float, fine: float) -> tuple[np.ndarray, np.ndarray]:
        counts = tuple(max(4, round(fine * n * 0.6)) for n in (24, 8, 20, 8, 4, 10, 6))
        nodes, hexes = bearing_block._solid(20 * (1 + 0.5 * vary), 14 * (1 + vary), counts, drain=True)
        used, index = np.unique(hexes, return_inverse=True)
        return nodes[used], index.reshape(hexes.shape)

    def apart(random: np.random.Generator, vary: float, fine: float) -> tuple[np.ndarray, np.ndarray]:
        return box(random, vary, fine, gap=random.uniform(0.5, 10.0))

    pairs = ((block, box), (box, block), (tube, pipe), (pipe, tube), (bearing, drained), (drained, bearing),
             (box, apart), (apart, box))  # fmt: skip
    case = seed % 10
    if case >= 8:
        whole = panel(random, 0.0, 1.0)
        less = panel(random, 0.1, fine)
        cut = less.elements["quad"].connectivity
        middle = less.nodes[cut].mean(axis=1)
        if case == 8:  # a rib vanishes
            gone = (middle[:, 2] > 1e-9) & (middle[:, 1] > less.nodes[:, 1].mean())
        else:  # an opening appears
            gone = (middle[:, 2] < 1e-9) & (np.abs(middle[:, :2] - (60, 10)) < (15, 6)).all(axis=1)
        ids = ", ".join(str(k) for k in less.elements["quad"].ids[gone].tolist()).replace(",", "")
        return whole, facets(oddseam.delete(less, f"ids {ids}", unused_nodes=True))
    one, two = pairs[case]
    return solids.solid(one(random, 0.0, 1.0), kind), facets(solids.solid(two(random, 0.1, fine)))


def worst_share(before: oddseam.Mesh, after: oddseam.Mesh) -> float:
    """The least quality after over the least before."""
    one, two = element_quality(before), element_quality(after)
    names = ("scaled_jacobian", "radius_ratio")
    return min(float(two[k][1][n].min() / one[k][1][n].min()) for k in one for n in one[k][1] if n in names)


def judged(mesh: oddseam.Mesh, new: oddseam.Mesh, target: oddseam.Mesh) -> tuple[float, float, float]:
    """Nodes from the surface, nodes of creases from creases, and the surface from the nodes, over the local size."""
    surface = surface_of(new)
    c = surface.connectivity
    size = np.full(surface.n_nodes, np.inf)
    length = np.linalg.norm(surface.nodes[c.edges[:, 1]] - surface.nodes[c.edges[:, 0]], axis=1)
    for k in range(2):
        np.minimum.at(size, c.edges[:, k], length)
    used = np.isfinite(size)
    off = distance_to(surface.nodes[used], target) / size[used]
    mine, its = oddseam.find_features(surface_of(mesh)), oddseam.find_features(target)
    on = np.unique(np.concatenate([mine.creases.edges, c.edges[c.is_free]]))
    lines = np.concatenate([its.creases.edges, target.connectivity.edges[target.connectivity.is_free]])
    close, _ = BoxTree(target.nodes[lines[:, [0, 1, 1]]]).closest(surface.nodes[on])
    crease = np.linalg.norm(close - surface.nodes[on], axis=1) / size[on]
    back = distance_to(target.nodes, surface).max() / np.median(length)
    return float(off.max()), float(crease.max()), float(back)


def main(first: int, count: int) -> None:
    """Run."""
    said: collections.Counter[str] = collections.Counter()
    worst, share, start = np.zeros(3), np.inf, time.perf_counter()
    for seed in range(first, first + count):
        random = np.random.default_rng(seed)
        mesh = made(random, seed, 0.0, 1.0)
        target = facets(made(random, seed, 0.12, random.uniform(1.3, 2.0)))
        try:
            new = oddseam.morph(mesh, oddseam.Shape(target))
        except oddseam.OddSeamError as error:
            said["refused"] += 1
            print(f"seed {seed}: {error}")
            continue
        said["morphed"] += 1
        found, least = judged(mesh, new, target), worst_share(mesh, new)
        worst, share = np.maximum(worst, found), min(share, least)
        if found[0] > 0.02 or found[1] > 0.01 or least < 0.6:
            print(f"seed {seed}: off {found[0]:.4f}, creases {found[1]:.4f}, back {found[2]:.4f}, quality {least:.3f}")
    seconds = time.perf_counter() - start
    print(dict(said), f"{seconds:.0f} s; over the local size nodes are off by {worst[0]:.4f},")
    print(f"nodes of creases by {worst[1]:.4f}, the new surface by {worst[2]:.4f};")
    print(f"least quality over that before {share:.3f}")
    known = 0
    for seed in range(first, first + count):
        mesh, target = of_other_topology(np.random.default_rng(seed), seed)
        try:
            oddseam.morph(mesh, oddseam.Shape(target))
            print(f"seed {seed}: another topology, and morphed")
        except oddseam.Refusal as error:
            known += "topology" in str(error)
            if "topology" not in str(error) or "--reasons" in sys.argv:
                print(f"seed {seed}: {error}")
    print(f"changes of topology recognised: {known} of {count}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 0, int(sys.argv[2]) if len(sys.argv) > 2 else 100)
