"""What must hold for every recorded operation, over the list that the recording keeps: here on a deck with loads."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from tempfile import mkdtemp

import decks
import numpy as np
import pytest
import solids
from test_regions import contents

import oddseam
from oddseam.accounts.recording import RECORDED
from oddseam.operations import OPERATIONS as TABLE


@dataclass(frozen=True)
class Frame:
    """Where the part lies: a power of two times the axes in turn, and a shift that all coordinates hold exactly."""

    scale: float = 1.0
    turn: int = 0
    shift: float = 0.0

    def points(self, nodes):
        return np.roll(np.asarray(nodes, float), self.turn, axis=-1) * self.scale + self.shift

    def p(self, *xyz):
        return tuple(self.points(xyz).tolist())

    def d(self, *xyz):
        """A vector that has a length."""
        return tuple((np.roll(np.array(xyz, float), self.turn) * self.scale).tolist())

    def v(self, *xyz):
        """A direction."""
        return tuple(np.roll(np.array(xyz, float), self.turn).tolist())

    def box(self, *numbers):
        low, high = (self.points(numbers[k : k + 3]) for k in (0, 3))
        return "box ({!r},{!r},{!r}) ({!r},{!r},{!r})".format(*low.tolist(), *high.tolist())

    def near(self, *xyz):
        return "({!r},{!r},{!r})".format(*self.p(*xyz))

    def put(self, mesh):
        return mesh.replaced(nodes=self.points(mesh.nodes))


@cache
def deck() -> oddseam.Mesh:
    path = Path(mkdtemp(), "panel.bdf")
    path.write_text(decks.bulk_panel())
    return oddseam.read_mesh(path, unit="mm")


def sheet(count, step, at, first=1):
    """Quads in a plane across z, or standing on it where the steps say so."""
    u, v = (np.array(its, float) for its in step)
    i, j = np.meshgrid(np.arange(count[0] + 1), np.arange(count[1] + 1))
    nodes = np.array(at) + i.reshape(-1, 1) * u + j.reshape(-1, 1) * v
    k = np.arange(i.size).reshape(i.shape)
    quads = np.stack([k[:-1, :-1], k[:-1, 1:], k[1:, 1:], k[1:, :-1]], -1).reshape(-1, 4)
    block = oddseam.Elements(quads, first + np.arange(len(quads)), np.zeros(len(quads), int))
    return oddseam.Mesh(nodes, {"quad": block}, (oddseam.Part("other", 77, thickness=1.0),), unit="mm")


def with_more(mesh, f, other):
    return oddseam.combine(mesh, other=f.put(other))


RIB = sheet((3, 2), ((0, 1, 0), (0, 0, 1)), (9.3, 8.1, 0.04))
BESIDE = sheet((3, 6), ((1, 0, 0), (0, 1, 0)), (12.1, 3, 0))
LOOSE = sheet((2, 2), ((1, 0, 0), (0, 1, 0)), (2, 2, 4))


def domed(mesh, f):
    """The panel with a dome in it, as another surface."""
    flat = np.roll((mesh.nodes - f.shift) / f.scale, -f.turn, axis=1)
    up = np.maximum(0, 0.5 - 0.3 * np.hypot(flat[:, 0] - 9.5, flat[:, 1] - 2.5))
    return mesh.replaced(nodes=f.points(flat + np.column_stack([0 * up, 0 * up, up])), source=None)


def opened(mesh, f):
    return oddseam.cut(mesh, at=f.p(9, 3, 0), diameter=2.0 * f.scale, rim_nodes=12, collars=(0.4 * f.scale,))


def creased(mesh, f):
    return oddseam.make_creases(mesh, through=[f.p(8, 2, 0), f.p(10, 2, 0), f.p(10, 5, 0)])


def with_needle(mesh, f):
    """Two edges where they are short, and the creases that this is seen by."""
    moved = oddseam.move_node(mesh, decks.node(3, 9), to=f.p(3.9, 9.0, 0), free=True)
    return oddseam.find_features(moved)


Operation = Callable[[oddseam.Mesh, Frame], oddseam.Mesh]
_PLACE = (7.9, 0.9, -1, 11.1, 4.1, 1)
Case = tuple[Operation, Operation, tuple[float, ...] | None]
#: By operation: what is done before, what is done, and the box within which alone something may change.
OPERATIONS: dict[str, Case] = {
    "attach": (lambda m, f: with_more(m, f, RIB), lambda m, f: oddseam.attach(m, near=f.p(9.3, 9, 0), distance=0.1 * f.scale),
               (7, 6, -1, 12, 12, 3)),
    "combine": (lambda m, f: m, lambda m, f: oddseam.combine(m, other=f.put(LOOSE)), ()),
    "stitch": (lambda m, f: with_more(m, f, BESIDE), lambda m, f: oddseam.stitch(
        m, one=f.p(12, 5, 0), two=f.p(12.1, 5, 0), distance=0.2 * f.scale), (9, 0, -1, 16, 12, 1)),
    "imprint": (lambda m, f: m, lambda m, f: oddseam.imprint(
        m, through=[f.p(8.2, 2.3, 0), f.p(10.7, 3.4, 0)], direction=f.v(0, 0, 1), count=4), (6, 0, -1, 12, 7, 1)),
    "number new": (opened, lambda m, f: oddseam.number_new(m, since=f.put(deck()), node_ids=(50_000, None)), (6, 0, -1, 12, 7, 1)),
        "lift": (lambda m, f: m, lambda m, f: oddseam.lift(m, f.box(*_PLACE), by=0.8 * f.scale), (7, 0, -2, 12, 5, 3)),
    "splice": (lambda m, f: m, lambda m, f: oddseam.splice(
        m, f.box(*_PLACE), domed(m, f), distance=0.05 * f.scale), (7, 0, -2, 12, 5, 3)),
    "make part": (lambda m, f: m, lambda m, f: oddseam.make_part(m, f.box(*_PLACE), name="patch"), ()),
    "name parts": (lambda m, f: m, lambda m, f: oddseam.name_parts(m, {"property 1": "flange"}), ()),
    "move node": (lambda m, f: m, lambda m, f: oddseam.move_node(m, decks.node(3, 9), to=f.p(3.2, 9.1, 0)),
                  (1.9, 7.9, -1, 4.1, 10.1, 1)),
    "cut": (lambda m, f: m, opened, (6, 0, -1, 12, 7, 1)),
    "mend": (lambda m, f: m, lambda m, f: oddseam.mend(m), ()),
    "delete": (lambda m, f: m, lambda m, f: oddseam.delete(m, f.box(*_PLACE)), _PLACE),
    "make group": (lambda m, f: m, lambda m, f: oddseam.make_group(m, f.box(*_PLACE), name="wet"), ()),
    "flip": (lambda m, f: m, lambda m, f: oddseam.flip(m, f.box(*_PLACE)), _PLACE),
    "fill": (lambda m, f: oddseam.delete(m, f.box(*_PLACE)), lambda m, f: oddseam.fill(m, near=f.p(8, 2, 0)),
             (5, -1, -1, 13, 7, 1)),
    "weld": (lambda m, f: with_more(m, f, sheet((3, 6), ((1, 0, 0), (0, 1, 0)), (12.001, 3, 0))),
             lambda m, f: oddseam.weld(m, tolerance=0.01 * f.scale), (11, 2, -1, 16, 10, 1)),
    "change openings": (opened, lambda m, f: oddseam.change_openings(
        m, near=f.p(9, 3, 0), to=f.p(9.4, 3.2, 0), collars=(0.4 * f.scale,)), (6, 0, -1, 12, 7, 1)),
    "repeat": (lambda m, f: with_more(m, f, LOOSE), lambda m, f: oddseam.repeat(
        m, f"piece {f.near(3, 3, 4)}", times=2, vector=f.d(0, 3, 0)), ()),
    "make creases": (lambda m, f: m, creased, ()),
    "find features": (lambda m, f: m, lambda m, f: oddseam.find_features(m), ()),
    "name patches": (lambda m, f: oddseam.find_features(m), lambda m, f: oddseam.name_patches(
        m, {m.patches.table[0].name: "skin"}), ()),
    "split parts": (lambda m, f: oddseam.find_features(m), lambda m, f: oddseam.split_parts(m), ()),
    "convert": (lambda m, f: m, lambda m, f: oddseam.convert(m, to_unit="m"), None),
    "assign property": (lambda m, f: m, lambda m, f: oddseam.assign_property(m, thickness=2.0, parts=("property 2",)), ()),
    "morph": (lambda m, f: m, lambda m, f: oddseam.morph(
        m, oddseam.Move(f.box(8.9, 1.9, -1, 10.1, 3.1, 1), by=f.d(0, 0, 0.3)), reach=1.5 * f.scale), (7, 0, -1, 12, 5, 1)),
    "absorb": (with_needle, lambda m, f: oddseam.absorb(m, below=0.3 * f.scale), (1.9, 7.9, -1, 5.1, 10.1, 1)),
    "coarsen": (lambda m, f: oddseam.refine(m, f.box(*_PLACE), times=1, surface="facets"), lambda m, f: oddseam.coarsen(
        m, facets=20, pick=f.box(*_PLACE)), (7, 0, -1, 12, 5, 1)),
    "improve": (lambda m, f: oddseam.move_node(m, decks.node(9, 3), to=f.p(9.6, 3.5, 0)), lambda m, f: oddseam.improve(
        m, limits={"minimum_angle": 70.0}, pick=f.box(*_PLACE)), (7, 0, -1, 12, 5, 1)),
    "remesh": (lambda m, f: m, lambda m, f: oddseam.remesh(m, size=0.7 * f.scale, pick=f.box(*_PLACE)), _PLACE),
    "refine": (lambda m, f: m, lambda m, f: oddseam.refine(m, f.box(*_PLACE), times=1), (6, 0, -1, 12, 6, 1)),
}  # fmt: skip
#: Operations that do several things, some more of them.
MORE: dict[str, tuple[str, Case]] = {
    "erase": ("make creases", (creased, lambda m, f: oddseam.make_creases(m, erase=1), ())),
    "name": ("make creases", (creased, lambda m, f: oddseam.make_creases(m, names={"1": "lip"}), ())),
    "tidy": ("make creases", (creased, lambda m, f: oddseam.make_creases(m, stubs=0.5 * f.scale), ())),
    "unused nodes": ("delete", (lambda m, f: m, lambda m, f: oddseam.delete(m, unused_nodes=True), ())),
    "named nodes": ("weld", (lambda m, f: m, lambda m, f: oddseam.weld(
        m, nodes=(decks.node(3, 9), decks.node(4, 9)), collapse=True), (1.9, 7.9, -1, 5.1, 10.1, 1))),
}  # fmt: skip
CASES = OPERATIONS | {f"{name}: {what}": case for what, (name, case) in MORE.items()}
#: Operations that make another mesh altogether.
OTHERWISE = {"skin"}
NAMES = sorted(CASES)


@cache
def done(name: str, frame: Frame, shuffled: bool = False) -> tuple[oddseam.Mesh, oddseam.Mesh]:
    """The mesh before an operation and after it."""
    before, operation, _ = CASES[name]
    mesh = frame.put(deck())
    start = before(in_another_order(mesh) if shuffled else mesh, frame)
    return start, operation(start, frame)


def in_another_order(mesh):
    rng = np.random.default_rng(4)
    blocks = {}
    for kind, block in mesh.elements.items():
        order = rng.permutation(len(block))
        blocks[kind] = oddseam.Elements(block.connectivity[order], block.ids[order], block.part[order])
    return mesh.replaced(elements=blocks)


def area(mesh):
    corners = mesh.nodes[mesh.triangulation.triangles]
    return np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2


def untried() -> set[str]:
    """Operations of the table that make a mesh, and are not here."""
    table = {one.name.replace("_", " ") for one in TABLE if one.signature.returns == "Mesh"}
    return table - set(OPERATIONS) - OTHERWISE


def test_every_recorded_operation_is_in_the_table_and_here():
    for name in oddseam.__all__:
        getattr(oddseam, name)
    ours = {name for name, run in RECORDED.items() if run.__module__.startswith("oddseam.")}
    assert untried() == set() and ours == set(OPERATIONS) | OTHERWISE


@pytest.mark.slow
@pytest.mark.parametrize("name", NAMES)
def test_the_same_again_gives_the_same_and_leaves_its_input_alone(name, monkeypatch):
    start, after = done(name, Frame())
    digest, entries = start.digest, len(start.account)
    again = CASES[name][1](start, Frame())
    monkeypatch.setattr(os, "cpu_count", lambda: 1)
    alone = CASES[name][1](start, Frame())
    assert again.digest == alone.digest == after.digest
    assert start.digest == digest and len(start.account) == entries
    entry = after.account.last
    assert entry.operation == name.partition(":")[0] and entry.output and entry.inputs[0] == start.digest


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("power", [7])
def test_a_power_of_two_changes_no_bit_but_the_exponent(name, power):
    (_, one), (_, two) = done(name, Frame()), done(name, Frame(2.0**power))
    assert np.array_equal(one.nodes * 2.0**power, two.nodes)
    assert np.array_equal(one.node_ids, two.node_ids) and np.array_equal(one.element_ids, two.element_ids)
    for kind, block in one.elements.items():
        assert np.array_equal(block.connectivity, two.elements[kind].connectivity)


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("frame", [Frame(turn=2, shift=1024.0)])
def test_another_pose_gives_as_much(name, frame):
    (_, one), (_, two) = done(name, Frame()), done(name, frame)
    assert area(two) == pytest.approx(area(one), rel=1e-6)
    assert two.n_elements == pytest.approx(one.n_elements, rel=0.03)
    proofs = [
        (p.rims, p.nonmanifold_edges, p.misoriented_edges, p.crossing_pairs) for p in map(oddseam.prove, (one, two))
    ]
    assert proofs[0] == proofs[1]
    assert len(one.account.last.outcome.unmet) == len(two.account.last.outcome.unmet)


@pytest.mark.parametrize("name", NAMES)
def test_the_order_of_elements_does_not_matter(name):
    (_, one), (_, two) = done(name, Frame()), done(name, Frame(), shuffled=True)
    assert area(two) == pytest.approx(area(one), rel=1e-9)
    assert two.n_elements == pytest.approx(one.n_elements, rel=0.03)
    known = set(deck().element_ids.tolist())
    assert set(one.element_ids.tolist()) & known == set(two.element_ids.tolist()) & known


@pytest.mark.parametrize("name", [name for name in NAMES if CASES[name][2] is not None])
def test_the_rest_stays_to_the_last_bit(name):
    start, after = done(name, Frame())
    box = CASES[name][2]
    was, now = contents(start), contents(after)
    centre = {}
    for block in start.elements.values():
        for number, nodes in zip(block.ids.tolist(), block.connectivity, strict=True):
            centre[number] = start.nodes[nodes].mean(axis=0)
    beyond = list(was)
    if box:
        low, high = np.array(box[:3]), np.array(box[3:])
        beyond = [number for number in was if ((centre[number] < low) | (centre[number] > high)).any()]
    assert len(beyond) > 60
    names_parts = name in ("make part", "split parts")
    for number in beyond:
        assert number in now
        (kind, part, *rest), (kind_now, part_now, *rest_now) = was[number], now[number]
        assert (kind, rest) == (kind_now, rest_now) and (part == part_now or names_parts)


@pytest.mark.parametrize("name", [name for name in NAMES if name != "convert"])
def test_nodes_that_only_cards_use_stay(name):
    start, after = done(name, Frame())
    place = dict(zip(after.node_ids.tolist(), after.nodes.tolist(), strict=True))
    for number, xyz in zip(start.node_ids.tolist(), start.nodes.tolist(), strict=True):
        if number in (decks.HUB, 9100):
            assert place[number] == xyz


@pytest.mark.parametrize("name", NAMES)
def test_what_is_new_has_ids_that_were_never_there(name):
    start, after = done(name, Frame())
    for was, now, top in ((start.node_ids, after.node_ids, 9100), (start.element_ids, after.element_ids, 9003)):
        new = np.setdiff1d(now, was)
        assert not len(new) or new.min() > max(top, was.max() if name != "number new" else 0)


def test_the_skin_of_solids_obeys_them_too(monkeypatch):
    block = solids.solid(solids.grid(*[np.linspace(0, 2, 3)] * 3), "tet10")
    one, two = oddseam.skin(block), oddseam.skin(block.replaced(nodes=block.nodes * 8))
    assert np.array_equal(one.nodes * 8, two.nodes) and area(one) == pytest.approx(24.0)
    monkeypatch.setattr(os, "cpu_count", lambda: 1)
    assert oddseam.skin(block).digest == one.digest


@pytest.mark.parametrize(
    "name", ["mend", "find features", "weld", "assign property", "absorb", "number new", "improve", "convert", "make group"],
)  # fmt: skip
def test_twice_is_once(name):
    _, once = done(name, Frame())
    twice = CASES[name][1](once, Frame())
    assert twice.digest == once.digest and len(twice.account) == len(once.account) + 1
